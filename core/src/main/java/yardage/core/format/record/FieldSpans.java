package yardage.core.format.record;

import java.util.Arrays;
import java.util.Optional;

/**
 * Where the fields of some records lie. Field {@code f} of row {@code r} ends at {@code ends[r *
 * width + f]}, exclusive; a negative end is a field that is not there. It starts at {@code starts[r
 * * width + f]}, or, when there are no starts, behind the separator that ends the field before it.
 */
public final class FieldSpans {
  public byte[] buffer;
  public int[] rowStarts;
  public int[] starts;
  public int[] ends;
  public int width;
  public int separatorLength;
  public int count;

  /** Whether the buffer may hold bytes beyond ASCII, or NUL: only then text is looked through. */
  public boolean suspicious;

  /**
   * Spans of one record with one field.
   *
   * @param value UTF-8, or nothing for a field that is not there
   */
  public static FieldSpans ofOne(Optional<byte[]> value) {
    byte[] utf8 = value.orElseGet(() -> new byte[0]);
    FieldSpans spans = new FieldSpans();
    spans.buffer = Arrays.copyOf(utf8, utf8.length + Chunk.PADDING);
    spans.rowStarts = new int[1];
    spans.ends = new int[] {value.isPresent() ? utf8.length : -1};
    spans.width = 1;
    spans.count = 1;
    spans.suspicious = true;
    return spans;
  }

  public int start(int row, int field) {
    int i = row * width + field;
    return starts != null ? starts[i] : field == 0 ? rowStarts[row] : ends[i - 1] + separatorLength;
  }

  /** Negative where the field is not there, and for the field -1, which no record has. */
  public int end(int row, int field) {
    return field < 0 ? -1 : ends[row * width + field];
  }
}
