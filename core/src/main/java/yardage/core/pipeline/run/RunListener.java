package yardage.core.pipeline.run;

/** Hears what a run says of itself, from the thread that runs it. */
@FunctionalInterface
public interface RunListener {
  void log(String message);
}
