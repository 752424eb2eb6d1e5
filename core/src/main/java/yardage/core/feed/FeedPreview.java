package yardage.core.feed;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.TreeMap;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.format.Decompression;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RecordParser;
import yardage.core.format.record.RejectedRecord;
import yardage.core.storage.Place;

/**
 * The first rows of a file as a contract reads them, and its first bytes as they are; nothing is
 * kept.
 *
 * @param rows boxed values by column
 * @param raw the beginning of the file, inflated, as text
 * @param strays fields that no column takes, with how often they came
 */
public record FeedPreview(
    Schema schema,
    List<List<Object>> rows,
    List<RejectedRecord> setAside,
    String raw,
    List<FieldSightings.Sighting> strays) {
  private static final int RAW_BYTES = 1 << 14;

  /** The first rows of a file. */
  public static FeedPreview of(
      FeedDefinition feed, Place inbox, FileDiscovery.Found file, int mostRows) {
    RecordFormat format = Formats.of(feed, inbox, note -> {});
    Place place = file.location();
    try {
      if (format.seeks()) {
        Chunker chunker = format.openFile(file.path(), place);
        return new Reading(feed, mostRows).read(file.path(), format, chunker, "");
      }
      String raw;
      try (InputStream in = place.read()) {
        raw = text(feed, decompression(feed, file, place, in), format);
      }
      try (InputStream in = place.read()) {
        var entry = decompression(feed, file, place, in).next();
        if (entry.isEmpty()) {
          return new FeedPreview(feed.schema(), List.of(), List.of(), raw, List.of());
        }
        InputStream text =
            format.decodes() ? entry.get().in() : feed.text(file.path(), entry.get().in());
        return new Reading(feed, mostRows)
            .read(file.path(), format, format.open(file.path(), text), raw);
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "File [%s] cannot be read: %s".formatted(file.path(), e.getMessage()), e);
    }
  }

  private static Decompression decompression(
      FeedDefinition feed, FileDiscovery.Found file, Place place, InputStream in) {
    return new Decompression(
        file.path(),
        in,
        place::open,
        new Decompression.Archive(feed.wantedEntries(), (name, why) -> {}),
        feed.inflateLimit(),
        file.sizeBytes());
  }

  /** What becomes of some rows that were set aside, as they are or corrected. */
  public static FeedPreview ofReplay(FeedDefinition feed, Place inbox, List<Replays.Line> lines) {
    RecordFormat format = Formats.ofReplays(feed, inbox);
    byte[] utf8 = Replays.text(feed, lines).getBytes(StandardCharsets.UTF_8);
    try {
      return new Reading(feed, Integer.MAX_VALUE, Optional.of(Replays.originOf(feed, lines)))
          .read("replay", format, format.open("replay", new ByteArrayInputStream(utf8)), "");
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static String text(FeedDefinition feed, Decompression streams, RecordFormat format)
      throws IOException {
    var entry = streams.next();
    if (entry.isEmpty()) {
      return "";
    }
    InputStream in = entry.get().in();
    byte[] bytes = (format.decodes() ? in : feed.encoding().utf8(in)).readNBytes(RAW_BYTES);
    return new String(bytes, StandardCharsets.UTF_8);
  }

  /** Gathers what a reader gives until there is enough. */
  private static final class Reading implements RecordOutput, Contract.Outcome {
    private final FeedDefinition feed;
    private final int mostRows;
    private final Contract contract;
    private final Optional<Replays.Origin> origin;
    private final List<List<Object>> rows = new ArrayList<>();
    private final List<RejectedRecord> rejects = new ArrayList<>();
    private final TreeMap<String, FieldSightings.Sighting> strays = new TreeMap<>();

    Reading(FeedDefinition feed, int mostRows) {
      this(feed, mostRows, Optional.empty());
    }

    Reading(FeedDefinition feed, int mostRows, Optional<Replays.Origin> origin) {
      this.feed = feed;
      this.origin = origin;
      this.mostRows = mostRows;
      this.contract = new Contract(feed, "preview", Instant.now());
    }

    FeedPreview read(String file, RecordFormat format, Chunker chunker, String raw)
        throws IOException {
      RecordParser parser = format.parser(chunker.fields());
      Chunk chunk = new Chunk(1 << 16);
      chunk.file = file;
      chunk.fields = chunker.fields();
      while (rows.size() + rejects.size() < mostRows && chunker.next(chunk)) {
        parser.parse(chunk, this);
      }
      return new FeedPreview(
          feed.schema(),
          rows.subList(0, Math.min(rows.size(), mostRows)),
          rejects.subList(0, Math.min(rejects.size(), mostRows)),
          raw,
          List.copyOf(strays.values()));
    }

    @Override
    public void records(ParsedRecords records) {
      contract.enforce(records, origin, 0, this);
    }

    @Override
    public void reject(RejectedRecord record) {
      rejects.add(record);
    }

    @Override
    public void stray(String field, long count, long line, String example) {
      strays.putIfAbsent(field, new FieldSightings.Sighting(field, count, "", line, example));
    }

    @Override
    public void rows(Batch batch) {
      for (int r = 0; r < batch.rowCount(); r++) {
        rows.add(batch.row(r));
      }
    }

    @Override
    public void setAside(RejectedRecord record) {
      rejects.add(record);
    }

    @Override
    public void nulled(String column, long values) {}

    @Override
    public void cut(String column, long values) {
      // The run tells of it.
    }
  }
}
