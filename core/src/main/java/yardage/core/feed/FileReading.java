package yardage.core.feed;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.math.BigDecimal;
import java.nio.ByteBuffer;
import java.nio.channels.SeekableByteChannel;
import java.nio.file.NoSuchFileException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Supplier;
import org.apache.commons.compress.utils.SeekableInMemoryByteChannel;
import org.apache.commons.io.input.BoundedInputStream;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Values;
import yardage.core.format.Decompression;
import yardage.core.format.FileFormatException;
import yardage.core.format.TextEncoding;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.text.EditedLines;
import yardage.core.storage.Place;

/**
 * One file while it is read. Several workers may take chunks from it in turn: one reads, inflates
 * and cuts while the others parse what they took, so a large file needs no places to split at.
 */
final class FileReading {
  private static final int SMALL_BYTES = 1 << 18;

  private final FeedDefinition feed;
  private final FeedFile file;
  private final Place place;
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
  private int streamCount;
  private LastByte last;
  private boolean withoutEnd;
  private final List<String> told = new ArrayList<>();
  private Optional<FileFormatException> damage = Optional.empty();
  private final List<EditedLines> edited = new ArrayList<>();
  private final Map<String, BigDecimal> sums = new ConcurrentHashMap<>();
  private final Map<String, BigDecimal> saidSums = new HashMap<>();
  private BigDecimal saidRows = BigDecimal.ZERO;
  final AtomicLong records = new AtomicLong();
  final AtomicLong setAside = new AtomicLong();

  /**
   * @param place where the file is
   */
  FileReading(FeedDefinition feed, FeedFile file, Place place, RecordFormat format) {
    this.feed = feed;
    this.file = file;
    this.place = place;
    this.format = format;
    this.replay = Replays.isReplay(file.path());
  }

  boolean isReplay() {
    return replay;
  }

  RecordFormat format() {
    return format;
  }

