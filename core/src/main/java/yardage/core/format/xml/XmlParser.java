package yardage.core.format.xml;

import com.fasterxml.aalto.UncheckedStreamException;
import com.fasterxml.aalto.stax.InputFactoryImpl;
import java.io.ByteArrayInputStream;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
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
import yardage.core.format.record.RecordPlaces;
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

  /** Rows of a chunk that may go the long way before it is asked whether they are too many. */
  private static final int FEW_OTHERS = 64;

  /** Chunks in a row that may have too many of them. */
  private static final int PLAIN_HOPES = 4;

  private static final String ATTRIBUTE_TEXT =
      "\\s{1,64}(?:[A-Za-z_][\\w.-]{0,99}:)?([A-Za-z_][\\w.-]{0,99})\\s{0,9}=\\s{0,9}(?:\"([^\"<&\\s]*+(?: [^\"<&\\s]*+)*+)\"|'([^'<&\\s]*+(?: [^'<&\\s]*+)*+)')";

  /** A tag around rows, without references in its attributes; anything else goes the long way. */
  private static final Pattern TAG =
      Pattern.compile(
          "<(?:/[\\w.:-]{1,200}\\s{0,9}|[A-Za-z_][\\w.:-]{0,199}(?<attributes>(?:"
              + ATTRIBUTE_TEXT.replaceAll("\\(\\[", "(?:[")
              + "){0,50})\\s{0,9})>");

  private static final Pattern PREFIX =
      Pattern.compile("[<\\s]((?!xmlns:|xml:)[A-Za-z_][\\w.-]*):[\\w.-]+[\\s=>]");

  private static final Pattern ATTRIBUTE = Pattern.compile(ATTRIBUTE_TEXT);

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
  private TextBuilder strayColumn = new TextBuilder();
  private final List<RejectedRecord.Failure> rowFailures = new ArrayList<>();
  private final Utf8Buffer text = new Utf8Buffer();
  private final Utf8Buffer value = new Utf8Buffer();
  private final PlainCursor plain = new PlainCursor();
  private final KnownRows known;
  private final Utf8Buffer document = new Utf8Buffer();

  /** The rows before which something stands, such as the tags around them. */
  private final List<Integer> gaps = new ArrayList<>();

  /** How many more chunks are worth the try. */
  private int plainHopes;

  private boolean rowIsValid;
  private final List<String> path = new ArrayList<>();
  private final List<String> rowStrays = new ArrayList<>();

  private Chunk chunk;
  private RecordOutput output;
  private RowCursor cursor;
  private final Utf8Buffer texts = new Utf8Buffer();
  private long epoch;
  private int current;

  /** How many open elements give their text to a column. */
  private int textsWanted;

  /** Attributes of the elements that are open around the row, outermost first. */
  private final List<Map<String, String>> holders = new ArrayList<>();

  private final List<String> holderTags = new ArrayList<>();
  private String context = "";

  private static final class Stray {
    private long count;
    private long line;
    private String example;
  }

  XmlParser(XmlFormat format) {
    this.layout = format.layout();
    this.rowUri = layout.uri(layout.row());
    this.shape = new RecordShape(format.rules(), format.paths());
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
    this.known = layout.xsd().filter(XsdSchema::isLocal).map(xsd -> new KnownRows()).orElse(null);
    boolean names = rowUri.isEmpty() && !root.asksForNamespaces();
    this.plainHopes = names && (validator == null || known != null) ? PLAIN_HOPES : 0;
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
    texts.length = 0;
    current = 0;
    gaps.clear();
    try {
      if (plainHopes > 0) {
        plainRows();
      }
      if (current < chunk.records.count()) {
        read(document(current, chunk.records.count()), chunk.records.count());
      }
    } catch (XMLStreamException | UncheckedStreamException e) {
      while (current < chunk.records.count()) {
        readAlone();
      }
    }
    give();
    strays.forEach((name, s) -> output.stray(name, s.count, s.line, s.example));
  }

  /**
   * Reads rows as long as they are mostly plain; the others among them go the long way one by one.
   */
  private void plainRows() {
    int count = chunk.records.count();
    holders.clear();
    holderTags.clear();
    context = "";
    int from = 0;
    int others = 0;
    int first = current;
    while (current < count) {
      int start = chunk.records.start(current);
      if (start > from && !holders(from, start)) {
        break;
      }
      from = chunk.records.end(current);
      if (!plainRow(start, from)) {
        if (++others > FEW_OTHERS && others * 8 > current - first) {
          break;
        }
        List<Map<String, String>> around = List.copyOf(holders);
        int row = current;
        readAlone();
        holders.clear();
        holders.addAll(around);
        learn(row);
      }
    }
    plainHopes = current < count ? plainHopes - 1 : PLAIN_HOPES;
  }

  private boolean plainRow(int start, int end) {
    try {
      if (known != null) {
        known.recognize(context);
      }
      plain.begin(chunk.buffer, start, end, known);
      cursor = plain;
      row();
    } catch (XMLStreamException e) {
      return false;
    }
    try {
      plain.finish();
      if (known != null) {
        known.finish();
      }
    } catch (PlainCursor.NotPlain e) {
      shape.undo();
      return false;
    }
    endRow();
    return true;
  }

  /** Rows that are built as this one need no validator from now on, if it has no fault. */
  private void learn(int row) {
    if (known == null || !rowIsValid) {
      return;
    }
    try {
      known.learn(context, validator.types());
      plain.begin(chunk.buffer, chunk.records.start(row), chunk.records.end(row), known);
      for (int open = 1; open > 0; ) {
        RowCursor.Part part = plain.next();
        open += part == RowCursor.Part.START ? 1 : part == RowCursor.Part.END ? -1 : 0;
      }
      plain.finish();
      known.finish();
    } catch (PlainCursor.NotPlain e) {
      // Then each row like it goes to the validator.
    }
  }

  /** Takes the tags between rows; false when they are not plain enough. */
  private boolean holders(int from, int to) {
    Matcher tag = TAG.matcher(chunk.text(from, to));
    int at = 0;
    while (tag.find(at) && tag.start() == at) {
      if (tag.group("attributes") == null) {
        if (holders.isEmpty()) {
          return false;
        }
        holders.remove(holders.size() - 1);
        holderTags.remove(holderTags.size() - 1);
      } else {
        Map<String, String> attributes = new TreeMap<>();
        Matcher a = ATTRIBUTE.matcher(tag.group("attributes"));
        while (a.find()) {
          if (!a.group().strip().startsWith("xmlns")
              && attributes.put(a.group(1), a.group(2) != null ? a.group(2) : a.group(3)) != null) {
            return false;
          }
        }
        holders.add(attributes);
        holderTags.add(tag.group());
        if (!prefixesAreDeclared(tag.group())) {
          return false;
        }
      }
      at = tag.end();
      if (at == to - from) {
        context = String.join("", holderTags);
        return true;
      }
    }
    return false;
  }

  private boolean prefixesAreDeclared(String tag) {
    Matcher prefix = PREFIX.matcher(tag);
    while (prefix.find()) {
      String declaration = "xmlns:" + prefix.group(1) + "=";
      if (holderTags.stream().noneMatch(t -> t.contains(declaration))) {
        return false;
      }
    }
    return true;
  }

  /** Reads the row at hand by itself, so that it is told from the others if it is broken. */
  private void readAlone() {
    int record = current;
    rowIsValid = false;
    try {
      read(document(record, record + 1), record + 1);
      if (current == record) {
        // The parser saw no row where the tags have one, such as a name in another namespace.
        current++;
      }
    } catch (XMLStreamException | UncheckedStreamException e) {
      current = record + 1;
      reject(record, List.of(new RejectedRecord.Failure("", Reason.NOT_XML, complaint(e))));
    }
  }

  /** A document of some rows: what stands around them in the chunk, without the other rows. */
  private Utf8Buffer document(int first, int behind) {
    RecordPlaces rows = chunk.records;
    if (gaps.isEmpty()) {
      for (int r = 0; r < rows.count(); r++) {
        if (rows.start(r) > (r == 0 ? 0 : rows.end(r - 1))) {
          gaps.add(r);
        }
      }
      gaps.add(rows.count());
    }
    document.length = 0;
    boolean added = false;
    for (int gap : gaps) {
      if (!added && gap > first) {
        // Between these rows there are gaps, too, if they are several.
        document.append(chunk.buffer, rows.start(first), rows.end(behind - 1));
        added = true;
      }
      if (gap <= first || gap >= behind) {
        int from = gap == 0 ? 0 : rows.end(gap - 1);
        document.append(chunk.buffer, from, gap == rows.count() ? chunk.end : rows.start(gap));
      }
    }
    return document;
  }

  private static String complaint(Exception e) {
    String message = String.valueOf(e.getMessage()).lines().findFirst().orElse("");
    return "the row is not well-formed: "
        + message.replaceAll("^ParseError at \\[row,col\\]:\\[\\d+,\\d+\\]\\s*", "");
  }

  /** Reads a document; {@link #current} tells how many rows were read whole. */
  private void read(Utf8Buffer document, int rows) throws XMLStreamException {
    XMLStreamReader reader =
        factory.createXMLStreamReader(
            new ByteArrayInputStream(document.bytes, 0, document.length), "UTF-8");
    cursor = new StreamCursor(reader, validator);
    holders.clear();
    try {
      if (validator != null) {
        validator.begin();
      }
      while (reader.hasNext() && current < rows) {
        int event = reader.next();
        if (event == XMLStreamConstants.START_ELEMENT) {
          if (reader.getLocalName().equals(layout.rowName())
              && (rowUri.isEmpty() || rowUri.get().equals(reader.getNamespaceURI()))) {
            if (validator != null) {
              validator.start(reader);
            }
            row();
            if (validator != null) {
              rowIsValid = validator.complaints().isEmpty();
              rowFailures.addAll(validator.complaints());
            }
            endRow();
          } else {
            holders.add(attributesOf(reader));
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
    } finally {
      reader.close();
    }
  }

  private static Map<String, String> attributesOf(XMLStreamReader reader) {
    Map<String, String> out = new TreeMap<>();
    for (int i = 0; i < reader.getAttributeCount(); i++) {
      out.put(reader.getAttributeLocalName(i), reader.getAttributeValue(i));
    }
    return out;
  }

  /** Reads the row whose start is at hand; {@link #rowFailures} are what is wrong with it. */
  private void row() throws XMLStreamException {
    epoch++;
    shape.begin();
    try {
      rowFailures.clear();
      rowStrays.clear();
      text.length = 0;
      textsWanted = 0;
      for (int i = 0; i < heldBy.size(); i++) {
        String[] path = heldByPaths.get(i);
        int up = path.length - 1;
        Map<String, String> holder =
            up <= holders.size() ? holders.get(holders.size() - up) : Map.of();
        String held = holder.get(path[up].substring(1));
        if (held != null) {
          int at = texts.length;
          texts.append(held.toCharArray(), 0, held.length());
          set((Slot.Leaf) heldBy.get(i), at);
        }
      }
      element(root, 1);
    } catch (XMLStreamException | RuntimeException e) {
      shape.undo();
      throw e;
    }
  }

  /** Keeps the row that was read, or rejects it. */
  private void endRow() {
    Map<String, String> rowStrays = strays();
    if (!rowFailures.isEmpty()) {
      shape.undo();
      reject(current, List.copyOf(rowFailures));
    } else {
      rowRecords[shape.rowCount() - 1] = current;
      if (keepStrays && rowStrays.isEmpty()) {
        strayColumn.appendNull();
      } else if (keepStrays) {
        StringBuilder json = new StringBuilder();
        Json.write(rowStrays, json);
        strayColumn.append(json.toString());
      }
    }
    current++;
    if (shape.rowCount() == Batch.TARGET_ROWS) {
      give();
    }
  }

  private void fail(String field, Reason reason, String message) {
    rowFailures.add(new RejectedRecord.Failure(field, reason, message));
  }

  /** Reads the element whose start is at hand, to its end. */
  private void element(XmlMember wanted, int depth) throws XMLStreamException {
    if (wanted.nested != null) {
      path.clear();
      structure(wanted, wanted.nested, depth);
      return;
    }
    boolean nil = false;
    for (int i = 0; i < cursor.attributeCount(); i++) {
      nil |= isNil(i);
      attribute(wanted, i);
    }
    int wants = wanted.targets.size();
    // Text that nothing else wants goes to its place at once.
    boolean direct = wants == 1 && textsWanted == 0;
    int start = direct ? texts.length : text.length;
    textsWanted += wants;
    while (true) {
      RowCursor.Part part = cursor.next();
      if (part == RowCursor.Part.START) {
        if (direct) {
          start = toText(start);
          direct = false;
        }
        member(wanted, depth + 1);
      } else if (part == RowCursor.Part.END) {
        break;
      } else if (part == RowCursor.Part.TEXT && textsWanted > 0) {
        cursor.text(direct ? texts : text);
      }
    }
    for (int i = 0; i < wants && !nil; i++) {
      Slot.Leaf leaf = (Slot.Leaf) wanted.targets.get(i);
      if (direct) {
        set(leaf, start);
      } else {
        put(leaf, start);
      }
    }
    // An element's text is its own and that of what it holds, if anything above wants it.
    textsWanted -= wants;
    if (textsWanted == 0 && !direct) {
      text.length = start;
    }
  }

  /** Moves what {@link #texts} holds from a place on, since more is to come, and gives where to. */
  private int toText(int from) {
    int start = text.length;
    text.append(texts.bytes, from, texts.length);
    texts.length = from;
    return start;
  }

  /** Reads an element inside another, which the contract may want. */
  private void member(XmlMember holder, int depth) throws XMLStreamException {
    String local = cursor.name();
    XmlMember member = holder.find(local, cursor.namespace());
    if (member == null) {
      stray(holder.path.isEmpty() ? local : holder.path + "/" + local, depth);
      return;
    }
    if (member.seenInRecord == epoch && !member.repeats) {
      fail(
          member.path,
          Reason.REPEATED_FIELD,
          "the element [%s] is there twice; declare a list to take them all"
              .formatted(member.path));
    }
    member.seenInRecord = epoch;
    element(member, depth);
  }

  private boolean isNil(int attribute) {
    return SCHEMA_INSTANCE.equals(cursor.attributeNamespace(attribute))
        && "nil".equals(cursor.attributeName(attribute))
        && "true".equals(attributeText(attribute));
  }

  private String attributeText(int i) {
    value.length = 0;
    cursor.attributeValue(i, value);
    return value.text(0);
  }

  private void putAttribute(Slot.Leaf leaf, int i) {
    int at = texts.length;
    cursor.attributeValue(i, texts);
    set(leaf, at);
  }

  private void attribute(XmlMember wanted, int i) {
    String local = cursor.attributeName(i);
    for (int a = 0; a < wanted.attributes.size(); a++) {
      XmlMember.Attribute want = wanted.attributes.get(a);
      if (want.local().equals(local)
          && (want.uri().isEmpty() || want.uri().get().equals(cursor.attributeNamespace(i)))) {
        putAttribute((Slot.Leaf) want.slot(), i);
        return;
      }
    }
    if (!SCHEMA_INSTANCE.equals(cursor.attributeNamespace(i))) {
      note(wanted.path.isEmpty() ? "@" + local : wanted.path + "/@" + local, attributeText(i));
    }
  }

  /** A value with parts: a struct of the element, or one more element of a list. */
  private void structure(XmlMember member, Slot target, int depth) throws XMLStreamException {
    path.add(member.path);
    if (target instanceof Slot.Sequence list) {
      list.set();
      nested(list.add(), depth);
    } else {
      nested(target, depth);
    }
  }

  /**
   * Reads the element at hand, whose name {@link #path} ends with, into a slot with room for it.
   */
  private void nested(Slot slot, int depth) throws XMLStreamException {
    if (slot instanceof Slot.Sequence list) {
      // A list in a struct: the element repeats, and each comes here.
      list.set();
      nested(list.add(), depth);
      return;
    }
    boolean nil = false;
    for (int i = 0; i < cursor.attributeCount(); i++) {
      nil |= isNil(i);
    }
    if (slot instanceof Slot.Leaf leaf) {
      int start = texts.length;
      skip(depth, texts);
      if (!nil) {
        set(leaf, start);
      }
      return;
    }
    Slot.Struct struct = (Slot.Struct) slot;
    if (!nil) {
      struct.set();
    }
    for (int i = 0; i < cursor.attributeCount(); i++) {
      String local = cursor.attributeName(i);
      Slot field = struct.attribute(local);
      if (field instanceof Slot.Leaf leaf) {
        putAttribute(leaf, i);
      } else if (!SCHEMA_INSTANCE.equals(cursor.attributeNamespace(i))) {
        note(pathTo("@" + local), attributeText(i));
      }
    }
    Slot own = struct.ownText();
    boolean direct = own != null;
    int start = direct ? texts.length : text.length;
    while (true) {
      RowCursor.Part part = cursor.next();
      if (part == RowCursor.Part.START) {
        if (direct) {
          start = toText(start);
          direct = false;
        }
        part(struct, depth + 1);
      } else if (part == RowCursor.Part.END) {
        break;
      } else if (part == RowCursor.Part.TEXT && own != null) {
        cursor.text(direct ? texts : text);
      }
    }
    if (own instanceof Slot.Leaf leaf && !nil) {
      if (direct) {
        set(leaf, start);
      } else {
        put(leaf, start);
      }
    }
    if (!direct) {
      text.length = start;
    }
  }

  /** Reads an element inside one that is a struct. */
  private void part(Slot.Struct struct, int depth) throws XMLStreamException {
    String local = cursor.name();
    Slot field = struct.field(local);
    if (field == null) {
      stray(pathTo(local), depth);
      return;
    }
    if (field.isSet() && !(field instanceof Slot.Sequence)) {
      String twice = pathTo(local);
      fail(
          twice,
          Reason.REPEATED_FIELD,
          "the element [%s] is there twice; declare a list to take them all".formatted(twice));
    }
    path.add(local);
    nested(field, depth);
    path.remove(path.size() - 1);
  }

  private String pathTo(String name) {
    return String.join("/", path) + "/" + name;
  }

  /** Passes over the element at hand, taking its text. */
  private void skip(int depth, Utf8Buffer into) throws XMLStreamException {
    int open = 1;
    while (open > 0) {
      RowCursor.Part part = cursor.next();
      if (part == RowCursor.Part.START) {
        if (++open + depth > MAX_DEPTH) {
          throw new XMLStreamException(
              "elements are nested more than %d deep".formatted(MAX_DEPTH));
        }
      } else if (part == RowCursor.Part.END) {
        open--;
      } else if (part == RowCursor.Part.TEXT) {
        cursor.text(into);
      }
    }
  }

  private void stray(String path, int depth) throws XMLStreamException {
    int start = text.length;
    skip(depth, text);
    note(path, text.text(start).strip());
    if (textsWanted == 0) {
      text.length = start;
    }
  }

  /** Notes a part that no column takes; it counts once the row is read. */
  private void note(String path, String value) {
    rowStrays.add(path);
    rowStrays.add(value);
  }

  /** Counts the strays of a row that was read, and gives them if rows keep theirs. */
  private Map<String, String> strays() {
    Map<String, String> out = keepStrays ? new LinkedHashMap<>() : Map.of();
    for (int i = 0; i < rowStrays.size(); i += 2) {
      String value = rowStrays.get(i + 1);
      Stray s = strays.computeIfAbsent(rowStrays.get(i), p -> new Stray());
      if (s.count++ == 0) {
        s.line = chunk.records.line(current);
        s.example = value.substring(0, Math.min(value.length(), SHOWN_OF_VALUE));
      }
      if (keepStrays) {
        out.merge(rowStrays.get(i), value, (a, b) -> a + "\n" + b);
      }
    }
    return out;
  }

  /** Gives a column what {@link #text} holds from {@code from} on. */
  private void put(Slot.Leaf leaf, int from) {
    int at = texts.length;
    texts.append(text.bytes, from, text.length);
    set(leaf, at);
  }

  /** Gives a column what {@link #texts} holds from {@code from} on. */
  private void set(Slot.Leaf leaf, int from) {
    byte[] b = texts.bytes;
    int start = from;
    int end = texts.length;
    // Blanks around a number or date are layout; around a text they are for the rule to say.
    if (leaf.type().kind() != Type.Kind.VARCHAR) {
      while (start < end && b[start] >= 0 && b[start] <= ' ') {
        start++;
      }
      while (end > start && b[end - 1] >= 0 && b[end - 1] <= ' ') {
        end--;
      }
    }
    leaf.set(start, end);
  }

  private void give() {
    int rows = shape.rowCount();
    if (rows == 0) {
      return;
    }
    failures.clear();
    List<Column> columns = new ArrayList<>(shape.build(texts.bytes, failures));
    if (keepStrays) {
      columns.add(strayColumn.build());
      strayColumn = new TextBuilder();
    }
    output.records(new ParsedRecords(columns, rows, failures, this));
    texts.length = 0;
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
  public String file(int row) {
    return chunk.file;
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
