package yardage.core.exec;

import java.util.Optional;

/** Asks a run's workers to stop; they look between batches. */
public final class CancelToken {
  private final Optional<CancelToken> whole;
  private volatile String reason;

  public CancelToken() {
    this(Optional.empty());
  }

  private CancelToken(Optional<CancelToken> whole) {
    this.whole = whole;
  }

  /** A token of a part of the work: cancelled with the whole, or alone. */
  CancelToken part() {
    return new CancelToken(Optional.of(this));
  }

  public void cancel(String why) {
    if (reason == null) {
      reason = why;
    }
  }

  /** Why it was cancelled; empty while it was not. */
  public String reason() {
    String why = reason;
    return why != null ? why : whole.map(CancelToken::reason).orElse("");
  }

  public boolean isCancelled() {
    return reason != null || whole.isPresent() && whole.get().isCancelled();
  }

  /**
   * @throws CancelledException once {@link #cancel} was called
   */
  public void check() {
    if (isCancelled()) {
      throw new CancelledException(reason());
    }
  }
}
