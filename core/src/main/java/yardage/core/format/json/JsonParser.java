package yardage.core.format.json;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RecordParser;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.record.Swar;
import yardage.core.format.shape.PartNames;
import yardage.core.format.shape.RecordShape;
import yardage.core.format.shape.Slot;

/**
 * Reads chunks of JSON values into columns. Texts without escapes stay where they are; the others
 * are decoded behind the chunk's end, so that all spans lie in one buffer. Recursion goes only as
 * deep as the contract's types.
 */
final class JsonParser implements RecordParser, ParsedRecords.Places {
  private static final int SHOWN_OF_VALUE = 200;

  private final RecordShape shape;
  private final Member root = new Member("", "");
  private final boolean keepStrays;
  private final boolean lines;
  private final FieldFailures failures = new FieldFailures();
  private final int[] starts = new int[Batch.TARGET_ROWS];
  private final int[] ends = new int[Batch.TARGET_ROWS];
  private final long[] rowLines = new long[Batch.TARGET_ROWS];
  private final Map<String, Stray> strays = new TreeMap<>();
  private final StringBuilder strayJson = new StringBuilder();
  private TextBuilder strayColumn = new TextBuilder();

  private Chunk chunk;
  private RecordOutput output;
  private final JsonText text = new JsonText(new byte[Chunk.PADDING], 0);
  private int decodedEnd;
  private long recordNumber;

  /** Tells records apart for the members that were seen in them. */
  private long epoch;

  private long firstOfBatch;
  private boolean strayInside;

  private static final class Stray {
    private long count;
    private long line;
    private String example;
  }

  JsonParser(JsonFormat format) {
    this.shape = new RecordShape(format.rules(), format.paths());
    this.keepStrays = format.keepStrays();
    this.lines = format.layout().kind() == JsonLayout.Kind.LINES;
    for (int i = 0; i < format.rules().size(); i++) {
      root.add(format.paths().get(i), shape.slot(i));
    }
  }

  @Override
  public void parse(Chunk chunk, RecordOutput output) {
    this.chunk = chunk;
    this.output = output;
    if (chunk.defect != null) {
      reject(chunk.start, chunk.end, chunk.line, chunk.defect);
      return;
    }
    text.turnTo(chunk.buffer, chunk.end);
    decodedEnd = chunk.end + Chunk.PADDING;
    recordNumber = chunk.firstRecord;
    firstOfBatch = recordNumber;
    strays.clear();
    int at = chunk.start;
    long line = chunk.line;
    while (true) {
      int next = at;
      while (next < chunk.end && isBetween(chunk.buffer[next])) {
        line += chunk.buffer[next] == '\n' ? 1 : 0;
        next++;
      }
      if (next >= chunk.end) {
        break;
      }
      at = record(next, line);
      line += lines ? 0 : Swar.count(chunk.buffer, next, at, '\n');
      if (shape.rowCount() == Batch.TARGET_ROWS) {
        give();
      }
    }
    give();
    strays.forEach((name, s) -> output.stray(name, s.count, s.line, s.example));
  }

  /** Blanks, line ends, and the commas that an array's elements leave between them. */
  private boolean isBetween(byte c) {
    return c == ' ' || c == '\n' || c == '\r' || c == '\t' || (c == ',' && !lines);
  }

  private void give() {
    int rows = shape.rowCount();
    if (rows == 0) {
      return;
    }
    failures.clear();
    List<Column> columns = new java.util.ArrayList<>(shape.build(chunk.buffer, failures));
    if (keepStrays) {
      columns.add(strayColumn.build());
      strayColumn = new TextBuilder();
    }
    output.records(new ParsedRecords(columns, rows, failures, this));
    decodedEnd = chunk.end + Chunk.PADDING;
    firstOfBatch = recordNumber;
  }

