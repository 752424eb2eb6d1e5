package yardage.core.exec;

import yardage.core.plan.RowDescription;

/**
 * Rows to rows, a batch at a time: what a step does that needs no more than the rows it sees. Bound
 * once for each worker; whatever does not pass on is counted in the tally.
 */
public interface RowStep extends RowDescription {
  BatchConsumer bind(StepTally tally, BatchConsumer next);

  /** Tells the tally, once, what is to be told even if no row ever comes. */
  default void announce(StepTally tally) {}
}
