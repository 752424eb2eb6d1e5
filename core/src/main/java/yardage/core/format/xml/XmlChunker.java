package yardage.core.format.xml;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayDeque;
import java.util.Arrays;
import java.util.Deque;
import java.util.Iterator;
import java.util.Optional;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.record.Swar;

/**
 * Finds row elements by their tags. A chunk is a document of its own: the tags of the elements that
 * are open, the rows with the tags between them, and the closing tags; comments, instructions and
 * text outside rows are left out. Where a row ends is told by the tags of its own name alone, so
 * that what is wrong inside one row does not touch the next.
 */
final class XmlChunker implements Chunker {
  private static final int KEPT_OF_LONG_RECORD = 1 << 16;
  private static final int MOST_OPEN = 256;

  /** Bytes before the row's name in its tags, and behind it, that must be there to tell it. */
  private static final int LONGEST_PREFIX = 256;

  private static final long OPENS = Swar.pattern('<');
  private static final long CLOSES = Swar.pattern('>');
  private static final long BLANKS = Swar.pattern(' ');
  private static final long SLASHES = Swar.pattern('/');
  private static final long COLONS = Swar.pattern(':');
  private static final long QUOTES = Swar.pattern('"');
  private static final long APOSTROPHES = Swar.pattern('\'');

  /** What ends a name or its prefix. */
  private static final boolean[] NAME_ENDS = new boolean[256];

  static {
    for (char c : ":>/ \t\n\r".toCharArray()) {
      NAME_ENDS[c] = true;
    }
  }

  private final String file;
  private final XmlLayout layout;
  private final byte[] rowName;

  /** The first eight bytes of the row's name. */
  private final long rowHead;

  private final FieldMap fields;
  private final InputStream in;

  private byte[] b = new byte[1 << 17];
  private int at;
  private int limit;
  private boolean ended;
  private long offset;
  private long line = 1;
  private int counted;
  private long record;
  private int ordinal;
  private boolean sawElement;

  /** The start tags of the elements that are open around the rows. */
  private final Deque<byte[]> open = new ArrayDeque<>();

  XmlChunker(String file, InputStream in, XmlLayout layout, FieldMap fields) {
    this.file = file;
    this.in = in;
    this.layout = layout;
    this.rowName = layout.rowName().getBytes(StandardCharsets.UTF_8);
    this.rowHead = (long) Swar.LONG.get(Arrays.copyOf(rowName, rowName.length + 8), 0);
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
    chunk.records.clear();
    while ((chunk.records.count() == 0 || chunk.end < chunk.targetBytes()) && seekTag()) {
      int tagEnd = plainTagEnd(at);
      tagEnd = tagEnd < 0 ? tagEnd(at) : tagEnd;
      if (tagEnd < 0) {
        return giveBroken(chunk, limit - at, "the file ends inside a tag");
      }
      if (isRow(at + 1)) {
        if (chunk.records.count() == 0) {
          Iterator<byte[]> outermost = open.descendingIterator();
          while (outermost.hasNext()) {
            append(chunk, outermost.next());
          }
          chunk.before = chunk.text(0, chunk.end);
          StringBuilder after = new StringBuilder();
          open.forEach(tag -> after.append("</").append(name(tag)).append('>'));
          chunk.after = after.toString();
        }
        if (!copyRow(chunk, tagEnd)) {
          break;
        }
      } else {
        structure(chunk, tagEnd);
      }
    }
    if (chunk.defect != null) {
      return true;
    }
    if (chunk.records.count() == 0) {
      if (pending == null) {
        if (!sawElement && offset + limit > 0) {
          throw wrong("there is no element in it");
        }
        if (!open.isEmpty() && !toldOpen) {
          toldOpen = true;
          return giveBroken(
              chunk, 0, "the file ends while [%s] is still open".formatted(name(open.peek())));
        }
        return false;
      }
      Broken broken = pending;
      pending = null;
      chunk.end = 0;
      append(chunk, broken.kept());
      chunk.defect = broken.why();
      chunk.byteOffset = broken.offset();
      chunk.line = broken.line();
      return true;
    }
    for (byte[] tag : open) {
      append(chunk, ("</" + name(tag) + ">").getBytes(StandardCharsets.UTF_8));
    }
    Arrays.fill(chunk.buffer, chunk.end, chunk.end + Chunk.PADDING, (byte) 0);
    return true;
  }

  /** A row that could not be copied whole; given after the rows before it. */
  private record Broken(byte[] kept, long offset, long line, RejectedRecord.Failure why) {}