  FeedFile file() {
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
        if (chunker != null) {
          streamEnded();
        }
        Optional<Decompression.Entry> entry =
            damage().isPresent() || format.seeks() ? Optional.empty() : streams.next();
        if (entry.isEmpty()) {
          end();
          return false;
        }
        label = entry.get().name().isEmpty() ? file.path() : file.path() + "!" + entry.get().name();
        InputStream in = readable(entry.get().in());
        streamCount++;
        InputStream text = format.decodes() ? in : edited(encoding().utf8(in));
        last = format.joins() ? new LastByte(text) : null;
        chunker = format.open(label, last != null ? last : text);
      }
    } catch (FileFormatException e) {
      if (raw instanceof ContentHash.Reading reading && reading.bytes() > file.sizeBytes()) {
        close();
        whole(reading.bytes());
      }
      if (!feed.keepReadable()) {
        close();
        throw replay ? e : new DamagedFileException(feed, file, e);
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
    } catch (FeedChangedException e) {
      close();
      throw replay ? e : new ChangedFileException(feed.name(), file, e);
    } catch (RuntimeException e) {
      close();
      throw e;
    }
  }

  /** Looks at what the end of a stream tells of it. */
  private void streamEnded() {
    chunker.notFound().ifPresent(this::notFound);
    if (last != null && last.endsWithin()) {
      withoutEnd = true;
    }
    chunker = null;
  }

  private void notFound(String what) {
    if (!feed.takesNoRows() && !replay) {
      throw new FeedChangedException(
          feed.name(),
          "Feed [%s]: in file [%s] %s, where the feed says that its rows are (a feed with no-rows: take takes such a file as one without rows)"
              .formatted(feed.name(), label, what));
    }
  }

  /** The text with what the feed does to its lines; replayed rows are rows already. */
  private InputStream edited(InputStream text) {
    if (feed.edits().isNone() || replay) {
      return text;
    }
    EditedLines lines = new EditedLines(label, text, feed.edits());
    edited.add(lines);
    return lines;
  }

  /** How many lines are no rows, by how they begin. */
  synchronized long otherLines() {
    return edited.stream().mapToLong(EditedLines::others).sum();
  }

  /** Adds up what rows hold that the file's trailer says the sums of. */
  void sum(Batch batch) {
    Trailer trailer = feed.trailer().orElseThrow();
    for (String name : trailer.sums().keySet()) {
      int c = feed.schema().indexOf(name);
      Column column = batch.column(c);
      BigDecimal sum = BigDecimal.ZERO;
      for (int r = 0; r < batch.rowCount(); r++) {
        if (!column.isNull(r)) {
          sum = sum.add(new BigDecimal(Values.text(column.value(r))));
        }
      }
      BigDecimal more = sum;
      sums.merge(name, more, BigDecimal::add);
    }
  }

  /**
   * Holds a file against what its trailer says, once all of it was read.
   *
   * @throws DamagedFileException when they differ
   */
  void holdAgainstTrailer() {
    if (feed.trailer().isEmpty() || replay || damage().isPresent()) {
      return;
    }
    Trailer trailer = feed.trailer().get();
    try {
      for (EditedLines lines : edited) {
        Trailer.Said said = trailer.said(lines.last());
        said.rows().ifPresent(n -> saidRows = saidRows.add(n));
        said.sums().forEach((column, n) -> saidSums.merge(column, n, BigDecimal::add));
      }
      if (trailer.rows().isPresent()
          && saidRows.compareTo(BigDecimal.valueOf(records.get())) != 0) {
        throw new IllegalArgumentException(
            "its trailer says %s rows, and it has %,d"
                .formatted(saidRows.toPlainString(), records.get()));
      }
      if (setAside.get() > 0 && !trailer.sums().isEmpty()) {
        told.add(
            "%s: the sums of its trailer are not held against its rows, since %,d of these are set aside"
                .formatted(file.path(), setAside.get()));
        return;
      }
      saidSums.forEach(
          (column, n) -> {
            BigDecimal found = sums.getOrDefault(column, BigDecimal.ZERO);
            if (found.compareTo(n) != 0) {
              throw new IllegalArgumentException(
                  "its trailer says a sum of %s for [%s], and its rows have %s"
                      .formatted(n.toPlainString(), column, found.toPlainString()));
            }
          });
    } catch (IllegalArgumentException e) {
      throw new DamagedFileException(
          feed,
          file,
          new FileFormatException(
              "File [%s] is not whole: %s; get the file again"
                  .formatted(file.path(), e.getMessage())));
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

  /** What the file tells that its rows do not; in words, for the run. */
  synchronized List<String> told() {
    return List.copyOf(told);
  }

  /** Whether the last line of some text has no line end, as that of a file that was cut. */
  synchronized boolean isWithoutEnd() {
    return withoutEnd;
  }

  private void open() throws IOException {
    if (replay) {
      origin = Replays.origin(place);
    }
    // The name may have become a link since it was found, and links may lead out of the inbox.
    if (file.sizeBytes() <= SMALL_BYTES) {
      // Three calls of the system and no more: with very many small files they are the cost.
      byte[] bytes = readSmall();
      whole(bytes.length);
      raw = new ByteArrayInputStream(bytes);
      String hash = ContentHash.of(bytes);
      contentHash = () -> hash;
      streams = decompression(() -> new SeekableInMemoryByteChannel(bytes));
    } else {
      ContentHash.Reading reading =
          new ContentHash.Reading(
              // A file that grows as fast as it is read has no end otherwise.
              BoundedInputStream.builder()
                  .setInputStream(place.read())
                  .setMaxCount(file.sizeBytes() + 1)
                  .get());
      raw = reading;
      contentHash = reading::contentHash;
      streams = decompression(place::open);
    }
    if (format.seeks()) {
      label = file.path();
      raw.transferTo(OutputStream.nullOutputStream());
      chunker = format.openFile(label, place);
    }
  }

  private Decompression decompression(Decompression.RandomAccess again) {
    return new Decompression(
        file.path(),
        raw,
        again,
        new Decompression.Archive(
            feed.wantedEntries(),
            (name, why) -> told.add("%s!%s is skipped: %s".formatted(file.path(), name, why))),
        feed.inflateLimit(),
        file.sizeBytes());
  }

  /**
   * A file that is still being written must not be taken as whole: it has as many bytes as when it
   * was found.
   */
  private void whole(long readBytes) {
    if (readBytes != file.sizeBytes()) {
      throw new FeedException(
          "Feed [%s]: file [%s] had %,d bytes when the run began and has %s now: somebody is still writing it. Nothing was published; run again once it is whole, or set still-for in the feed's intake to longer than its writer pauses"
              .formatted(
                  feed.name(),
                  file.path(),
                  file.sizeBytes(),
                  readBytes > file.sizeBytes() ? "more" : "%,d".formatted(readBytes)));
    }
  }

  private byte[] readSmall() throws IOException {
    try (SeekableByteChannel in = place.open()) {
      ByteBuffer bytes = ByteBuffer.allocate((int) file.sizeBytes() + 1);
      // One byte of room more than there should be: that it is filled tells of growth.
      while (bytes.hasRemaining() && in.read(bytes) >= 0) {
        if (bytes.position() == file.sizeBytes() && in.size() == file.sizeBytes()) {
          break;
        }
      }
      return Arrays.copyOf(bytes.array(), bytes.position());
    }
  }

  private void end() throws IOException {
    ended = true;
    raw.transferTo(OutputStream.nullOutputStream());
    if (raw instanceof ContentHash.Reading reading) {
      whole(reading.bytes());
    }
    if (streamCount == 0 && file.sizeBytes() > 0 && !format.seeks() && damage().isEmpty()) {
      told.add("%s is an archive in which nothing is the feed's".formatted(file.path()));
    }
    if (streams != null) {
      streams.close();
    }
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
