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
import javax.xml.stream.XMLInputFactory;
import javax.xml.stream.XMLStreamConstants;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamReader;
import org.codehaus.stax2.XMLInputFactory2;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Json;
import yardage.core.column.TextBuilder;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RecordParser;
import yardage.core.format.record.RecordPlaces;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.shape.RecordShape;

/**
 * Reads chunks of row elements into columns. A chunk is read in one go; if one of its rows is not
 * well-formed, the rows are read one by one from there, each as a document of its own.
 */
final class XmlParser implements RecordParser, ParsedRecords.Places {
  private static final int SHOWN_OF_VALUE = 200;

  /** Rows of a chunk that may go the long way before it is asked whether they are too many. */
  private static final int FEW_OTHERS = 64;

  /** Chunks in a row that may have too many of them. */
  private static final int PLAIN_HOPES = 4;

  private final XmlLayout layout;
  private final Optional<String> rowUri;
  private final RowElements rows;
  private final RecordShape shape;
  private final boolean keepStrays;
  private final RowValidator validator;
  private final XMLInputFactory factory = new InputFactoryImpl();
  private final FieldFailures failures = new FieldFailures();
  private final int[] rowRecords = new int[Batch.TARGET_ROWS];
  private final Map<String, Stray> strays = new TreeMap<>();
  private TextBuilder strayColumn = new TextBuilder();
  private final PlainCursor plain = new PlainCursor();
  private final KnownRows known;
  private final Utf8Buffer document = new Utf8Buffer();

  /** The rows before which something stands, such as the tags around them. */
  private final List<Integer> gaps = new ArrayList<>();

  /** How many more chunks are worth the try. */
  private int plainHopes;

  private boolean rowIsValid;

  private Chunk chunk;
  private RecordOutput output;
  private final RowHolders holders = new RowHolders();
  private int current;

  private static final class Stray {
    private long count;
    private long line;
    private String example;
  }

  XmlParser(XmlFormat format) {
    this.layout = format.layout();
    this.rowUri = layout.uri(layout.row());
    this.rows = new RowElements(format);
    this.shape = rows.shape;
    this.keepStrays = format.keepStrays();
    this.validator = layout.xsd().map(XsdSchema::validator).orElse(null);
    factory.setProperty(XMLInputFactory.IS_COALESCING, false);
    factory.setProperty(XMLInputFactory.SUPPORT_DTD, false);
    // Lazy parsing would tell faults where no exception is expected.
    factory.setProperty(XMLInputFactory2.P_LAZY_PARSING, false);
    this.known = layout.xsd().filter(XsdSchema::isLocal).map(xsd -> new KnownRows()).orElse(null);
    boolean names = rowUri.isEmpty() && !rows.asksForNamespaces();
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
    rows.texts.length = 0;
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
    int from = 0;
    int others = 0;
    int first = current;
    while (current < count) {
      int start = chunk.records.start(current);
      if (start > from && !holders.take(chunk.text(from, start))) {
        break;
      }
      from = chunk.records.end(current);
      if (!plainRow(start, from)) {
        if (++others > FEW_OTHERS && others * 8 > current - first) {
          break;
        }
        int row = current;
        readAlone();
        learn(row);
      }
    }
    plainHopes = current < count ? plainHopes - 1 : PLAIN_HOPES;
  }

  private boolean plainRow(int start, int end) {
    try {
      if (known != null) {
        known.recognize(holders.context());
      }
      plain.begin(chunk.buffer, start, end, known);
      rows.read(plain, holders.attributes());
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
      known.learn(holders.context(), validator.types());
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
    RowCursor cursor = new StreamCursor(reader, validator);
    List<Map<String, String>> around = new ArrayList<>();
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
            this.rows.read(cursor, around);
            if (validator != null) {
              rowIsValid = validator.complaints().isEmpty();
              this.rows.failures.addAll(validator.complaints());
            }
            endRow();
          } else {
            around.add(attributesOf(reader));
            if (validator != null) {
              validator.holder(reader);
            }
          }
        } else if (event == XMLStreamConstants.END_ELEMENT) {
          around.remove(around.size() - 1);
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

  /** Keeps the row that was read, or rejects it. */
  private void endRow() {
    Map<String, String> rowStrays = strays();
    if (!rows.failures.isEmpty()) {
      shape.undo();
      reject(current, List.copyOf(rows.failures));
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

  /** Counts the strays of a row that was read, and gives them if rows keep theirs. */
  private Map<String, String> strays() {
    Map<String, String> out = keepStrays ? new LinkedHashMap<>() : Map.of();
    for (int i = 0; i < rows.strays.size(); i += 2) {
      String value = rows.strays.get(i + 1);
      Stray s = strays.computeIfAbsent(rows.strays.get(i), p -> new Stray());
      if (s.count++ == 0) {
        s.line = chunk.records.line(current);
        s.example = value.substring(0, Math.min(value.length(), SHOWN_OF_VALUE));
      }
      if (keepStrays) {
        out.merge(rows.strays.get(i), value, (a, b) -> a + "\n" + b);
      }
    }
    return out;
  }

  private void give() {
    int count = shape.rowCount();
    if (count == 0) {
      return;
    }
    failures.clear();
    List<Column> columns = new ArrayList<>(shape.build(rows.texts.bytes, failures));
    if (keepStrays) {
      columns.add(strayColumn.build());
      strayColumn = new TextBuilder();
    }
    output.records(new ParsedRecords(columns, count, failures, this));
    rows.texts.length = 0;
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
