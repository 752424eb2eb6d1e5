package yardage.core.star;

import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.LongColumn;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.RowStep;
import yardage.core.exec.StepTally;

/**
 * Counts, key by key, the rows of a fact that got the unknown member, or none: they stay, and their
 * measures count, under a member that says nothing.
 */
public record UnknownMembers(List<Key> keys) implements RowStep {
  /** What {@link StepTally#changedValues} has such rows under begins so. */
  public static final String UNKNOWN = "rows have the unknown member";

  /**
   * A key of the fact.
   *
   * @param column its ordinal
   * @param dimension where it was looked up
   */
  public record Key(int column, String name, String dimension) {}

  public UnknownMembers {
    keys = List.copyOf(keys);
  }

  @Override
  public BatchConsumer bind(StepTally tally, BatchConsumer next) {
    return batch -> {
      for (Key key : keys) {
        count(tally, batch, key);
      }
      next.accept(batch);
    };
  }

  private static void count(StepTally tally, Batch batch, Key key) {
    long[] values = ((LongColumn) batch.column(key.column())).values();
    int unknown = 0;
    int none = 0;
    for (int r = 0; r < batch.rowCount(); r++) {
      unknown += values[r] == DimensionLayout.UNKNOWN ? 1 : 0;
      none += values[r] == DimensionLayout.NOT_APPLICABLE ? 1 : 0;
    }
    if (unknown > 0) {
      tally.changed(
          "%s under %s: %s has no member with their key at that time"
              .formatted(UNKNOWN, key.name(), key.dimension()),
          unknown);
    }
    if (none > 0) {
      tally.changed("rows have no key to look up under %s".formatted(key.name()), none);
    }
  }
}
