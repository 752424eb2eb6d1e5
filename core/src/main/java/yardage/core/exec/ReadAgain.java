package yardage.core.exec;

/** Rows that are read another time, as several grouping levels do; they count as multiplied. */
public record ReadAgain() implements RowStep {
  @Override
  public BatchConsumer bind(StepTally tally, BatchConsumer next) {
    return batch -> {
      tally.multiplied.add(batch.rowCount());
      next.accept(batch);
    };
  }
}