  private Broken pending;
  private boolean toldOpen;
  private boolean rootEnded;
  private boolean sawRow;

  /** Whether there are elements inside the outermost one that are no rows. */
  private boolean sawOther;

  private boolean giveBroken(Chunk chunk, int bytes, String what) {
    RejectedRecord.Failure why =
        new RejectedRecord.Failure("", Reason.NOT_XML, what + "; it is cut off or damaged");
    Broken broken =
        new Broken(
            Arrays.copyOfRange(b, at, at + Math.min(bytes, KEPT_OF_LONG_RECORD)),
            offset + at,
            lineAt(at),
            why);
    at = limit;
    toldOpen = true;
    record++;
    if (chunk.records.count() > 0) {
      pending = broken;
      for (byte[] tag : open) {
        append(chunk, ("</" + name(tag) + ">").getBytes(StandardCharsets.UTF_8));
      }
      Arrays.fill(chunk.buffer, chunk.end, chunk.end + Chunk.PADDING, (byte) 0);
      return true;
    }
    chunk.end = 0;
    append(chunk, broken.kept());
    chunk.defect = why;
    chunk.byteOffset = broken.offset();
    chunk.line = broken.line();
    return true;
  }

  /** Copies the row whose start tag ends before {@code tagEnd}; false when it is broken. */
  private boolean copyRow(Chunk chunk, int tagEnd) throws IOException {
    sawElement = true;
    sawRow = true;
    int rowStart = at;
    long rowLine = lineAt(rowStart);
    int depth = b[tagEnd - 2] == '/' ? 0 : 1;
    int i = tagEnd;
    while (depth > 0) {
      int next = rowTag(i);
      rowStart = at;
      if (next < 0 || at + layout.maxRecordBytes() < next) {
        boolean tooLong = next >= 0 || limit - at > layout.maxRecordBytes();
        giveBroken(
            chunk,
            limit - at,
            tooLong
                ? "a row of more than %,d bytes".formatted(layout.maxRecordBytes())
                : "the file ends inside a row");
        return false;
      }
      if (b[lastMarkup + 1] == '/') {
        depth--;
      } else if (b[next - 2] != '/') {
        depth++;
      }
      i = next;
    }
    int length = i - rowStart;
    chunk.records.add(chunk.end, chunk.end + length, offset + rowStart, rowLine);
    chunk.append(b, rowStart, i);
    at = i;
    record++;
    rootEnded = open.isEmpty() && !layout.severalRoots();
    return true;
  }

  private FileFormatException behindRoot() {
    return wrong("something follows the end of the outermost element");
  }

  @Override
  public Optional<String> notFound() {
    return sawRow || !sawOther
        ? Optional.empty()
        : Optional.of("there is no element [%s]".formatted(layout.rowName()));
  }

  private int lastMarkup;

  /**
   * Behind the next tag with the row's name at or after {@code from}, whose start is {@link
   * #lastMarkup} then; comments and the like are skipped. Keeps what starts at {@link #at} in the
   * buffer. -1 at the end.
   *
   * <p>Where other tags end is not asked, which would take most of the time. Only when an angle
   * bracket may stand in an attribute of one, where it must not, is it looked at more closely.
   */
  private int rowTag(int from) throws IOException {
    int i = from;
    int other = -1;
    while (true) {
      i = nextTag(i);
      // The whole name is needed.
      if (i + rowName.length + LONGEST_PREFIX > limit
          && !ended
          && limit - at <= layout.maxRecordBytes()) {
        int kept = i - at;
        int keptOther = other - at;
        fill();
        i = at + kept;
        other = other < 0 ? -1 : at + keptOther;
        continue;
      }
      if (i + 1 >= limit) {
        return -1;
      }
      byte c = b[i + 1];
      boolean markup = c == '!' || c == '?';
      if (!markup && (!isTagOfRow(i) || other >= 0 && isWithin(other, i))) {
        other = i++;
        continue;
      }
      int kept = i - at;
      int end = plainTagEnd(i);
      end = end < 0 ? tagEnd(i) : end;
      i = at + kept;
      if (end < 0) {
        return -1;
      }
      if (!markup) {
        lastMarkup = i;
        return end;
      }
      i = end;
      other = -1;
    }
  }

