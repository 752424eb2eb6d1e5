package yardage.core.feed;

import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;

/** The beginning of a stream: a file that grows as fast as it is read has no end otherwise. */
final class BoundedStart extends FilterInputStream {
  private long left;

  BoundedStart(InputStream in, long mostBytes) {
    super(in);
    this.left = mostBytes;
  }

  @Override
  public int read() throws IOException {
    byte[] one = new byte[1];
    return read(one, 0, 1) < 0 ? -1 : one[0] & 0xff;
  }

  @Override
  public int read(byte[] into, int from, int length) throws IOException {
    int n = left == 0 ? -1 : in.read(into, from, (int) Math.min(length, left));
    left -= Math.max(0, n);
    return n;
  }
}
