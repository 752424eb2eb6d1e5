package yardage.core.exec;

/** What happens to rows on their way: bound once per worker, then fed batches. */
@FunctionalInterface
interface RowPath {
  BatchConsumer bind(Worker worker, BatchConsumer next);
}
