package yardage.core.feed;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RejectedRecord;

/**
 * Keeps set-aside rows as JSON lines, one file per run, made with the first row. It stays when the
 * run fails: it is the evidence. Thread-safe.
 */
public final class SetAsideWriter implements AutoCloseable {
  /** Counts rows and keeps none. */
  public static final SetAsideWriter NONE = new SetAsideWriter(null);

  private final Path file;
  private final Map<String, Long> countByReason = new TreeMap<>();
  private OutputStream out;
  private JsonGenerator json;

  public SetAsideWriter(Path file) {
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
        Files.createDirectories(file.getParent());
        out = new BufferedOutputStream(Files.newOutputStream(file), 1 << 16);
        json = new JsonFactory().createGenerator(out).setRootValueSeparator(null);
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
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
