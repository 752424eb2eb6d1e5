package yardage.core.step;

import yardage.core.column.Batch;
import yardage.core.exec.PickedStep;

/** Keeps so many rows, those with the smallest hashes: alike wherever the keys are the same. */
public record SampleCount(int[] columns, long count, long seed) implements PickedStep {
  @Override
  public long number(Batch batch, int row) {
    return SampleStep.hash(batch, columns, row, seed);
  }
}
