package yardage.core.plan;

/** What is read, as data: a record. {@code exec.Endpoints} opens it. */
public interface ScanDescription {
  /** In a few words, for people who look at a plan. */
  String words();
}
