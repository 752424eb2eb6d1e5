package yardage.core.exec;

import java.util.List;

/** Something that can be read in parts, in parallel. */
public interface ScanSource {
  /**
   * The parts, in the order in which their rows stand in the source. Called once, when the stage
   * starts.
   */
  List<Split> splits();

  /**
   * How many inputs the rows are of, as their batches tell; known once {@link #splits} was called.
   */
  default int inputs() {
    return 1;
  }

  /** One part: a file, a range of one, or a block of rows. */
  interface Split {
    /**
     * Reads the part on the calling thread, giving batches in order. Their sequences count from 0
     * within the split. {@code out} throws {@link CancelledException} once the run is cancelled.
     */
    void read(Worker worker, BatchConsumer out);

    /**
     * The place of the part's rows among those of the other parts; -1 for the place in the list.
     * Parts may share one when their batches' sequences differ.
     */
    default long place() {
      return -1;
    }
  }
}
