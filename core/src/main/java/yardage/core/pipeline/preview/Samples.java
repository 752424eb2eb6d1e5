package yardage.core.pipeline.preview;

import java.util.function.Supplier;

/** Samples that may have been read before. */
public interface Samples {
  /** Reads every time. */
  Samples NONE = (key, read) -> read.get();

  /**
   * A sample.
   *
   * @param key equal only for the same rows: the source's contents and what was chosen of them
   */
  Sample get(Object key, Supplier<Sample> read);
}
