package yardage.core.column;

/** A batch of a column would hold more than arrays can: 2^31 - 1 bytes or rows. */
public final class ColumnFullException extends RuntimeException {
  ColumnFullException() {
    super(
        "The values of one column take more than 2 GB within one batch; make shorter texts or lists");
  }
}