  /**
   * Reads the record at {@code at}, in its line alone where records are lines; gives where the next
   * may start.
   */
  private int record(int at, long line) {
    int row = shape.rowCount();
    epoch++;
    shape.begin();
    strayJson.setLength(0);
    int stop = lines ? Swar.indexOf(chunk.buffer, at, chunk.end, '\n') : chunk.end;
    text.limit = stop;
    try {
      if (chunk.buffer[at] != '{') {
        int end = text.valueEnd(at);
        throw new JsonText.Malformed(at, "the record is not an object: " + shown(at, end), false);
      }
      int end = object(root, at, line, false);
      if (lines) {
        int rest = text.blanks(end);
        if (rest < stop) {
          throw text.malformed(rest, "the line must end");
        }
      }
      starts[row] = at;
      ends[row] = end;
      rowLines[row] = line;
      recordNumber++;
      if (keepStrays) {
        if (strayJson.length() == 0) {
          strayColumn.appendNull();
        } else {
          strayColumn.append(strayJson.append('}').toString());
        }
      }
      return lines ? stop : end;
    } catch (JsonText.Malformed e) {
      shape.undo();
      // Rows are given in order: what stands before the bad one goes first.
      int end = lines ? stop : recover(at);
      recordNumber++;
      reject(
          at,
          end,
          line,
          new RejectedRecord.Failure(
              "",
              e.tooDeep ? Reason.TOO_DEEP : Reason.NOT_JSON,
              "at character %,d: %s".formatted(e.at - at + 1, e.getMessage())));
      return end;
    }
  }

  /**
   * The end of a broken value, as its brackets have it; the chunker has found it in the same way.
   */
  private int recover(int at) {
    JsonNesting nesting = new JsonNesting();
    int i = at;
    while (i < chunk.end && !nesting.ended()) {
      nesting.next(chunk.buffer[i++]);
    }
    return nesting.endedBefore() ? i - 1 : i;
  }

  private void reject(int start, int end, long line, RejectedRecord.Failure failure) {
    output.reject(
        new RejectedRecord(
            chunk.file, line, chunk.byteOffset + start, trimmed(start, end), List.of(failure)));
  }

  private String trimmed(int start, int end) {
    return chunk.text(start, end).stripTrailing();
  }

  private String shown(int start, int end) {
    return chunk.text(start, Math.min(end, start + SHOWN_OF_VALUE));
  }

  private int object(Member wanted, int at, long line, boolean covered) {
    int i = text.blanks(at + 1);
    if (i < text.limit && text.b[i] == '}') {
      return i + 1;
    }
    while (true) {
      int nameStart = i;
      i = text.nameEnd(i);
      int place = place(wanted.names(), nameStart);
      int valueStart = i;
      strayInside = false;
      if (place < 0) {
        i = text.valueEnd(i);
        stray(wanted, nameStart, valueStart, i, line, !covered);
        if (wanted != root && !covered) {
          strayInside = true;
        }
      } else {
        Member member = wanted.members.get(place);
        if (member.seenInRecord == epoch) {
          throw new JsonText.Malformed(
              nameStart, "the member [%s] is there twice".formatted(member.path), false);
        }
        member.seenInRecord = epoch;
        i = value(member, i, line, covered);
        if (strayInside && wanted == root) {
          stray(wanted, nameStart, valueStart, i, line, false);
        }
      }
      i = text.blanks(i);
      byte c = i < text.limit ? text.b[i] : 0;
      if (c == '}') {
        return i + 1;
      }
      if (c != ',') {
        throw text.malformed(i, "[,] or [}] must stand");
      }
      i = text.blanks(i + 1);
    }
  }

  /**
   * The place among names of the one that starts at {@code nameStart} and was passed last, or -1.
   */
  private int place(PartNames names, int nameStart) {
    if (!text.nameEscaped) {
      return names.find(text.b, nameStart + 1, text.nameStop);
    }
    byte[] name = text.string(nameStart + 1, text.nameStop).getBytes(StandardCharsets.UTF_8);
    return names.find(Arrays.copyOf(name, name.length + Chunk.PADDING), 0, name.length);
  }

