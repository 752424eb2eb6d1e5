package yardage.core.format.xml;

import com.fasterxml.aalto.UncheckedStreamException;
import com.fasterxml.aalto.stax.InputFactoryImpl;
import java.io.ByteArrayInputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import javax.xml.stream.XMLInputFactory;
import javax.xml.stream.XMLStreamConstants;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamReader;
import org.codehaus.stax2.XMLInputFactory2;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Json;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RecordParser;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.shape.RecordShape;
import yardage.core.format.shape.Slot;

/**
 * Reads chunks of row elements into columns. A chunk is read in one go; if one of its rows is not
 * well-formed, the rows are read one by one from there, each as a document of its own.
 */
final class XmlParser implements RecordParser, ParsedRecords.Places {
  private static final int SHOWN_OF_VALUE = 200;
  private static final int MAX_DEPTH = 512;
  private static final String SCHEMA_INSTANCE = "http://www.w3.org/2001/XMLSchema-instance";
  private static final String OWN_TEXT = ".";

  private final XmlLayout layout;
  private final Optional<String> rowUri;
  private final RecordShape shape;
  private final XmlMember root;
  private final List<Slot> heldBy = new ArrayList<>();
  private final List<String[]> heldByPaths = new ArrayList<>();
  private final boolean keepStrays;
  private final RowValidator validator;
  private final XMLInputFactory factory = new InputFactoryImpl();
  private final FieldFailures failures = new FieldFailures();
  private final int[] rowRecords = new int[Batch.TARGET_ROWS];
  private final Map<String, Stray> strays = new TreeMap<>();
  private final Map<String, String> recordStrays = new LinkedHashMap<>();
  private TextBuilder strayColumn = new TextBuilder();
  private final List<RejectedRecord.Failure> rowFailures = new ArrayList<>();
  private final StringBuilder text = new StringBuilder();

  private Chunk chunk;
  private RecordOutput output;
  private XMLStreamReader reader;
  private int textEnd;
  private byte[] texts = new byte[1 << 16];
  private long epoch;
  private int current;

  /** How many open elements give their text to a column. */
  private int textsWanted;

  /** Attributes of the elements that are open around the row, outermost first. */
  private final List<Map<String, String>> holders = new ArrayList<>();

  private static final class Stray {
    private long count;
    private long line;
    private String example;
  }

  XmlParser(XmlFormat format) {
    this.layout = format.layout();
    this.rowUri = layout.uri(layout.row());
    this.shape = new RecordShape(format.rules());
    this.root = new XmlMember("", "", layout);
    this.keepStrays = format.keepStrays();
    this.validator = layout.xsd().map(XsdSchema::validator).orElse(null);
    factory.setProperty(XMLInputFactory.IS_COALESCING, false);
    factory.setProperty(XMLInputFactory.SUPPORT_DTD, false);
    // Lazy parsing would tell faults where no exception is expected.
    factory.setProperty(XMLInputFactory2.P_LAZY_PARSING, false);
    for (int i = 0; i < format.rules().size(); i++) {
      String path = format.paths().get(i);
      if (path.startsWith("../")) {
        heldBy.add(shape.slot(i));
        heldByPaths.add(path.split("/"));
      } else {
        root.add(path, shape.slot(i), layout);
      }
    }
  }

  @Override
  public void parse(Chunk chunk, RecordOutput output) {
    this.chunk = chunk;
    this.output = output;
    if (chunk.defect != null) {
      output.reject(
          new RejectedRecord(
              chunk.file,
              chunk.line,
              chunk.byteOffset,
              chunk.text(chunk.start, chunk.end),
              List.of(chunk.defect)));
      return;
    }
    strays.clear();
    textEnd = 0;
    current = 0;
    try {
      read(chunk.buffer, 0, chunk.end, chunk.records.count());
    } catch (XMLStreamException | UncheckedStreamException e) {
      oneByOne();
    }
    give();
    strays.forEach((name, s) -> output.stray(name, s.count, s.line, s.example));
  }

  /** Reads the rows from the one at hand on each alone, so that a broken one is told apart. */
  private void oneByOne() {
    while (current < chunk.records.count()) {
      int record = current;
      byte[] alone = alone(record);
      try {
        read(alone, 0, alone.length, record + 1);
        if (current == record) {
          // The parser saw no row where the tags have one, such as a name in another namespace.
          current++;
        }
      } catch (XMLStreamException | UncheckedStreamException e) {
        current = record + 1;
        reject(record, List.of(new RejectedRecord.Failure("", Reason.NOT_XML, complaint(e))));
      }
    }
  }

