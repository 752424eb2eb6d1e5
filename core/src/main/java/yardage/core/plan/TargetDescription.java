package yardage.core.plan;

/** Where rows are written to, as data: a record. {@code exec.Endpoints} opens it. */
public interface TargetDescription {
  /** In a few words, for people who look at a plan. */
  String words();
}
