package yardage.core.format;

import com.github.luben.zstd.ZstdInputStream;
import java.io.BufferedInputStream;
import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.util.Optional;
import java.util.zip.GZIPInputStream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipInputStream;
import org.apache.commons.compress.compressors.bzip2.BZip2CompressorInputStream;
import org.tukaani.xz.XZInputStream;

/**
 * Opens a file whatever its compression, which is known by content and not by name: gzip (RFC
 * 1952), bzip2, xz, zstd (RFC 8878), zip with several entries, or none. Several members of one file
 * count as one. What inflates beyond its limit is refused, and damage is told with its place. One
 * thread at a time.
 */
public final class Decompression {
  private static final int BUFFER_BYTES = 1 << 16;
  private static final int LEAST_BUFFER_BYTES = 512;
  private static final int XZ_MEMORY_KIB = 256 << 10;

  /**
   * How much a file may grow.
   *
   * @param ratio inflated bytes for each byte of the file, looked at past {@link #UNLOOKED_BYTES}
   * @param bytes inflated bytes of one file
   */
  public record Limit(long ratio, long bytes) {
    public static final long UNLOOKED_BYTES = 64L << 20;
    public static final Limit DEFAULT = new Limit(400, 1L << 40);
  }

  /** One stream of the file; {@code name} is empty unless it is an entry of an archive. */
  public record Entry(String name, InputStream in) {}

  private final String file;
  private final Counting raw;
  private final BufferedInputStream in;
  private final Limit limit;
  private ZipInputStream zip;
  private boolean begun;
  private long inflated;

  /** {@code raw} stays open. */
  public Decompression(String file, InputStream raw, Limit limit) {
    this(file, raw, limit, BUFFER_BYTES);
  }

  /**
   * @param sizeBytes of the file: a small one gets a small buffer, since there may be very many
   */
  public Decompression(String file, InputStream raw, Limit limit, long sizeBytes) {
    this.file = file;
    this.raw = new Counting(raw);
    this.in =
        new BufferedInputStream(
            this.raw, (int) Math.max(LEAST_BUFFER_BYTES, Math.min(BUFFER_BYTES, sizeBytes + 1)));
    this.limit = limit;
  }

  /** The next stream: one, or the entries of an archive in their order. */
  public Optional<Entry> next() {
    try {
      if (zip != null) {
        return nextOfZip();
      }
      if (begun) {
        return Optional.empty();
      }
      begun = true;
      in.mark(6);
      byte[] start = in.readNBytes(6);
      in.reset();
      if (startsWith(start, 'P', 'K', 3, 4) || startsWith(start, 'P', 'K', 5, 6)) {
        zip = new ZipInputStream(in);
        return nextOfZip();
      }
      if (startsWith(start, 0x1f, 0x8b)) {
        return limited(new GZIPInputStream(in, BUFFER_BYTES), "");
      }
      if (startsWith(start, 'B', 'Z', 'h')) {
        return limited(new BZip2CompressorInputStream(in, true), "");
      }
      if (startsWith(start, 0xfd, '7', 'z', 'X', 'Z', 0)) {
        return limited(new XZInputStream(in, XZ_MEMORY_KIB), "");
      }
      if (startsWith(start, 0x28, 0xb5, 0x2f, 0xfd)) {
        return limited(new ZstdInputStream(in), "");
      }
      return Optional.of(new Entry("", in));
    } catch (IOException e) {
      throw FileFormatException.damaged(file, inflated, e);
    }
  }

  private Optional<Entry> nextOfZip() throws IOException {
    ZipEntry entry = zip.getNextEntry();
    while (entry != null && entry.isDirectory()) {
      entry = zip.getNextEntry();
    }
    return entry == null ? Optional.empty() : limited(zip, entry.getName());
  }

  private Optional<Entry> limited(InputStream inflater, String name) {
    return Optional.of(new Entry(name, new Limited(inflater)));
  }

  private static boolean startsWith(byte[] b, int... magic) {
    if (b.length < magic.length) {
      return false;
    }
    for (int i = 0; i < magic.length; i++) {
      if ((b[i] & 0xff) != magic[i]) {
        return false;
      }
    }
    return true;
  }

  private void grown(int n) {
    inflated += n;
    if (inflated > limit.bytes()) {
      throw new FileFormatException(
          "File [%s] inflates to more than %,d bytes, which is its limit; if it is meant to, raise inflate-limit in the feed"
              .formatted(file, limit.bytes()));
    }
    if (inflated > Limit.UNLOOKED_BYTES && inflated / Math.max(1, raw.count) > limit.ratio()) {
      throw new FileFormatException(
          "File [%s] inflates to more than %,d times its size, as a file made to fill memory does; if it is meant to, raise inflate-limit in the feed"
              .formatted(file, limit.ratio()));
    }
  }

  /** Counts what the file itself gives. */
  private static final class Counting extends FilterInputStream {
    private long count;

    Counting(InputStream in) {
      super(in);
    }

    @Override
    public int read() throws IOException {
      int c = in.read();
      count += c < 0 ? 0 : 1;
      return c;
    }

    @Override
    public int read(byte[] b, int from, int length) throws IOException {
      int n = in.read(b, from, length);
      count += Math.max(0, n);
      return n;
    }
  }

  /** Looks at the limit, and tells damage apart from a disk that cannot be read. */
  private final class Limited extends InputStream {
    private final InputStream inflater;

    Limited(InputStream inflater) {
      this.inflater = inflater;
    }

    @Override
    public int read() throws IOException {
      byte[] one = new byte[1];
      return read(one, 0, 1) < 0 ? -1 : one[0] & 0xff;
    }

    @Override
    public int read(byte[] b, int from, int length) throws IOException {
      int n;
      try {
        n = inflater.read(b, from, length);
      } catch (IOException e) {
        throw FileFormatException.damaged(file, inflated, e);
      } catch (RuntimeException e) {
        // Some inflaters answer wrong bytes with whatever their loops run into.
        throw FileFormatException.damaged(file, inflated, e);
      }
      if (n > 0) {
        grown(n);
      }
      return n;
    }
  }
}
