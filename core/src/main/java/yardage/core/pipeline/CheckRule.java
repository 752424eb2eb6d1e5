package yardage.core.pipeline;

import java.util.Optional;

/**
 * One rule of a check.
 *
 * @param name by which its results are kept
 * @param otherwise what happens when it is not met
 */
record CheckRule(Located name, Kind kind, Otherwise otherwise) {

  /** What a rule asks for. */
  sealed interface Kind {}

  /** A condition that each row must meet; null counts as not met. */
  record EachRow(Located condition) implements Kind {}

  /** Columns whose values together no two rows share. */
  record Unique(java.util.List<Located> columns) implements Kind {}

  /** How many rows there are. */
  record RowCount(Optional<Long> least, Optional<Long> most) implements Kind {}

  /** The least share of rows that must meet a condition. */
  record Share(Located condition, double least) implements Kind {}

  /** A condition over all rows together, written with aggregates. */
  record Together(Located condition) implements Kind {}

  /** What happens when a rule is not met. */
  enum Otherwise {
    SET_ASIDE,
    WARN,
    STOP
  }
}
