package yardage.service.lake;

import org.springframework.boot.diagnostics.AbstractFailureAnalyzer;
import org.springframework.boot.diagnostics.FailureAnalysis;

/** Ends the log of a start that failed with what to do, instead of where it came from. */
final class HomeFailure extends AbstractFailureAnalyzer<HomeException> {
  @Override
  protected FailureAnalysis analyze(Throwable root, HomeException cause) {
    return new FailureAnalysis(cause.getMessage(), cause.fix(), cause);
  }
}
