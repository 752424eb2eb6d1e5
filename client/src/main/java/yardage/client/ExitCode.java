package yardage.client;

/** What the client's exit code says. */
final class ExitCode {
  static final int DONE = 0;

  /** What was asked for failed: a run failed, a document has errors. */
  static final int FAILED = 1;

  /** The command line is wrong. */
  static final int WRONG_USAGE = 2;

  /** The service cannot be reached, or does not know who asks. */
  static final int NO_SERVICE = 3;

  /** A run that was waited for was cancelled or interrupted. */
  static final int STOPPED = 4;

  private ExitCode() {}
}
