package yardage.core.column;

/**
 * Where rows stood in their input, for rows that were cut out of their batches: the sequence of the
 * batch that each was in, and its row there.
 *
 * @param sequences one for each row
 * @param rows one for each row
 */
public record Places(long[] sequences, int[] rows) {
  public Places {
    if (sequences.length != rows.length) {
      throw new IllegalArgumentException(
          "%d sequences for %d rows".formatted(sequences.length, rows.length));
    }
  }

  /** The places of the rows {@code from[0, count)}. */
  public Places gather(int[] from, int count) {
    long[] s = new long[count];
    int[] r = new int[count];
    for (int i = 0; i < count; i++) {
      s[i] = sequences[from[i]];
      r[i] = rows[from[i]];
    }
    return new Places(s, r);
  }

  public long sizeBytes() {
    return 8L * sequences.length + 4L * rows.length;
  }
}