  /**
   * Notes a member that no column takes; keeps it with the strays of its record if it stands at the
   * top.
   */
  private void stray(
      Member holder, int nameStart, int valueStart, int valueEnd, long line, boolean count) {
    int nameEnd = text.stringEnd(nameStart);
    if (count) {
      String name = text.string(nameStart + 1, nameEnd - 1);
      String path = holder.path.isEmpty() ? name : holder.path + "." + name;
      note(path, valueStart, valueEnd, line);
    }
    if (keepStrays && holder == root) {
      strayJson
          .append(strayJson.length() == 0 ? '{' : ',')
          .append(chunk.text(nameStart, nameEnd))
          .append(':')
          .append(chunk.text(valueStart, valueEnd));
    }
  }

  private void note(String path, int valueStart, int valueEnd, long line) {
    Stray s = strays.computeIfAbsent(path, p -> new Stray());
    if (s.count++ == 0) {
      s.line = line;
      s.example = shown(valueStart, valueEnd);
    }
  }

  /**
   * @param coveredAbove whether a column takes all of what this value stands in, so that nothing in
   *     it is a stray
   */
  private int value(Member member, int at, long line, boolean coveredAbove) {
    boolean covered = coveredAbove || !member.targets.isEmpty();
    byte c = at < text.limit ? text.b[at] : 0;
    int end;
    if (c == '{' && !member.members.isEmpty()) {
      end = object(member, at, line, covered);
    } else if (c == '[' && member.wantsElements()) {
      end = elements(member, at, line, covered);
    } else if (member.targets.size() == 1) {
      return put(member.targets.get(0), at, line);
    } else {
      end = text.valueEnd(at);
    }
    for (Slot target : member.targets) {
      put(target, at, line);
    }
    return end;
  }

  private int elements(Member member, int at, long line, boolean covered) {
    int i = text.blanks(at + 1);
    if (i < text.limit && text.b[i] == ']') {
      return i + 1;
    }
    for (int place = 0; ; place++) {
      Member element = member.elementAt(place);
      i = text.blanks(element == null ? text.valueEnd(i) : value(element, i, line, covered));
      byte c = i < text.limit ? text.b[i] : 0;
      if (c == ']') {
        return i + 1;
      }
      if (c != ',') {
        throw text.malformed(i, "[,] or []] must stand");
      }
      i = text.blanks(i + 1);
    }
  }

  /** Puts the value at {@code at} into a slot that has room for it; gives where it ends. */
  private int put(Slot slot, int at, long line) {
    if (at < text.limit && text.b[at] == 'n') {
      return text.scalarEnd(at);
    }
    if (slot instanceof Slot.Leaf leaf) {
      return putLeaf(leaf, at);
    }
    boolean wantsObject = slot.type().kind() != Type.Kind.LIST;
    if (at >= text.limit || text.b[at] != (wantsObject ? '{' : '[')) {
      int end = text.valueEnd(at);
      throw new JsonText.Malformed(
          at,
          "[%s] is not a valid %s, as [%s] must be"
              .formatted(shown(at, end), slot.type(), slot.path()),
          false);
    }
    if (slot instanceof Slot.Struct struct) {
      struct.set();
      return putStruct(struct, at, line);
    }
    Slot.Sequence sequence = (Slot.Sequence) slot;
    sequence.set();
    return wantsObject ? putMap(sequence, at, line) : putList(sequence, at, line);
  }

  private int putLeaf(Slot.Leaf leaf, int at) {
    byte c = at < text.limit ? text.b[at] : 0;
    if (c == '{' || c == '[') {
      int end = text.valueEnd(at);
      leaf.set(at, end);
      return end;
    }
    int end = text.scalarEnd(at);
    if (c == '"') {
      putString(leaf, at + 1, end - 1, text.escaped);
    } else if ((c == '-' || c >= '0' && c <= '9') && wantsPlain(leaf.type())) {
      byte[] plain = JsonText.plainNumber(chunk.text(at, end)).getBytes(StandardCharsets.US_ASCII);
      int start = room(plain.length);
      System.arraycopy(plain, 0, chunk.buffer, start, plain.length);
      decodedEnd = start + plain.length;
      leaf.set(start, decodedEnd);
    } else {
      leaf.set(at, end);
    }
    return end;
  }

