package yardage.core.feed;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.NoSuchFileException;
import java.nio.file.OpenOption;
import java.nio.file.StandardOpenOption;
import java.util.Arrays;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Supplier;
import yardage.core.format.Decompression;
import yardage.core.format.FileFormatException;
import yardage.core.format.TextEncoding;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.RecordFormat;

/**
 * One file while it is read. Several workers may take chunks from it in turn: one reads, inflates
 * and cuts while the others parse what they took, so a large file needs no places to split at.
 */
final class FileReading {
  private static final int SMALL_BYTES = 1 << 18;
  private static final Set<OpenOption> UNLINKED =
      Set.of(StandardOpenOption.READ, LinkOption.NOFOLLOW_LINKS);

  private final FeedDefinition feed;
  private final FileDiscovery.Found file;
  private final RecordFormat format;
  private final boolean replay;
  private InputStream raw;
  private Supplier<String> contentHash = () -> "";
  private Decompression streams;
  private Chunker chunker;
  private ReadableStart readable;
  private String label;
  private boolean ended;
  private boolean claimed;
  private Optional<Replays.Origin> origin = Optional.empty();
  private int ordinal;
  private int outstanding;
  private Optional<FileFormatException> damage = Optional.empty();
  final AtomicLong records = new AtomicLong();
  final AtomicLong setAside = new AtomicLong();

  FileReading(FeedDefinition feed, FileDiscovery.Found file, RecordFormat format) {
    this.feed = feed;
    this.file = file;
    this.format = format;
    this.replay = Replays.isReplay(file.path());
  }

  boolean isReplay() {
    return replay;
  }

  RecordFormat format() {
    return format;
  }

  FileDiscovery.Found file() {
    return file;
  }

  /** Where the records of a replay come from. */
  synchronized Optional<Replays.Origin> origin() {
    return origin;
  }

  /**
   * Gives the next chunk; false at the end. Whoever got one calls {@link #done} after it.
   *
   * @throws FileFormatException when the file is damaged and the feed does not take what it can
   */
  synchronized boolean next(Chunk chunk) {
    if (ended) {
      return false;
    }
    try {
      if (raw == null) {
        open();
      }
      while (true) {
        if (chunker != null) {
          chunk.file = label;
          chunk.fields = chunker.fields();
          if (chunker.next(chunk)) {
            chunk.ordinal = ordinal;
            // One that has grown for a long record may hold very many short ones beside it.
            ordinal += 1 + (chunk.end - chunk.start) / Chunk.TARGET_BYTES;
            outstanding++;
            return true;
          }
        }
        Optional<Decompression.Entry> entry =
            damage().isPresent() || format.seeks() ? Optional.empty() : streams.next();
        if (entry.isEmpty()) {
          end();
          return false;
        }
        label = entry.get().name().isEmpty() ? file.path() : file.path() + "!" + entry.get().name();
        InputStream in = readable(entry.get().in());
        chunker = format.open(label, format.decodes() ? in : encoding().utf8(in));
      }
    } catch (FileFormatException e) {
      if (!feed.keepReadable()) {
        close();
        throw e;
      }
      damage = Optional.of(e);
      try {
        end();
      } catch (IOException unreadable) {
        throw new UncheckedIOException(cannotBeRead(unreadable), unreadable);
      }
      return false;
    } catch (NoSuchFileException e) {
      throw new FeedException(
          "Feed [%s]: file [%s] was there when the run began and is gone now; run again"
              .formatted(feed.name(), file.path()));
    } catch (IOException e) {
      close();
      throw new UncheckedIOException(cannotBeRead(e), e);
    } catch (RuntimeException e) {
      close();
      throw e;
    }
  }

  private TextEncoding encoding() {
    return replay ? TextEncoding.UTF_8 : feed.encoding();
  }

  private InputStream readable(InputStream in) {
    if (!feed.keepReadable()) {
      return in;
    }
    readable = new ReadableStart(in);
    return readable;
  }

  private String cannotBeRead(IOException e) {
    return "File [%s] cannot be read: %s".formatted(file.path(), e.getMessage());
  }

  private void open() throws IOException {
    if (replay) {
      origin = Replays.origin(file.location());
    }
    // The name may have become a link since it was found, and links may lead out of the inbox.
    if (file.sizeBytes() <= SMALL_BYTES) {
      // Three calls of the system and no more: with very many small files they are the cost.
      byte[] bytes = readSmall();
      raw = new ByteArrayInputStream(bytes);
      String hash = ContentHash.of(bytes);
      contentHash = () -> hash;
    } else {
      ContentHash.Reading reading =
          new ContentHash.Reading(Files.newInputStream(file.location(), LinkOption.NOFOLLOW_LINKS));
      raw = reading;
      contentHash = reading::contentHash;
    }
    streams = new Decompression(file.path(), raw, feed.inflateLimit(), file.sizeBytes());
    if (format.seeks()) {
      label = file.path();
      raw.transferTo(OutputStream.nullOutputStream());
      chunker = format.openFile(label, file.location());
    }
  }

  private byte[] readSmall() throws IOException {
    try (FileChannel in = FileChannel.open(file.location(), UNLINKED)) {
      ByteBuffer bytes = ByteBuffer.allocate((int) file.sizeBytes() + 1);
      while (in.read(bytes) >= 0 && bytes.position() != file.sizeBytes()) {
        if (!bytes.hasRemaining()) {
          // It has grown since it was found.
          bytes = ByteBuffer.allocate(bytes.capacity() * 2).put(bytes.flip());
        }
      }
      return Arrays.copyOf(bytes.array(), bytes.position());
    }
  }

  private void end() throws IOException {
    ended = true;
    raw.transferTo(OutputStream.nullOutputStream());
    close();
  }

  synchronized void close() {
    ended = true;
    try {
      if (raw != null) {
        raw.close();
      }
    } catch (IOException e) {
      throw new UncheckedIOException(cannotBeRead(e), e);
    }
    // There may be very many files: what was read of one is let go of.
    raw = null;
    streams = null;
    chunker = null;
  }

  /** Ends the work on a chunk. */
  synchronized void done() {
    outstanding--;
  }

  /** True for one caller, once all of the file was read and parsed. */
  synchronized boolean claimEnd() {
    boolean mine = ended && outstanding == 0 && !claimed;
    claimed |= mine;
    return mine;
  }

  /** What kept the file from being read to its end. */
  synchronized Optional<FileFormatException> damage() {
    return damage.or(() -> readable == null ? Optional.empty() : readable.damage());
  }

  /** The file as the ledger keeps it, once all of it was read and parsed. */
  synchronized Optional<IntakeFile> taken() {
    if (!ended || outstanding > 0) {
      return Optional.empty();
    }
    return Optional.of(
        new IntakeFile(
            feed.name(),
            file.path(),
            file.sizeBytes(),
            file.modified(),
            contentHash.get(),
            records.get(),
            setAside.get()));
  }
}
