package yardage.core.format;

import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.util.zip.CRC32;
import java.util.zip.DataFormatException;
import java.util.zip.Inflater;
import java.util.zip.ZipException;

/**
 * A gzip file (RFC 1952): one member or several, each whole, with nothing behind the last. The
 * platform's own stream skips what follows a member and is none, and so loses the rest of a file
 * whose second member is damaged without a word.
 *
 * <p>Bytes that inflate before the damage are given before it is told.
 */
final class GzipMembers extends InputStream {
  private static final int FLAG_HEADER_CRC = 2;
  private static final int FLAG_EXTRA = 4;
  private static final int FLAG_NAME = 8;
  private static final int FLAG_COMMENT = 16;
  private static final int RESERVED_FLAGS = 0xe0;

  private final InputStream in;
  private final Inflater inflater = new Inflater(true);
  private final CRC32 crc = new CRC32();
  private final byte[] buffer;
  private int at;
  private int end;
  private boolean inside;
  private boolean ended;

  GzipMembers(InputStream in, int bufferBytes) {
    this.in = in;
    this.buffer = new byte[bufferBytes];
  }

  @Override
  public int read() throws IOException {
    byte[] one = new byte[1];
    return read(one, 0, 1) < 0 ? -1 : one[0] & 0xff;
  }

  @Override
  public int read(byte[] into, int from, int length) throws IOException {
    if (length == 0) {
      return 0;
    }
    try {
      while (!ended) {
        if (!inside && !header()) {
          ended = true;
          inflater.end();
          break;
        }
        int n = inflater.inflate(into, from, length);
        if (n > 0) {
          crc.update(into, from, n);
          return n;
        }
        if (inflater.finished()) {
          trailer();
        } else if (inflater.needsInput()) {
          if (at == end && !fill()) {
            throw new EOFException("The file ends inside a member");
          }
          inflater.setInput(buffer, at, end - at);
          at = end;
        } else {
          throw new ZipException("A member wants a dictionary, which gzip has not");
        }
      }
      return -1;
    } catch (DataFormatException e) {
      throw new ZipException(e.getMessage() == null ? "wrong bytes in a member" : e.getMessage());
    }
  }

  /** Reads the head of the next member; false when the file ends before it. */
  private boolean header() throws IOException {
    if (at == end && !fill()) {
      return false;
    }
    if (next() != 0x1f || next() != 0x8b || next() != 8) {
      throw new ZipException("Something follows a member that is no member");
    }
    int flags = next();
    if ((flags & RESERVED_FLAGS) != 0) {
      throw new ZipException("A member's head has flags that the standard does not know");
    }
    skip(6);
    if ((flags & FLAG_EXTRA) != 0) {
      skip(next() | next() << 8);
    }
    skipText((flags & FLAG_NAME) != 0);
    skipText((flags & FLAG_COMMENT) != 0);
    if ((flags & FLAG_HEADER_CRC) != 0) {
      skip(2);
    }
    inflater.reset();
    crc.reset();
    inside = true;
    return true;
  }

  private void trailer() throws IOException {
    at = end - inflater.getRemaining();
    long sum = number();
    long size = number();
    if (sum != crc.getValue() || size != (inflater.getBytesWritten() & 0xffffffffL)) {
      throw new ZipException("A member's checksum or size is wrong");
    }
    inside = false;
  }

  private long number() throws IOException {
    return next() | next() << 8 | next() << 16 | (long) next() << 24;
  }

  private void skip(int count) throws IOException {
    for (int i = 0; i < count; i++) {
      next();
    }
  }

  private void skipText(boolean there) throws IOException {
    while (there && next() != 0) {
      // Up to the zero at its end.
    }
  }

  private int next() throws IOException {
    if (at == end && !fill()) {
      throw new EOFException("The file ends inside a member");
    }
    return buffer[at++] & 0xff;
  }

  private boolean fill() throws IOException {
    at = 0;
    end = Math.max(0, in.read(buffer));
    return end > 0;
  }

  @Override
  public void close() throws IOException {
    inflater.end();
    in.close();
  }
}
