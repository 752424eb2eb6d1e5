package yardage.core.format.record;

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

  public int start(int row, int field) {
    int i = row * width + field;
    return starts != null ? starts[i] : field == 0 ? rowStarts[row] : ends[i - 1] + separatorLength;
  }

  public int end(int row, int field) {
    return ends[row * width + field];
  }
}
