package yardage.core.format.record;

/** Takes what a {@link RecordParser} read, on its thread. */
public interface RecordOutput {
  /** Records whose shape is right, some of whose fields may have failed. */
  void records(ParsedRecords records);

  /** A record of a wrong shape. */
  void reject(RejectedRecord record);
}
