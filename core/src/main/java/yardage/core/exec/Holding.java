package yardage.core.exec;

/** A sink whose rows a later stage takes. */
interface Holding extends Sink {
  /** The rows, once the sink has finished. */
  ScanSource source();

  /** Gives back memory and scratch; may be called again. */
  void release();
}