  /** A document of one row: what stands around it in the chunk, without the other rows. */
  private byte[] alone(int record) {
    int size = chunk.end;
    byte[] out = new byte[size];
    int n = 0;
    int from = 0;
    for (int r = 0; r < chunk.records.count(); r++) {
      int gap = chunk.records.start(r) - from;
      System.arraycopy(chunk.buffer, from, out, n, gap);
      n += gap;
      from = chunk.records.end(r);
      if (r == record) {
        int length = from - chunk.records.start(r);
        System.arraycopy(chunk.buffer, chunk.records.start(r), out, n, length);
        n += length;
      }
    }
    System.arraycopy(chunk.buffer, from, out, n, size - from);
    return Arrays.copyOf(out, n + size - from);
  }

  private static String complaint(Exception e) {
    String message = String.valueOf(e.getMessage()).lines().findFirst().orElse("");
    return "the row is not well-formed: "
        + message.replaceAll("^ParseError at \\[row,col\\]:\\[\\d+,\\d+\\]\\s*", "");
  }

  /** Reads a document; {@link #current} tells how many rows were read whole. */
  private void read(byte[] bytes, int from, int to, int rows) throws XMLStreamException {
    reader =
        factory.createXMLStreamReader(new ByteArrayInputStream(bytes, from, to - from), "UTF-8");
    holders.clear();
    text.setLength(0);
    textsWanted = 0;
    boolean begun = false;
    try {
      if (validator != null) {
        validator.begin();
      }
      while (reader.hasNext() && current < rows) {
        int event = reader.next();
        if (event == XMLStreamConstants.START_ELEMENT) {
          if (reader.getLocalName().equals(layout.rowName())
              && (rowUri.isEmpty() || rowUri.get().equals(reader.getNamespaceURI()))) {
            begun = true;
            row();
            begun = false;
            current++;
            if (shape.rowCount() == Batch.TARGET_ROWS) {
              give();
            }
          } else {
            holders.add(attributesOf());
            if (validator != null) {
              validator.holder(reader);
            }
          }
        } else if (event == XMLStreamConstants.END_ELEMENT) {
          holders.remove(holders.size() - 1);
          if (validator != null) {
            validator.holderEnds(reader);
          }
        }
      }
    } catch (XMLStreamException | RuntimeException e) {
      if (begun) {
        shape.undo();
      }
      throw e;
    } finally {
      reader.close();
    }
  }

  private Map<String, String> attributesOf() {
    Map<String, String> out = new TreeMap<>();
    for (int i = 0; i < reader.getAttributeCount(); i++) {
      out.put(reader.getAttributeLocalName(i), reader.getAttributeValue(i));
    }
    return out;
  }

  private void row() throws XMLStreamException {
    epoch++;
    int row = shape.rowCount();
    shape.begin();
    rowFailures.clear();
    recordStrays.clear();
    for (int i = 0; i < heldBy.size(); i++) {
      String[] path = heldByPaths.get(i);
      int up = path.length - 1;
      Map<String, String> holder =
          up <= holders.size() ? holders.get(holders.size() - up) : Map.of();
      String value = holder.get(path[up].substring(1));
      if (value != null) {
        put((Slot.Leaf) heldBy.get(i), value);
      }
    }
    if (validator != null) {
      validator.start(reader);
    }
    element(root, 1);
    if (validator != null) {
      rowFailures.addAll(validator.complaints());
    }
    rowRecords[row] = current;
    if (!rowFailures.isEmpty()) {
      shape.undo();
      reject(current, List.copyOf(rowFailures));
    } else if (keepStrays) {
      if (recordStrays.isEmpty()) {
        strayColumn.appendNull();
      } else {
        StringBuilder json = new StringBuilder();
        Json.write(recordStrays, json);
        strayColumn.append(json.toString());
      }
    }
  }

  private void fail(String field, Reason reason, String message) {
    rowFailures.add(new RejectedRecord.Failure(field, reason, message));
  }

