package yardage.core.feed;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.channels.Channels;
import java.nio.channels.SeekableByteChannel;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.apache.commons.io.output.CountingOutputStream;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RejectedRecord;
import yardage.core.storage.Place;

/**
 * Keeps set-aside rows as JSON lines, one file per run, made with the first row. Once closed, rows
 * stand in the order of their files and places. It stays when the run fails: it is the evidence.
 * Thread-safe.
 */
public final class SetAsideWriter implements AutoCloseable {
  /** Counts rows and keeps none. */
  public static final SetAsideWriter NONE = new SetAsideWriter(null);

  /** More rows stay in the order in which they came: their places would take too much memory. */
  private static final int MOST_SORTED = 1_000_000;

  private final Place file;
  private final Map<String, Long> countByReason = new TreeMap<>();
  private final List<Origin> places = new ArrayList<>();
  private CountingOutputStream out;
  private long written;
  private JsonGenerator json;

  public SetAsideWriter(Place file) {
    this.file = file;
  }

  /**
   * @param before what must stand before the record to make a file of it alone
   */
  public synchronized void write(
      String feed, String step, RejectedRecord record, String before, String after) {
    if (file == null) {
      return;
    }
    try {
      if (json == null) {
        out = new CountingOutputStream(new BufferedOutputStream(file.write(true), 1 << 16));
        json = new JsonFactory().createGenerator(out).setRootValueSeparator(null);
        json.disable(JsonGenerator.Feature.FLUSH_PASSED_TO_STREAM);
      }
      json.writeStartObject();
      json.writeStringField("feed", feed);
      json.writeStringField("step", step);
      json.writeStringField("file", record.file());
      json.writeNumberField("line", record.line());
      json.writeNumberField("byteOffset", record.byteOffset());
      json.writeStringField("original", record.original());
      if (!before.isEmpty()) {
        json.writeStringField("before", before);
      }
      if (!after.isEmpty()) {
        json.writeStringField("after", after);
      }
      json.writeArrayFieldStart("failures");
      for (RejectedRecord.Failure failure : record.failures()) {
        json.writeStartObject();
        json.writeStringField("field", failure.field());
        json.writeStringField("reason", failure.reason().code());
        json.writeStringField("message", failure.message());
        json.writeEndObject();
      }
      json.writeEndArray();
      json.writeEndObject();
      json.writeRaw('\n');
      json.flush();
      if (places.size() < MOST_SORTED) {
        places.add(
            new Origin(
                feed,
                step,
                record.file(),
                record.line(),
                record.byteOffset(),
                // Rows of steps stand nowhere: they are told apart by what they hold.
                record.file().isEmpty() ? record.original().hashCode() : 0,
                written,
                out.getByteCount()));
      }
      written = out.getByteCount();
      // A row counts under its first failure, so that the reasons add up to the rows.
      countByReason.merge(record.failures().get(0).reason().code(), 1L, Long::sum);
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot keep set-aside rows in [%s]: %s".formatted(file, e.getMessage()), e);
    }
  }

  /** Keeps a row of a step further on, which is no record of a file any more. */
  public void write(String step, String row, String field, String reason, String message) {
    write(
        "",
        step,
        new RejectedRecord(
            "", 0, 0, row, List.of(new RejectedRecord.Failure(field, Reason.of(reason), message))),
        "",
        "");
  }

  /**
   * Puts the rows in the order of their files and places. Workers set rows aside as they come to
   * them; a row's number must not depend on who was faster.
   */
  private void sort() throws IOException {
    List<Origin> sorted = new ArrayList<>(places);
    sorted.sort(Origin.ORDER);
    places.clear();
    try (SeekableByteChannel from = file.open()) {
      file.put(
          to -> {
            InputStream rows = Channels.newInputStream(from);
            for (Origin p : sorted) {
              from.position(p.start());
              to.write(rows.readNBytes(Math.toIntExact(p.end() - p.start())));
            }
          });
    }
  }

  /** Where a row came from, and where it lies in the file of rows. */
  private record Origin(
      String feed,
      String step,
      String file,
      long line,
      long byteOffset,
      int tie,
      long start,
      long end) {
    static final Comparator<Origin> ORDER =
        Comparator.comparing(Origin::feed)
            .thenComparing(Origin::step)
            .thenComparing(Origin::file)
            .thenComparingLong(Origin::line)
            .thenComparingLong(Origin::byteOffset)
            .thenComparingInt(Origin::tie)
            .thenComparingLong(Origin::start);
  }

  /** Rows by the first reason that each was set aside for. */
  public synchronized Map<String, Long> countByReason() {
    return new TreeMap<>(countByReason);
  }

  @Override
  public synchronized void close() {
    try {
      if (json != null && !json.isClosed()) {
        json.close();
        out.close();
        if (places.size() < MOST_SORTED) {
          sort();
        }
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
