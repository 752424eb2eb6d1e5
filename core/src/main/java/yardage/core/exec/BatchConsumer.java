package yardage.core.exec;

import yardage.core.column.Batch;

/** Takes batches, one thread at a time. */
@FunctionalInterface
public interface BatchConsumer {
  void accept(Batch batch);
}
