package yardage.core.format.text;

/** Takes the records that did not fit; called from several threads. */
@FunctionalInterface
public interface RejectSink {
  void reject(RejectedRecord record);
}
