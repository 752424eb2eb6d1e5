package yardage.core.format.json;

import java.io.IOException;
import java.io.InputStream;
import java.util.ArrayDeque;
import java.util.Arrays;
import java.util.Deque;
import java.util.List;
import java.util.Optional;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RejectedRecord;

/**
 * Cuts a file of JSON values, or the elements that a path leads to, into chunks of whole values
 * with blanks between them. It looks at strings and brackets only, and at names on the path;
 * whether values are sound is for the parser to say.
 */
final class JsonChunker implements Chunker {
  private static final int BLOCK_BYTES = 1 << 16;
  private static final int KEPT_OF_LONG_RECORD = 1 << 16;
  private static final int LONGEST_NAME_BYTES = 1 << 16;

  private final String file;
  private final InputStream in;
  private final JsonLayout layout;
  private final FieldMap fields;
  private final byte[] block = new byte[BLOCK_BYTES];
  private int at;
  private int limit;
  private long offset;
  private long line = 1;
  private long record;
  private int ordinal;
  private boolean ended;
  private final JsonNesting nesting = new JsonNesting();

  /** The containers on the path that are open: true for an object. */
  private final Deque<Boolean> open = new ArrayDeque<>();

  private boolean begun;

  /** Whether the path led to where records may be, though none may be there. */
  private boolean found;

  JsonChunker(String file, InputStream in, JsonLayout layout, FieldMap fields) {
    this.file = file;
    this.in = in;
    this.layout = layout;
    this.fields = fields;
  }

  @Override
  public FieldMap fields() {
    return fields;
  }

  @Override
  public boolean next(Chunk chunk) throws IOException {
    chunk.defect = null;
    chunk.start = 0;
    chunk.end = 0;
    chunk.firstRecord = record;
    chunk.ordinal = ordinal++;
    while (!ended && chunk.end < chunk.targetBytes()) {
      if (!seek()) {
        ended = true;
        break;
      }
      if (chunk.end == 0) {
        chunk.line = line;
        chunk.byteOffset = offset + at;
      } else {
        pad(chunk);
      }
      int before = chunk.end;
      if (!copyValue(chunk)) {
        // A value too long or cut off comes alone, so what was copied before goes first.
        if (before > 0) {
          pendingDefect = Optional.of(takeDefect(chunk, before));
          chunk.end = before;
          record--;
        }
        break;
      }
    }
    if (chunk.end == 0 && pendingDefect.isPresent()) {
      give(chunk, pendingDefect.get());
      pendingDefect = Optional.empty();
      return true;
    }
    if (chunk.end > 0) {
      chunk.room(Chunk.PADDING);
      Arrays.fill(chunk.buffer, chunk.end, chunk.end + Chunk.PADDING, (byte) 0);
      return true;
    }
    return false;
  }

  /** A value that could not be copied whole, kept until the chunk before it was given. */
  private record Broken(byte[] kept, long byteOffset, long line, RejectedRecord.Failure why) {}

  private Optional<Broken> pendingDefect = Optional.empty();
  private RejectedRecord.Failure defect;
  private long brokenOffset;
  private long brokenLine;

  private Broken takeDefect(Chunk chunk, int from) {
    Broken out =
        new Broken(
            Arrays.copyOfRange(chunk.buffer, from, chunk.end), brokenOffset, brokenLine, defect);
    chunk.defect = null;
    return out;
  }

  private void give(Chunk chunk, Broken broken) {
    chunk.defect = broken.why();
    chunk.byteOffset = broken.byteOffset();
    chunk.line = broken.line();
    chunk.room(broken.kept().length + Chunk.PADDING);
    System.arraycopy(broken.kept(), 0, chunk.buffer, 0, broken.kept().length);
    chunk.end = broken.kept().length;
    record++;
  }

