package yardage.core.step;

import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.StepTally;
import yardage.core.exec.WholeStep;

/** Keeps so many rows, those with the smallest hashes: alike wherever the keys are the same. */
public record SampleCount(int[] columns, long count, long seed) implements WholeStep {

  @Override
  public List<Column> apply(List<Column> all, StepTally tally, ExecutionContext context) {
    int rows = all.get(0).size();
    if (rows <= count) {
      return all;
    }
    Batch batch = new Batch(all, rows, 0);
    long[] hashes = new long[rows];
    for (int r = 0; r < rows; r++) {
      hashes[r] = SampleStep.hash(batch, columns, r, seed);
    }
    long[] sorted = hashes.clone();
    java.util.Arrays.sort(sorted);
    long limit = count == 0 ? Long.MIN_VALUE : sorted[(int) count - 1];
    // Of rows that hash alike at the border the first ones stay.
    long below = java.util.Arrays.stream(hashes).filter(h -> h < limit).count();
    long atBorder = count - below;
    int[] kept = new int[(int) count];
    int n = 0;
    for (int r = 0; r < rows && n < count; r++) {
      if (hashes[r] < limit || hashes[r] == limit && atBorder-- > 0) {
        kept[n++] = r;
      }
    }
    tally.filtered.add(rows - count);
    return all.stream().map(c -> c.gather(kept, kept.length)).toList();
  }
}
