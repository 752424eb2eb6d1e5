package yardage.core.pipeline.run;

import java.io.IOException;
import java.io.UncheckedIOException;
import yardage.core.exec.FullDisk;
import yardage.core.exec.MemoryExceededException;
import yardage.core.exec.StepFailedException;
import yardage.core.expr.ExpressionException;
import yardage.core.feed.FeedChangedException;
import yardage.core.feed.FeedException;
import yardage.core.format.FileFormatException;
import yardage.core.lake.LakeException;

/** What stopped a run, in words for people. */
public final class RunFailures {
  private RunFailures() {}

  public static RunFailedException of(Throwable thrown) {
    String step = thrown instanceof StepFailedException f ? f.step() : "";
    Throwable e = thrown instanceof StepFailedException f ? f.reason() : thrown;
    String code =
        e instanceof FeedException
            ? "feed"
            : e instanceof FeedChangedException
                ? "feed-changed"
                : e instanceof FileFormatException
                    ? "file-format"
                    : e instanceof ExpressionException
                        ? "value"
                        : e instanceof LakeException
                            ? "table"
                            : e instanceof MemoryExceededException || e instanceof OutOfMemoryError
                                ? "memory"
                                : e instanceof UncheckedIOException || e instanceof IOException
                                    ? "storage"
                                    : "engine";
    String message = e.getMessage() == null ? e.toString() : e.getMessage();
    if (FullDisk.is(e)) {
      message = "The disk is full: " + message + "; free some space, then run again";
    }
    return new RunFailedException(code, step, message, e);
  }
}
