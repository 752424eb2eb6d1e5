package yardage.core.format;

import com.github.luben.zstd.ZstdInputStream;
import java.io.BufferedInputStream;
import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.channels.SeekableByteChannel;
import java.util.Collections;
import java.util.Iterator;
import java.util.Optional;
import java.util.function.BiConsumer;
import java.util.function.Predicate;
import java.util.zip.CRC32;
import org.apache.commons.compress.archivers.zip.ZipArchiveEntry;
import org.apache.commons.compress.archivers.zip.ZipFile;
import org.apache.commons.compress.compressors.bzip2.BZip2CompressorInputStream;
import org.apache.commons.io.input.ChecksumInputStream;
import org.tukaani.xz.XZInputStream;

/**
 * Opens a file whatever its compression, which is known by content and not by name: gzip (RFC
 * 1952), bzip2, xz, zstd (RFC 8878), zip with several entries, or none. Several members of one file
 * count as one, and what follows the last must be nothing. What inflates beyond its limit is
 * refused, and damage is told with its place. One thread at a time.
 *
 * <p>A zip archive is read by its directory, which stands at its end: an archive that was cut off
 * has none, and its first entries would otherwise pass for all of it.
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
  private final RandomAccess again;
  private final Archive archive;
  private ZipFile zip;
  private Iterator<ZipArchiveEntry> entries;
  private boolean begun;
  private long inflated;

  /** Opens the same file once more, to jump about in it; only asked for an archive. */
  public interface RandomAccess {
    SeekableByteChannel open() throws IOException;
  }

  /**
   * Which entries of an archive are wanted.
   *
   * @param wanted by the entry's whole name
   * @param passedOver is told of each entry that is not, and why
   */
  public record Archive(Predicate<String> wanted, BiConsumer<String, String> passedOver) {
    public static final Archive ALL = new Archive(name -> true, (name, why) -> {});
  }

  /** {@code raw} stays open. */
  public Decompression(String file, InputStream raw, RandomAccess again, Limit limit) {
    this(file, raw, again, Archive.ALL, limit, BUFFER_BYTES);
  }

  /**
   * @param sizeBytes of the file: a small one gets a small buffer, since there may be very many
   */
  public Decompression(
      String file,
      InputStream raw,
      RandomAccess again,
      Archive archive,
      Limit limit,
      long sizeBytes) {
    this.file = file;
    this.raw = new Counting(raw);
    this.in =
        new BufferedInputStream(
            this.raw, (int) Math.max(LEAST_BUFFER_BYTES, Math.min(BUFFER_BYTES, sizeBytes + 1)));
    this.again = again;
    this.archive = archive;
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
        openZip();
        return nextOfZip();
      }
      if (startsWith(start, 0x1f, 0x8b)) {
        return limited(new GzipMembers(in, BUFFER_BYTES), "");
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

  private void openZip() throws IOException {
    SeekableByteChannel channel = again.open();
    try {
      zip = ZipFile.builder().setSeekableByteChannel(channel).get();
      entries = Collections.list(zip.getEntriesInPhysicalOrder()).iterator();
    } catch (IOException | RuntimeException e) {
      channel.close();
      throw new FileFormatException(
          "File [%s] is a zip archive without its directory, which stands at the end: it was cut off or is damaged; get the file again, then run again"
              .formatted(file),
          e);
    }
  }

  private Optional<Entry> nextOfZip() throws IOException {
    while (entries.hasNext()) {
      ZipArchiveEntry entry = entries.next();
      String name = entry.getName();
      if (entry.isDirectory()) {
        continue;
      }
      if (isForeign(name)) {
        archive.passedOver().accept(name, "it is a note of the program that made the archive");
        continue;
      }
      if (!archive.wanted().test(name)) {
        archive.passedOver().accept(name, "the feed's entries do not name it");
        continue;
      }
      if (entry.getGeneralPurposeBit().usesEncryption()) {
        throw new FileFormatException(
            "File [%s]: entry [%s] is encrypted, and no password can be given; get the file without encryption"
                .formatted(file, name));
      }
      if (!zip.canReadEntryData(entry)) {
        throw new FileFormatException(
            "File [%s]: entry [%s] is packed in a way that cannot be read (method %d); pack it with deflate"
                .formatted(file, name, entry.getMethod()));
      }
      raw.count += Math.max(0, entry.getCompressedSize());
      return limited(
          ChecksumInputStream.builder()
              .setChecksum(new CRC32())
              .setExpectedChecksumValue(entry.getCrc())
              .setCountThreshold(entry.getSize())
              .setInputStream(zip.getInputStream(entry))
              .get(),
          name);
    }
    zip.close();
    return Optional.empty();
  }

  /** What some systems' packers put into archives beside the files that one has chosen. */
  private static boolean isForeign(String name) {
    String last = name.substring(name.lastIndexOf('/') + 1);
    return name.startsWith("__MACOSX/")
        || last.startsWith("._")
        || last.equals(".DS_Store")
        || last.equalsIgnoreCase("Thumbs.db")
        || last.equalsIgnoreCase("desktop.ini");
  }

  /** Lets go of what {@code raw} does not hold. */
  public void close() throws IOException {
    if (zip != null) {
      zip.close();
    }
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
