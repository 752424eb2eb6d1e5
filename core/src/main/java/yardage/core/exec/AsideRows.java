package yardage.core.exec;

/** Takes rows that a step sets aside. Thread-safe. */
@FunctionalInterface
public interface AsideRows {
  /** Keeps none; the tally alone counts them. */
  AsideRows NONE = (row, field, reason, message) -> {};

  /**
   * @param row the whole row, as JSON
   * @param reason a stable code
   */
  void add(String row, String field, String reason, String message);
}
