package yardage.core.feed;

import com.dynatrace.hash4j.hashing.HashStream128;
import com.dynatrace.hash4j.hashing.Hashing;
import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import yardage.core.storage.Place;

/**
 * How the intake ledger tells whether two files hold the same bytes: XXH3 of 128 bits, as its
 * specification has it, written {@code xxh3:} and 32 hexadecimal digits. It finds accidents, not
 * forgers; decision 17 says why that is enough here. Ledgers of before hold SHA-256, 64 digits.
 */
final class ContentHash {
  private static final String NAME = "xxh3:";
  private static final int BUFFER_BYTES = 1 << 16;

  private ContentHash() {}

  /** A stream that hashes what is read from it; skipping reads, and marks are not kept. */
  static final class Reading extends FilterInputStream {
    private final HashStream128 hash = Hashing.xxh3_128().hashStream();
    private long bytes;

    Reading(InputStream in) {
      super(in);
    }

    @Override
    public int read() throws IOException {
      int b = in.read();
      if (b >= 0) {
        hash.putByte((byte) b);
        bytes++;
      }
      return b;
    }

    @Override
    public int read(byte[] b, int offset, int length) throws IOException {
      int n = in.read(b, offset, length);
      if (n > 0) {
        hash.putBytes(b, offset, n);
        bytes += n;
      }
      return n;
    }

    @Override
    public long skip(long n) throws IOException {
      byte[] passed = new byte[(int) Math.min(n, BUFFER_BYTES)];
      long skipped = 0;
      int got = 0;
      while (skipped < n
          && (got = read(passed, 0, (int) Math.min(passed.length, n - skipped))) > 0) {
        skipped += got;
      }
      return skipped;
    }

    @Override
    public boolean markSupported() {
      return false;
    }

    /** How many bytes were read so far. */
    long bytes() {
      return bytes;
    }

    /** The hash of what was read so far. */
    String contentHash() {
      return NAME + hash.get();
    }
  }

  /** The hash of bytes that were read as they lie on disk. */
  static String of(byte[] bytes) {
    return NAME + Hashing.xxh3_128().hashBytesTo128Bits(bytes);
  }

  /** The hash of a file's bytes as they lie on disk. */
  static String of(Place file) {
    try (Reading in = new Reading(file.read())) {
      drain(in);
      return in.contentHash();
    } catch (IOException e) {
      throw new UncheckedIOException(
          "File [%s] cannot be read: %s".formatted(file, e.getMessage()), e);
    }
  }

  static boolean isOfBefore(String known) {
    return !known.startsWith(NAME);
  }

  private static void drain(InputStream in) throws IOException {
    byte[] buffer = new byte[BUFFER_BYTES];
    while (in.read(buffer) >= 0) {
      // The stream keeps what matters.
    }
  }
}