  /** Reads the element whose start is at hand, to its end. */
  private void element(XmlMember wanted, int depth) throws XMLStreamException {
    boolean covered = wanted.targets.stream().anyMatch(t -> t.type().isNested());
    for (Slot target : wanted.targets) {
      if (target.type().isNested()) {
        structure(wanted, target, depth);
        return;
      }
    }
    for (int i = 0; i < reader.getAttributeCount(); i++) {
      attribute(wanted, i, covered);
    }
    boolean nil = "true".equals(reader.getAttributeValue(SCHEMA_INSTANCE, "nil"));
    int start = text.length();
    textsWanted += wanted.targets.size();
    while (true) {
      int event = next();
      if (event == XMLStreamConstants.START_ELEMENT) {
        String local = reader.getLocalName();
        XmlMember member = wanted.find(local, reader.getNamespaceURI());
        if (member == null) {
          stray(wanted.path.isEmpty() ? local : wanted.path + "/" + local, depth + 1);
        } else {
          boolean list = member.targets.stream().anyMatch(t -> t.type().kind() == Type.Kind.LIST);
          if (member.seenInRecord == epoch && !list) {
            fail(
                member.path,
                Reason.REPEATED_FIELD,
                "the element [%s] is there twice; declare a list to take them all"
                    .formatted(member.path));
          }
          member.seenInRecord = epoch;
          element(member, depth + 1);
        }
      } else if (event == XMLStreamConstants.END_ELEMENT) {
        break;
      } else {
        takeText(event);
      }
    }
    if (!nil) {
      for (Slot target : wanted.targets) {
        put((Slot.Leaf) target, text.substring(start));
      }
    }
    // An element's text is its own and that of what it holds, if anything above wants it.
    textsWanted -= wanted.targets.size();
    if (textsWanted == 0) {
      text.setLength(start);
    }
  }

  private void attribute(XmlMember wanted, int i, boolean covered) {
    String local = reader.getAttributeLocalName(i);
    String namespace = reader.getAttributeNamespace(i);
    for (XmlMember.Attribute a : wanted.attributes) {
      if (a.local().equals(local) && (a.uri().isEmpty() || a.uri().get().equals(namespace))) {
        put((Slot.Leaf) a.slot(), reader.getAttributeValue(i));
        return;
      }
    }
    if (!covered && !SCHEMA_INSTANCE.equals(namespace)) {
      String path = wanted.path.isEmpty() ? "@" + local : wanted.path + "/@" + local;
      note(path, reader.getAttributeValue(i));
    }
  }

  /** A value with parts: a struct of the element, or one more element of a list. */
  private void structure(XmlMember member, Slot target, int depth) throws XMLStreamException {
    if (target instanceof Slot.Sequence list) {
      list.set();
      nested(list.add(), member.path, depth);
    } else {
      nested(target, member.path, depth);
    }
  }

  /** Reads the element at hand into a slot that has room for it. */
  private void nested(Slot slot, String path, int depth) throws XMLStreamException {
    boolean nil = "true".equals(reader.getAttributeValue(SCHEMA_INSTANCE, "nil"));
    if (slot instanceof Slot.Leaf leaf) {
      int start = text.length();
      skip(depth);
      if (!nil) {
        put(leaf, text.substring(start));
      }
      text.setLength(start);
      return;
    }
    if (slot instanceof Slot.Sequence list) {
      // A list in a struct: the element repeats, and each comes here.
      list.set();
      nested(list.add(), path, depth);
      return;
    }
    Slot.Struct struct = (Slot.Struct) slot;
    if (!nil) {
      struct.set();
    }
    for (int i = 0; i < reader.getAttributeCount(); i++) {
      String local = reader.getAttributeLocalName(i);
      Slot field = struct.field("@" + local);
      field = field == null ? struct.field(local) : field;
      if (field instanceof Slot.Leaf leaf) {
        put(leaf, reader.getAttributeValue(i));
      } else if (!SCHEMA_INSTANCE.equals(reader.getAttributeNamespace(i))) {
        note(path + "/@" + local, reader.getAttributeValue(i));
      }
    }
    int start = text.length();
    while (true) {
      int event = next();
      if (event == XMLStreamConstants.START_ELEMENT) {
        String local = reader.getLocalName();
        Slot field = struct.field(local);
        if (field == null) {
          stray(path + "/" + local, depth + 1);
        } else {
          if (field.isSet() && !(field instanceof Slot.Sequence)) {
            fail(
                path + "/" + local,
                Reason.REPEATED_FIELD,
                "the element [%s/%s] is there twice; declare a list to take them all"
                    .formatted(path, local));
          }
          nested(field, path + "/" + local, depth + 1);
        }
      } else if (event == XMLStreamConstants.END_ELEMENT) {
        break;
      } else {
        takeText(event);
      }
    }
    if (struct.field(OWN_TEXT) instanceof Slot.Leaf own && !nil) {
      put(own, text.substring(start));
    }
    text.setLength(start);
  }

