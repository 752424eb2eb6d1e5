package yardage.core.testing;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.format.Decompression;
import yardage.core.format.TextEncoding;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldMatch;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RejectedRecord;

/** Reads files with a format alone, and keeps the rows that fit and the records that do not. */
public final class RecordCollector implements RecordOutput {
  public final List<List<Object>> rows = new ArrayList<>();
  public final List<RejectedRecord> rejects = new ArrayList<>();
  public final java.util.Map<String, Long> strays = new java.util.TreeMap<>();

  /** Columns found by their names in a header, whatever their case. */
  public static FieldMatch byName(List<FieldRule> rules) {
    return (file, names) -> {
      Schema header =
          new Schema(
              names.stream()
                  .map(n -> new Schema.Field(n, yardage.core.column.Type.VARCHAR))
                  .toList());
      return new FieldMap(
          names.size(), rules.stream().map(r -> header.indexOf(r.name())).toList(), List.of());
    };
  }

  public RecordCollector read(RecordFormat format, String file, InputStream in) {
    return read(format, file, in, Chunk.TARGET_BYTES);
  }

  public RecordCollector read(RecordFormat format, String file, InputStream in, int chunkBytes) {
    try {
      Decompression streams =
          new Decompression(
              file,
              in,
              () -> {
                throw new IOException("Tests of formats have no archives");
              },
              Decompression.Limit.DEFAULT);
      InputStream stream = streams.next().orElseThrow().in();
      InputStream text = format.decodes() ? stream : TextEncoding.AUTO.utf8(stream);
      format.read(file, text, new Chunk(chunkBytes), this);
      return this;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** The line and first reason of each record that does not fit, by line. */
  public List<String> reasons() {
    return rejects.stream()
        .sorted(java.util.Comparator.comparingLong(RejectedRecord::line))
        .map(r -> r.line() + " " + r.failures().get(0).reason().code())
        .toList();
  }

  @Override
  public void records(ParsedRecords records) {
    List<Integer> good = new ArrayList<>();
    for (int r = 0; r < records.rowCount(); r++) {
      List<RejectedRecord.Failure> failures = records.failures().of(r);
      if (failures.isEmpty()) {
        good.add(r);
      } else {
        rejects.add(records.rejected(r, failures));
      }
    }
    int[] rows = good.stream().mapToInt(i -> i).toArray();
    Batch batch = new Batch(records.columns(), records.rowCount(), 0).gather(rows, rows.length);
    this.rows.addAll(Rows.rows(List.of(batch)));
  }

  @Override
  public void reject(RejectedRecord record) {
    rejects.add(record);
  }

  @Override
  public void stray(String field, long count, long line, String example) {
    strays.merge(field, count, Long::sum);
  }
}