  /** Puts blanks where bytes between two values were, so that offsets stay those of the file. */
  private void pad(Chunk chunk) {
    long gap = offset + at - (chunk.byteOffset + chunk.end);
    int n = (int) Math.max(1, Math.min(gap, BLOCK_BYTES));
    chunk.room(n);
    Arrays.fill(chunk.buffer, chunk.end, chunk.end + n, (byte) ' ');
    // Lines are counted by the line ends that the parser sees.
    for (long i = lineAtEnd; i < line && n > 0; i++) {
      chunk.buffer[chunk.end + --n] = '\n';
    }
    chunk.end += (int) Math.max(1, Math.min(gap, BLOCK_BYTES));
  }

  /** The line on which the last value copied ends. */
  private long lineAtEnd;

  /** Copies the value that starts here; false, with the defect noted, when it cannot be whole. */
  private boolean copyValue(Chunk chunk) throws IOException {
    nesting.reset();
    int first = chunk.end;
    brokenOffset = offset + at;
    brokenLine = line;
    long length = 0;
    boolean tooLong = false;
    while (!nesting.ended()) {
      if (at == limit && !fill()) {
        // A number or word at the very end has nothing behind it that would end it.
        nesting.next((byte) ' ');
        if (nesting.ended() && !tooLong) {
          break;
        }
        defect =
            new RejectedRecord.Failure(
                "",
                Reason.NOT_JSON,
                "the file ends inside this value, which began %,d bytes before".formatted(length));
        chunk.defect = defect;
        record++;
        ended = true;
        return false;
      }
      int from = at;
      while (at < limit && !nesting.ended()) {
        byte c = block[at++];
        line += c == '\n' ? 1 : 0;
        nesting.next(c);
      }
      if (nesting.endedBefore()) {
        at--;
        line -= block[at] == '\n' ? 1 : 0;
      }
      length += at - from;
      tooLong |= length > layout.maxRecordBytes();
      if (!tooLong) {
        chunk.append(block, from, at);
      } else if (chunk.end - first > KEPT_OF_LONG_RECORD) {
        chunk.end = first + KEPT_OF_LONG_RECORD;
      }
    }
    if (length == 0) {
      throw wrong("[%c] stands alone".formatted(block[at]));
    }
    record++;
    lineAtEnd = line;
    if (tooLong) {
      defect =
          new RejectedRecord.Failure(
              "",
              Reason.RECORD_TOO_LONG,
              "a record of %,d bytes, where %,d are allowed; its beginning is kept here"
                  .formatted(length, layout.maxRecordBytes()));
      chunk.defect = defect;
      return false;
    }
    return true;
  }

  private boolean fill() throws IOException {
    offset += limit;
    at = 0;
    limit = Math.max(0, in.read(block, 0, block.length));
    return limit > 0;
  }

  /** The next byte that is no blank, not taken; -1 at the end. */
  private int peek() throws IOException {
    while (true) {
      while (at < limit) {
        byte c = block[at];
        if (c != ' ' && c != '\n' && c != '\r' && c != '\t') {
          return c;
        }
        line += c == '\n' ? 1 : 0;
        at++;
      }
      if (!fill()) {
        return -1;
      }
    }
  }

  /** Goes to the start of the next record; false when there is none. */
  private boolean seek() throws IOException {
    List<JsonLayout.Step> path = layout.path();
    if (path.isEmpty()) {
      int c = peek();
      if (layout.kind() == JsonLayout.Kind.PATH && begun) {
        return false;
      }
      begun = true;
      return c >= 0;
    }
    if (!begun) {
      begun = true;
      if (peek() < 0) {
        return false;
      }
      return descend(0) || climb();
    }
    return climb();
  }

