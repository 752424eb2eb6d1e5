package yardage.core.format.text;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Optional;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.record.Swar;

/**
 * Cuts text whose records are lines; subclasses know records that may hold line ends. A record
 * longer than allowed comes alone, cut, with its defect. Memory is bounded by the longest record
 * allowed.
 */
public class LineChunker implements Chunker {
  private static final int KEPT_OF_LONG_RECORD = 1 << 16;

  private final InputStream in;
  private final int maxRecordBytes;
  private FieldMap fields;
  private String before = "";
  private byte[] carry = new byte[0];
  private int carried;
  private boolean ended;
  private long offset;
  private long line = 1;
  private int ordinal;

  /** The line ends of what {@link #recordsEnd} gave, where it counted them; else -1. */
  protected int newlinesSeen = -1;

  public LineChunker(InputStream in, int maxRecordBytes, FieldMap fields) {
    this.in = in;
    this.maxRecordBytes = maxRecordBytes;
    this.fields = fields;
  }

  /** The next line as text without its end, for what stands before the records. */
  protected final Optional<String> readLine() throws IOException {
    int end;
    while ((end = indexOf(carry, (byte) '\n', 0, carried)) < 0
        && !ended
        && carried < maxRecordBytes) {
      if (carry.length - carried < KEPT_OF_LONG_RECORD) {
        carry = Arrays.copyOf(carry, Math.max(KEPT_OF_LONG_RECORD * 2, carry.length * 2));
      }
      int n = in.read(carry, carried, carry.length - carried);
      if (n < 0) {
        ended = true;
      } else {
        carried += n;
      }
    }
    if (end < 0 && carried == 0) {
      return Optional.empty();
    }
    int stop = end < 0 ? carried : end;
    int length = stop > 0 && carry[stop - 1] == '\r' ? stop - 1 : stop;
    String text = new String(carry, 0, length, StandardCharsets.UTF_8);
    drop(end < 0 ? carried : end + 1);
    line++;
    return Optional.of(text);
  }

  protected final void setFields(FieldMap fields) {
    this.fields = fields;
  }

  /** What stands before the records of a file: its header. */
  protected final void setBefore(String text) {
    before = text;
  }

  private void drop(int bytes) {
    System.arraycopy(carry, bytes, carry, 0, carried - bytes);
    carried -= bytes;
    offset += bytes;
  }

  @Override
  public final FieldMap fields() {
    return fields;
  }

  /**
   * The end of the last whole record of {@code b[0, end)}, or 0 when there is none. The first byte
   * starts a record.
   */
  protected int recordsEnd(byte[] b, int end) {
    int at = end;
    while (at > 0 && b[at - 1] != '\n') {
      at--;
    }
    return at;
  }

  @Override
  public final boolean next(Chunk chunk) throws IOException {
    chunk.defect = null;
    chunk.firstRecord = 0;
    int target = chunk.targetBytes();
    int size = Math.max(target, carried + target / 2) + Chunk.PADDING;
    if (chunk.buffer.length < size) {
      chunk.reserve.accept(size);
      chunk.buffer = new byte[size];
    }
    byte[] b = chunk.buffer;
    System.arraycopy(carry, 0, b, 0, carried);
    int n = carried;
    // The buffer may be larger: whoever parsed a chunk before had to put more into it.
    int full = size - Chunk.PADDING;
    while (true) {
      while (!ended && n < full) {
        int got = in.read(b, n, full - n);
        if (got < 0) {
          ended = true;
          if (n > 0 && b[n - 1] != '\n') {
            b[n++] = '\n';
            if (n > b.length - Chunk.PADDING) {
              b = Arrays.copyOf(b, b.length + Chunk.PADDING);
            }
          }
        } else {
          n += got;
        }
      }
      if (n == 0) {
        return false;
      }
      chunk.buffer = b;
      int end = recordsEnd(b, n);
      if (end > 0) {
        give(chunk, end, n, end);
        return true;
      }
      if (ended || n >= maxRecordBytes) {
        int lineEnd = indexOf(b, (byte) '\n', 0, n);
        if (lineEnd < 0) {
          giveLong(chunk, n);
        } else {
          chunk.defect =
              new RejectedRecord.Failure(
                  "",
                  Reason.UNCLOSED_QUOTE,
                  "a quote is opened and not closed before the end of the file or of the longest record allowed");
          give(chunk, lineEnd + 1, n, lineEnd);
        }
        return true;
      }
      int length = (int) Math.min(b.length * 2L, Integer.MAX_VALUE - 64);
      chunk.reserve.accept(length);
      b = Arrays.copyOf(b, length);
      full = length - Chunk.PADDING;
    }
  }

  private void give(Chunk chunk, int end, int filled, int contentEnd) {
    byte[] b = chunk.buffer;
    chunk.start = 0;
    chunk.end = contentEnd;
    chunk.byteOffset = offset;
    chunk.line = line;
    chunk.ordinal = ordinal++;
    chunk.before = before;
    chunk.after = "";
    keep(b, end, filled);
    offset += end;
    line += newlinesSeen >= 0 ? newlinesSeen : Swar.count(b, 0, end, '\n');
    newlinesSeen = -1;
    Arrays.fill(b, contentEnd, contentEnd + Chunk.PADDING - 1, (byte) 0);
  }

  private void keep(byte[] b, int from, int to) {
    carried = to - from;
    if (carry.length < carried) {
      carry = new byte[carried + (carried >> 1)];
    }
    System.arraycopy(b, from, carry, 0, carried);
  }

  /** Reads a record that does not end to its end, keeping its beginning. */
  private void giveLong(Chunk chunk, int filled) throws IOException {
    byte[] rest = new byte[KEPT_OF_LONG_RECORD];
    long length = filled;
    int got = 0;
    int end = -1;
    while (end < 0 && (got = in.read(rest, 0, rest.length)) >= 0) {
      end = indexOf(rest, (byte) '\n', 0, got);
      length += end < 0 ? got : end;
    }
    ended |= got < 0;
    chunk.defect =
        new RejectedRecord.Failure(
            "",
            Reason.RECORD_TOO_LONG,
            "a record of %,d bytes, where %,d are allowed; its first %,d are kept here"
                .formatted(length, maxRecordBytes, KEPT_OF_LONG_RECORD));
    give(chunk, filled, filled, KEPT_OF_LONG_RECORD);
    offset += length + 1 - filled;
    line++;
    if (end >= 0) {
      keep(rest, end + 1, got);
    }
  }

  /** Whether all of the text has been read, so that nothing can follow what is there. */
  protected final boolean hasEnded() {
    return ended;
  }

  /** The end of the line that begins at {@code from}, without its line end. */
  static int lineEnd(byte[] b, int from, int to) {
    return Swar.indexOf(b, from, to, (byte) '\n');
  }

  /** The first {@code what} in {@code b[from, to)}, or -1. */
  static int indexOf(byte[] b, byte what, int from, int to) {
    int at = Swar.indexOf(b, from, to, what);
    return at < to ? at : -1;
  }

  static boolean startsWith(byte[] b, int at, int limit, byte[] prefix) {
    return at + prefix.length <= limit
        && Arrays.equals(b, at, at + prefix.length, prefix, 0, prefix.length);
  }
}