  /** Whether the tag that starts at {@code from}, or closes there, may have the row's name. */
  private boolean isTagOfRow(int from) {
    int name = b[from + 1] == '/' ? from + 2 : from + 1;
    if (name + 8 <= limit) {
      long word = (long) Swar.LONG.get(b, name);
      long ends =
          (Swar.roughMatch(word, CLOSES)
                  | Swar.roughMatch(word, BLANKS)
                  | Swar.roughMatch(word, SLASHES)
                  | Swar.roughMatch(word, COLONS))
              & Swar.HIGH;
      int length = Long.numberOfTrailingZeros(ends) >>> 3;
      if (ends != 0 && b[name + length] != ':') {
        return length == rowName.length && ((word ^ rowHead) & Swar.first(length)) == 0;
      }
    }
    return nameIs(name);
  }

  /** Whether the tag that starts at {@code tag} has not ended before {@code place}. */
  private boolean isWithin(int tag, int place) {
    for (int i = tag + 1; i < place; i++) {
      if (b[i] == '"' || b[i] == '\'') {
        int end = plainTagEnd(tag);
        return end < 0 || end > place;
      }
      if (b[i] == '>') {
        return false;
      }
    }
    return true;
  }

  /** The next angle bracket at or after {@code from}, or the end of the buffer. */
  private int nextTag(int from) {
    int i = from;
    for (; i + 8 <= limit; i += 8) {
      long hits = Swar.roughMatch((long) Swar.LONG.get(b, i), OPENS) & Swar.HIGH;
      if (hits != 0) {
        return i + (Long.numberOfTrailingZeros(hits) >>> 3);
      }
    }
    while (i < limit && b[i] != '<') {
      i++;
    }
    return i;
  }

  /** As {@link #tagEnd} for a tag that is whole in the buffer; -1 for anything else. */
  private int plainTagEnd(int from) {
    if (from + 1 < limit && (b[from + 1] == '!' || b[from + 1] == '?')) {
      return -1;
    }
    int i = from + 1;
    while (i + 8 <= limit) {
      long word = (long) Swar.LONG.get(b, i);
      long hits =
          (Swar.roughMatch(word, CLOSES)
                  | Swar.roughMatch(word, QUOTES)
                  | Swar.roughMatch(word, APOSTROPHES))
              & Swar.HIGH;
      if (hits == 0) {
        i += 8;
        continue;
      }
      i += Long.numberOfTrailingZeros(hits) >>> 3;
      byte c = b[i++];
      if (c == '>') {
        return i;
      }
      while (i < limit && b[i] != c) {
        i++;
      }
      i++;
    }
    return -1;
  }

  /** Goes to the next tag outside rows; false at the end. */
  private boolean seekTag() throws IOException {
    while (true) {
      while (at < limit && b[at] != '<') {
        if (rootEnded && b[at] != ' ' && b[at] != '\n' && b[at] != '\r' && b[at] != '\t') {
          throw behindRoot();
        }
        at++;
      }
      if (at == limit && !fill()) {
        return false;
      }
      if (at < limit && b[at] == '<') {
        while (limit - at < 3 && fill()) {
          // Two more bytes tell what it is.
        }
        if (limit - at < 2 || (b[at + 1] != '!' && b[at + 1] != '?')) {
          if (rootEnded) {
            throw behindRoot();
          }
          return true;
        }
        int end = tagEnd(at);
        if (end < 0) {
          throw wrong("it ends inside a comment, instruction or document type");
        }
        at = end;
      }
    }
  }

  /** A tag around the rows: kept, so that rows keep their namespaces and what holds them. */
  private void structure(Chunk chunk, int tagEnd) {
    sawElement = true;
    if (b[at + 1] == '/') {
      String name = name(Arrays.copyOfRange(b, at + 1, tagEnd));
      if (open.isEmpty() || !name(open.peek()).equals(name)) {
        throw wrong(
            open.isEmpty()
                ? "[</%s>] closes nothing".formatted(name)
                : "[</%s>] stands where [</%s>] must".formatted(name, name(open.peek())));
      }
      open.pop();
      rootEnded = open.isEmpty() && !layout.severalRoots();
    } else if (b[tagEnd - 2] == '/') {
      sawOther |= !open.isEmpty();
      rootEnded = open.isEmpty() && !layout.severalRoots();
    } else {
      sawOther |= !open.isEmpty();
      if (open.size() == MOST_OPEN) {
        throw wrong("elements are nested more than %d deep".formatted(MOST_OPEN));
      }
      open.push(Arrays.copyOfRange(b, at, tagEnd));
    }
    if (chunk.records.count() > 0) {
      chunk.append(b, at, tagEnd);
    }
    at = tagEnd;
  }

