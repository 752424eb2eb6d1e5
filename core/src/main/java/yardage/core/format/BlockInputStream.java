package yardage.core.format;

import java.io.IOException;
import java.io.InputStream;

/** A stream that makes its bytes block by block. One thread at a time. */
public abstract class BlockInputStream extends InputStream {
  /** The block at hand is {@code out[at, limit)}. */
  protected byte[] out;

  protected int limit;
  private int at;

  /**
   * @param bytes the room of a block at first
   */
  protected BlockInputStream(int bytes) {
    this.out = new byte[bytes];
  }

  /**
   * Makes the next block from the start of {@link #out}, which may be empty, and sets {@link
   * #limit}.
   *
   * @return false when there is none any more
   */
  protected abstract boolean fill() throws IOException;

  @Override
  public final int read() throws IOException {
    byte[] one = new byte[1];
    return read(one, 0, 1) < 0 ? -1 : one[0] & 0xff;
  }

  @Override
  public final int read(byte[] b, int from, int length) throws IOException {
    while (at == limit) {
      at = 0;
      limit = 0;
      if (!fill()) {
        return -1;
      }
    }
    int n = Math.min(length, limit - at);
    System.arraycopy(out, at, b, from, n);
    at += n;
    return n;
  }
}
