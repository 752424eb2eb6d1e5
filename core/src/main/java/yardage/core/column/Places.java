package yardage.core.column;

/**
 * Where rows stood in what their stage read, for rows that were cut out of their batches: the
 * input, the sequence of the batch that each was in, and its row there.
 *
 * @param inputs one for each row
 * @param sequences one for each row
 * @param rows one for each row
 */
public record Places(int[] inputs, long[] sequences, int[] rows) {
  public Places {
    if (sequences.length != rows.length || inputs.length != rows.length) {
      throw new IllegalArgumentException(
          "%d inputs and %d sequences for %d rows"
              .formatted(inputs.length, sequences.length, rows.length));
    }
  }

  /** The places of the rows {@code from[0, count)}. */
  public Places gather(int[] from, int count) {
    int[] n = new int[count];
    long[] s = new long[count];
    int[] r = new int[count];
    for (int i = 0; i < count; i++) {
      n[i] = inputs[from[i]];
      s[i] = sequences[from[i]];
      r[i] = rows[from[i]];
    }
    return new Places(n, s, r);
  }

  /** The same places where so many inputs come first. */
  public Places behind(int count) {
    if (count == 0) {
      return this;
    }
    int[] later = new int[inputs.length];
    for (int i = 0; i < later.length; i++) {
      later[i] = inputs[i] + count;
    }
    return new Places(later, sequences, rows);
  }

  /** Below zero when {@code row} came first. */
  public int compare(int row, Places other, int otherRow) {
    int c = Integer.compare(inputs[row], other.inputs[otherRow]);
    c = c == 0 ? Long.compare(sequences[row], other.sequences[otherRow]) : c;
    return c == 0 ? Integer.compare(rows[row], other.rows[otherRow]) : c;
  }

  public long sizeBytes() {
    return 4L * inputs.length + 8L * sequences.length + 4L * rows.length;
  }
}
