package yardage.core.plan;

import yardage.core.column.Schema;

/** What a node computes that takes all rows before it gives one. */
public sealed interface Spec permits JoinSpec, AggregateSpec, DedupeSpec, SortSpec, WholeSpec {
  /** For whom it is counted. */
  String step();

  /** The columns that come out. */
  Schema schema();
}