  /** Goes into the value here along the rest of the path; false when that leads nowhere. */
  private boolean descend(int step) throws IOException {
    List<JsonLayout.Step> path = layout.path();
    int depth = step;
    while (depth < path.size()) {
      boolean wantsObject = path.get(depth).name().isPresent();
      int c = peek();
      if (c != (wantsObject ? '{' : '[')) {
        if (c == 'n' && depth > 0) {
          found = true;
          skipValue();
          return false;
        }
        throw wrong(
            c < 0
                ? "it ends there"
                : "there is [%c] where the path wants %s"
                    .formatted(c, wantsObject ? "an object" : "an array"));
      }
      at++;
      open.push(wantsObject);
      boolean emptyArray = !wantsObject && peek() == ']';
      found |= emptyArray;
      if (wantsObject ? !seekMember(path.get(depth).name().get()) : emptyArray) {
        return false;
      }
      depth++;
    }
    found = true;
    return true;
  }

  @Override
  public Optional<String> notFound() {
    return found || !begun || layout.path().isEmpty() || offset + limit == 0
        ? Optional.empty()
        : Optional.of("there is nothing at [%s]".formatted(layout.text()));
  }

  /** Goes on behind a value or container that is done, to the next record on the path. */
  private boolean climb() throws IOException {
    while (!open.isEmpty()) {
      int c = peek();
      if (c < 0) {
        throw wrong("it ends inside the values on the path");
      }
      if (c == ',') {
        at++;
        boolean object = open.peek();
        if (object) {
          if (!seekMember(layout.path().get(open.size() - 1).name().orElseThrow())) {
            continue;
          }
        } else if (peek() == ']') {
          throw wrong("a comma stands before []]");
        }
        if (descend(open.size())) {
          return true;
        }
      } else if (c == (open.peek() ? '}' : ']')) {
        at++;
        open.pop();
      } else {
        throw wrong("[%c] stands where [,] or a closing bracket must".formatted(c));
      }
    }
    if (peek() >= 0) {
      throw wrong("something follows the end of its value");
    }
    return false;
  }

  /** Goes to the value of a member of the object that is open; false at the object's end. */
  private boolean seekMember(String wanted) throws IOException {
    while (true) {
      int c = peek();
      if (c == '}') {
        return false;
      }
      if (c == ',') {
        at++;
        continue;
      }
      if (c != '"') {
        throw wrong(
            "a name in quotes must stand before [%s]".formatted(c < 0 ? "its end" : (char) c));
      }
      String name = name();
      if (peek() != ':') {
        throw wrong("[:] must follow the name [%s]".formatted(name));
      }
      at++;
      peek();
      if (name.equals(wanted)) {
        return true;
      }
      skipValue();
    }
  }

  private String name() throws IOException {
    byte[] out = new byte[64 + Chunk.PADDING];
    int n = 0;
    nesting.reset();
    while (!nesting.ended()) {
      if (at == limit && !fill()) {
        throw wrong("it ends inside a name");
      }
      if (n + Chunk.PADDING == out.length) {
        if (n > LONGEST_NAME_BYTES) {
          throw wrong("a name is longer than %,d bytes".formatted(LONGEST_NAME_BYTES));
        }
        out = Arrays.copyOf(out, n * 2 + Chunk.PADDING);
      }
      out[n] = block[at++];
      nesting.next(out[n++]);
    }
    try {
      JsonText text = new JsonText(out, n);
      return text.string(1, text.stringEnd(0) - 1);
    } catch (JsonText.Malformed e) {
      throw wrong(e.getMessage());
    }
  }

  private void skipValue() throws IOException {
    nesting.reset();
    while (!nesting.ended()) {
      if (at == limit && !fill()) {
        throw wrong("it ends inside a value");
      }
      byte c = block[at++];
      line += c == '\n' ? 1 : 0;
      nesting.next(c);
    }
    if (nesting.endedBefore()) {
      at--;
      line -= block[at] == '\n' ? 1 : 0;
    }
  }

  private FileFormatException wrong(String what) {
    return new FileFormatException(
        "File [%s] does not hold records where its feed says: at line %,d, byte %,d %s. Look at the file, then change records in the feed's json section, or get the file again"
            .formatted(file, line, offset + at, what));
  }
}