  /** Whether the number that was passed last is written in a way that its column does not read. */
  private boolean wantsPlain(Type type) {
    return (text.exponent || text.point && type.kind() != Type.Kind.DECIMAL)
        && type.isNumeric()
        && !type.isApproximate();
  }

  private void putString(Slot.Leaf leaf, int start, int end, boolean escaped) {
    if (!escaped) {
      leaf.set(start, end);
      return;
    }
    int to = room(end - start);
    decodedEnd = to + text.decode(start, end, chunk.buffer, to);
    leaf.set(to, decodedEnd);
  }

  /** Makes room behind the chunk; the buffer may be another one then, with the same contents. */
  private int room(int bytes) {
    int needed = Math.addExact(decodedEnd, bytes + Chunk.PADDING);
    if (needed > chunk.buffer.length) {
      long grown = Math.max((long) needed, chunk.buffer.length * 3L / 2);
      int length = (int) Math.min(Integer.MAX_VALUE - 64, grown);
      chunk.reserve.accept(length);
      chunk.buffer = Arrays.copyOf(chunk.buffer, length);
      text.b = chunk.buffer;
    }
    return decodedEnd;
  }

  private int putStruct(Slot.Struct struct, int at, long line) {
    int i = text.blanks(at + 1);
    if (i < text.limit && text.b[i] == '}') {
      return i + 1;
    }
    while (true) {
      int nameStart = i;
      i = text.nameEnd(i);
      int place = place(struct.names(), nameStart);
      if (place < 0) {
        String name = text.string(nameStart + 1, text.nameStop);
        int valueStart = i;
        i = text.valueEnd(i);
        note(struct.path() + "." + name, valueStart, i, line);
        strayInside = true;
      } else {
        Slot field = struct.fields().get(place);
        if (field.isSet()) {
          throw new JsonText.Malformed(
              nameStart, "the member [%s] is there twice".formatted(field.path()), false);
        }
        i = put(field, i, line);
      }
      i = text.blanks(i);
      byte c = i < text.limit ? text.b[i] : 0;
      if (c == '}') {
        return i + 1;
      }
      if (c != ',') {
        throw text.malformed(i, "[,] or [}] must stand");
      }
      i = text.blanks(i + 1);
    }
  }

  private int putList(Slot.Sequence list, int at, long line) {
    int i = text.blanks(at + 1);
    if (i < text.limit && text.b[i] == ']') {
      return i + 1;
    }
    while (true) {
      i = text.blanks(put(list.add(), i, line));
      byte c = i < text.limit ? text.b[i] : 0;
      if (c == ']') {
        return i + 1;
      }
      if (c != ',') {
        throw text.malformed(i, "[,] or []] must stand");
      }
      i = text.blanks(i + 1);
    }
  }

  private int putMap(Slot.Sequence map, int at, long line) {
    int i = text.blanks(at + 1);
    if (i < text.limit && text.b[i] == '}') {
      return i + 1;
    }
    while (true) {
      int nameStart = i;
      i = text.nameEnd(i);
      Slot.Struct entry = (Slot.Struct) map.add();
      entry.set();
      putString((Slot.Leaf) entry.fields().get(0), nameStart + 1, text.nameStop, text.nameEscaped);
      i = text.blanks(put(entry.fields().get(1), i, line));
      byte c = i < text.limit ? text.b[i] : 0;
      if (c == '}') {
        return i + 1;
      }
      if (c != ',') {
        throw text.malformed(i, "[,] or [}] must stand");
      }
      i = text.blanks(i + 1);
    }
  }

  @Override
  public String file(int row) {
    return chunk.file;
  }

  @Override
  public long line(int row) {
    return rowLines[row];
  }

  @Override
  public long record(int row) {
    return lines ? -1 : firstOfBatch + row;
  }

  @Override
  public long byteOffset(int row) {
    return chunk.byteOffset + starts[row];
  }

  @Override
  public String original(int row) {
    return chunk.text(starts[row], ends[row]);
  }
}