  private int next() throws XMLStreamException {
    int event = reader.next();
    if (validator != null) {
      validator.event(reader, event);
    }
    return event;
  }

  private void takeText(int event) throws XMLStreamException {
    if (event == XMLStreamConstants.CHARACTERS
        || event == XMLStreamConstants.CDATA
        || event == XMLStreamConstants.SPACE) {
      text.append(reader.getTextCharacters(), reader.getTextStart(), reader.getTextLength());
    } else if (event == XMLStreamConstants.ENTITY_REFERENCE) {
      throw new XMLStreamException(
          "the entity [&%s;] is not one of XML's own".formatted(reader.getLocalName()));
    }
  }

  /** Passes over the element at hand, taking its text. */
  private void skip(int depth) throws XMLStreamException {
    int open = 1;
    while (open > 0) {
      int event = next();
      if (event == XMLStreamConstants.START_ELEMENT) {
        if (++open + depth > MAX_DEPTH) {
          throw new XMLStreamException(
              "elements are nested more than %d deep".formatted(MAX_DEPTH));
        }
      } else if (event == XMLStreamConstants.END_ELEMENT) {
        open--;
      } else {
        takeText(event);
      }
    }
  }

  private void stray(String path, int depth) throws XMLStreamException {
    int start = text.length();
    skip(depth);
    note(path, text.substring(start).strip());
    if (textsWanted == 0) {
      text.setLength(start);
    }
  }

  private void note(String path, String value) {
    Stray s = strays.computeIfAbsent(path, p -> new Stray());
    if (s.count++ == 0) {
      s.line = chunk.records.line(current);
      s.example = value.substring(0, Math.min(value.length(), SHOWN_OF_VALUE));
    }
    if (keepStrays) {
      recordStrays.merge(path, value, (a, b) -> a + "\n" + b);
    }
  }

  private void put(Slot.Leaf leaf, String value) {
    // Blanks around a number or date are layout; around a text they are for the rule to say.
    String v = leaf.type().kind() == Type.Kind.VARCHAR ? value : value.strip();
    byte[] utf8 = v.getBytes(StandardCharsets.UTF_8);
    if (textEnd + utf8.length + Chunk.PADDING > texts.length) {
      texts =
          Arrays.copyOf(texts, Math.max(textEnd + utf8.length + Chunk.PADDING, texts.length * 2));
    }
    System.arraycopy(utf8, 0, texts, textEnd, utf8.length);
    leaf.set(textEnd, textEnd + utf8.length);
    textEnd += utf8.length;
  }

  private void give() {
    int rows = shape.rowCount();
    if (rows == 0) {
      return;
    }
    failures.clear();
    List<Column> columns = new ArrayList<>(shape.build(texts, failures));
    if (keepStrays) {
      columns.add(strayColumn.build());
      strayColumn = new TextBuilder();
    }
    output.records(new ParsedRecords(chunk.file, columns, rows, failures, this));
    textEnd = 0;
  }

  private void reject(int record, List<RejectedRecord.Failure> why) {
    output.reject(
        new RejectedRecord(
            chunk.file,
            chunk.records.line(record),
            chunk.records.byteOffset(record),
            chunk.text(chunk.records.start(record), chunk.records.end(record)),
            why));
  }

  @Override
  public long line(int row) {
    return chunk.records.line(rowRecords[row]);
  }

  @Override
  public long record(int row) {
    return chunk.firstRecord + rowRecords[row];
  }

  @Override
  public long byteOffset(int row) {
    return chunk.records.byteOffset(rowRecords[row]);
  }

  @Override
  public String original(int row) {
    int record = rowRecords[row];
    return chunk.text(chunk.records.start(record), chunk.records.end(record));
  }
}
