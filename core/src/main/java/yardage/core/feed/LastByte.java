package yardage.core.feed;

import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;

/** Remembers the last byte of a text: what is no line end tells of a line that may be cut. */
final class LastByte extends FilterInputStream {
  private int last = '\n';

  LastByte(InputStream in) {
    super(in);
  }

  /** Whether the text, if there is any, ends within a line. */
  boolean endsWithin() {
    return last != '\n' && last != '\r';
  }

  @Override
  public int read() throws IOException {
    int c = in.read();
    last = c < 0 ? last : c;
    return c;
  }

  @Override
  public int read(byte[] into, int from, int length) throws IOException {
    int n = in.read(into, from, length);
    if (n > 0) {
      last = into[from + n - 1];
    }
    return n;
  }
}
