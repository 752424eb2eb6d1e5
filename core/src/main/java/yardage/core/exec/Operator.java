package yardage.core.exec;

/** A step of a pipeline that works in place: bound once per worker, then fed batches. */
@FunctionalInterface
interface Operator {
  BatchConsumer bind(Worker worker, BatchConsumer next);
}
