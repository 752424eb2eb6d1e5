package yardage.core.feed;

import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.util.Optional;
import yardage.core.format.FileFormatException;

/**
 * A stream that ends where the file behind it is damaged. It puts a NUL there: no format takes one,
 * so the record that is cut off is set aside, and a value cut short never passes for a whole one.
 */
final class ReadableStart extends FilterInputStream {
  private Optional<FileFormatException> damage = Optional.empty();
  private boolean marked;

  ReadableStart(InputStream in) {
    super(in);
  }

  Optional<FileFormatException> damage() {
    return damage;
  }

  @Override
  public int read() throws IOException {
    byte[] one = new byte[1];
    return read(one, 0, 1) < 0 ? -1 : one[0] & 0xff;
  }

  @Override
  public int read(byte[] b, int from, int length) throws IOException {
    if (damage.isEmpty()) {
      try {
        return in.read(b, from, length);
      } catch (FileFormatException e) {
        damage = Optional.of(e);
      }
    }
    if (marked || length == 0) {
      return length == 0 ? 0 : -1;
    }
    marked = true;
    b[from] = 0;
    return 1;
  }
}
