package yardage.core.format.record;

import java.util.Arrays;

/** Where the records of a chunk lie, for formats that find them when they cut. */
public final class RecordPlaces {
  private int[] starts = new int[64];
  private int[] ends = new int[64];
  private long[] offsets = new long[64];
  private long[] lines = new long[64];
  private int count;

  public void clear() {
    count = 0;
  }

  public void add(int start, int end, long byteOffset, long line) {
    if (count == starts.length) {
      starts = Arrays.copyOf(starts, count * 2);
      ends = Arrays.copyOf(ends, count * 2);
      offsets = Arrays.copyOf(offsets, count * 2);
      lines = Arrays.copyOf(lines, count * 2);
    }
    starts[count] = start;
    ends[count] = end;
    offsets[count] = byteOffset;
    lines[count++] = line;
  }

  public int count() {
    return count;
  }

  /** Where record {@code i} starts in the chunk. */
  public int start(int i) {
    return starts[i];
  }

  public int end(int i) {
    return ends[i];
  }

  /** Where it starts in the file. */
  public long byteOffset(int i) {
    return offsets[i];
  }

  public long line(int i) {
    return lines[i];
  }
}
