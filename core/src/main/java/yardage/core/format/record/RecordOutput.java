package yardage.core.format.record;

/** Takes what a {@link RecordParser} read, on its thread. */
public interface RecordOutput {
  /** Records whose shape is right, some of whose fields may have failed. */
  void records(ParsedRecords records);

  /** A record of a wrong shape. */
  void reject(RejectedRecord record);

  /**
   * Fields that no column takes.
   *
   * @param field its name, or its path where it is nested
   * @param count how often it came
   * @param line of one of the records that had it
   * @param example the value that it had there, as it arrived
   */
  default void stray(String field, long count, long line, String example) {}
}