  /** The name in a tag that starts with its angle bracket, or with the slash of a closing one. */
  private static String name(byte[] tag) {
    int end = 1;
    while (end < tag.length && !isNameEnd(tag[end])) {
      end++;
    }
    return new String(tag, 1, end - 1, StandardCharsets.UTF_8);
  }

  private static boolean isNameEnd(byte c) {
    return c == '>' || c == '/' || c == ' ' || c == '\t' || c == '\n' || c == '\r';
  }

  private boolean isRow(int nameStart) {
    return b[nameStart] != '/' && nameIs(nameStart);
  }

  /** Whether the local part of the name at {@code from} is the row's. */
  private boolean nameIs(int from) {
    int start = from;
    int end = from;
    while (end < limit && !NAME_ENDS[b[end] & 0xff]) {
      end++;
    }
    if (end < limit && b[end] == ':') {
      start = end + 1;
      while (end < limit && !isNameEnd(b[end])) {
        end++;
      }
    }
    return end - start == rowName.length
        && Arrays.equals(b, start, end, rowName, 0, rowName.length);
  }

  /**
   * Behind the markup that starts at {@code from}; -1 when the file ends first. The buffer may
   * move: {@link #at} moves with it.
   */
  private int tagEnd(int from) throws IOException {
    int ahead = from - at;
    int i = 1;
    char quote = 0;
    int brackets = 0;
    while (true) {
      int position = at + ahead + i;
      if (position >= limit) {
        if (limit - at > layout.maxRecordBytes() || !fill()) {
          return -1;
        }
        continue;
      }
      byte c = b[position];
      if (i == 1 && c == '!' || i == 1 && c == '?') {
        while (limit - (at + ahead) < 9 && fill()) {
          // Enough to tell a comment from the others.
        }
        int start = at + ahead;
        if (starts(start, "<!--")) {
          return until(start, 4, "-->");
        }
        if (starts(start, "<![CDATA[")) {
          return until(start, 9, "]]>");
        }
        if (c == '?') {
          return until(start, 2, "?>");
        }
      }
      if (quote != 0) {
        quote = c == quote ? 0 : quote;
      } else if (c == '"' || c == '\'') {
        quote = (char) c;
      } else if (c == '[') {
        brackets++;
      } else if (c == ']') {
        brackets--;
      } else if (c == '>' && brackets <= 0) {
        int end = position + 1;
        if (starts(at + ahead, "<!DOCTYPE") && holds(at + ahead, end, "<!ENTITY")) {
          throw wrong(
              "it declares entities, which are not expanded here, since a few lines of them can fill any memory");
        }
        return end;
      }
      i++;
    }
  }

  private boolean starts(int from, String what) {
    for (int i = 0; i < what.length(); i++) {
      if (from + i >= limit || b[from + i] != what.charAt(i)) {
        return false;
      }
    }
    return true;
  }

  private boolean holds(int from, int to, String what) {
    return new String(b, from, to - from, StandardCharsets.ISO_8859_1).contains(what);
  }

  private int until(int start, int skip, String what) throws IOException {
    int ahead = start - at;
    int i = skip;
    while (true) {
      while (at + ahead + i + what.length() <= limit) {
        if (starts(at + ahead + i, what)) {
          return at + ahead + i + what.length();
        }
        i++;
      }
      if (limit - at > layout.maxRecordBytes() || !fill()) {
        return -1;
      }
    }
  }

  /** Reads more behind what starts at {@link #at}, which moves to the front. */
  private boolean fill() throws IOException {
    if (ended) {
      return false;
    }
    if (at > 0) {
      count(at);
      System.arraycopy(b, at, b, 0, limit - at);
      offset += at;
      limit -= at;
      counted = 0;
      at = 0;
    }
    if (limit == b.length) {
      b = Arrays.copyOf(b, (int) Math.min(Integer.MAX_VALUE - 64, b.length * 2L));
    }
    int n = in.read(b, limit, b.length - limit);
    ended = n < 0;
    limit += Math.max(0, n);
    return n > 0;
  }

  private void count(int to) {
    line += Swar.count(b, counted, Math.max(counted, to), '\n');
    counted = Math.max(counted, to);
  }

  private long lineAt(int position) {
    count(position);
    return line;
  }

  private static void append(Chunk chunk, byte[] bytes) {
    chunk.append(bytes, 0, bytes.length);
  }

  private FileFormatException wrong(String what) {
    return new FileFormatException(
        "File [%s] cannot be read as XML: at line %,d, byte %,d %s. Get the file again, or change the feed"
            .formatted(file, lineAt(Math.min(at, limit)), offset + at, what));
  }
}
