package yardage.core.step;

import java.nio.charset.StandardCharsets;
import java.util.SplittableRandom;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Values;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.RowStep;
import yardage.core.exec.StepTally;

/**
 * Keeps a share of the rows by a hash of some columns and a seed: the same keys in any input, on
 * any day and with any number of workers. The hash is over a value's text, so that an int in one
 * input and a bigint in another sample alike.
 *
 * @param columns none where each row is in or out by its place among the others
 * @param share of 1
 */
public record SampleStep(int[] columns, double share, long seed) implements RowStep {

  @Override
  public BatchConsumer bind(StepTally tally, BatchConsumer next) {
    long limit = (long) (share * (1L << 53));
    return batch -> {
      int[] rows = new int[batch.rowCount()];
      SplittableRandom byPlace =
          new SplittableRandom(seed ^ batch.sequence() * 0x9E3779B97F4A7C15L);
      int n = 0;
      for (int r = 0; r < rows.length; r++) {
        long at =
            columns.length == 0 ? byPlace.nextLong() >>> 11 : hash(batch, columns, r, seed) >>> 10;
        if (at < limit) {
          rows[n++] = r;
        }
      }
      tally.filtered.add((long) batch.rowCount() - n);
      if (n > 0) {
        next.accept(batch.gather(rows, n));
      }
    };
  }

  /** FNV-1a over the values' texts, finished by a full mix. */
  static long hash(Batch batch, int[] columns, int row, long seed) {
    long h = 0xcbf29ce484222325L ^ seed * 0x9E3779B97F4A7C15L;
    for (int c : columns) {
      Column column = batch.column(c);
      h = (h ^ 0x1f) * 0x100000001b3L;
      if (column.isNull(row)) {
        h = (h ^ 0xff) * 0x100000001b3L;
        continue;
      }
      for (byte b : Values.text(column.value(row)).getBytes(StandardCharsets.UTF_8)) {
        h = (h ^ (b & 0xff)) * 0x100000001b3L;
      }
    }
    h = (h ^ h >>> 33) * 0xff51afd7ed558ccdL;
    h = (h ^ h >>> 33) * 0xc4ceb9fe1a85ec53L;
    // Never negative, so that hashes compare as they lie.
    return (h ^ h >>> 33) >>> 1;
  }
}
