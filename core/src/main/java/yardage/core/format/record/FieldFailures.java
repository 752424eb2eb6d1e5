package yardage.core.format.record;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/** The fields of some records that do not fit their rules. Reused from batch to batch. */
public final class FieldFailures {
  private int[] rows = new int[16];
  private RejectedRecord.Failure[] failures = new RejectedRecord.Failure[16];
  private int count;
  private long[] nulled = new long[16];
  private long[] cut = new long[16];

  public void clear() {
    count = 0;
    Arrays.fill(nulled, 0);
    Arrays.fill(cut, 0);
  }

  public void add(int row, RejectedRecord.Failure failure) {
    if (count == rows.length) {
      rows = Arrays.copyOf(rows, count * 2);
      failures = Arrays.copyOf(failures, count * 2);
    }
    rows[count] = row;
    failures[count++] = failure;
  }

  /** Counts a value of rule {@code ordinal} that did not fit and became null. */
  public void nulled(int ordinal) {
    if (ordinal >= nulled.length) {
      nulled = Arrays.copyOf(nulled, Math.max(ordinal + 1, nulled.length * 2));
    }
    nulled[ordinal]++;
  }

  /** How many values of a rule became null because they did not fit. */
  public long nulledOf(int ordinal) {
    return ordinal < nulled.length ? nulled[ordinal] : 0;
  }

  /** Counts a time of rule {@code ordinal} that lost what it has beyond microseconds. */
  public void cut(int ordinal) {
    if (ordinal >= cut.length) {
      cut = Arrays.copyOf(cut, Math.max(ordinal + 1, cut.length * 2));
    }
    cut[ordinal]++;
  }

  /** How many times of a rule lost digits. */
  public long cutOf(int ordinal) {
    return ordinal < cut.length ? cut[ordinal] : 0;
  }

  public boolean isEmpty() {
    return count == 0;
  }

  public int count() {
    return count;
  }

  public int row(int i) {
    return rows[i];
  }

  public RejectedRecord.Failure failure(int i) {
    return failures[i];
  }

  public List<RejectedRecord.Failure> of(int row) {
    List<RejectedRecord.Failure> out = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      if (rows[i] == row) {
        out.add(failures[i]);
      }
    }
    return out;
  }
}
