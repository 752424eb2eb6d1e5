package yardage.core.feed;

import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.LongColumn;
import yardage.core.column.TextBuilder;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.FieldParser;
import yardage.core.format.record.FieldSpans;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.RejectedRecord;

/**
 * Holds parsed records against a feed's contract: adds the columns that are not in the records,
 * looks at the conditions, and tells the rows that fit from those that do not. Immutable and
 * thread-safe.
 */
final class Contract {
  private final FeedDefinition feed;
  private final List<FeedColumn> fields;
  private final RowChecks checks;
  private final String run;
  private final long takenAtMicros;

  Contract(FeedDefinition feed, String run, Instant takenAt) {
    this.feed = feed;
    this.fields = feed.fields();
    this.checks = new RowChecks(feed);
    this.run = run;
    this.takenAtMicros = Values.micros(LocalDateTime.ofInstant(takenAt, ZoneOffset.UTC));
  }

  /** Takes what came of the records. */
  interface Outcome {
    void rows(Batch batch);

    void setAside(RejectedRecord record);

    /** So many values of a column did not fit and became null. */
    void nulled(String column, long values);

    /** So many times of a column lost what they have beyond microseconds. */
    void cut(String column, long values);
  }

  /**
   * @param origin where records that are replayed come from: their columns name it
   */
  void enforce(
      ParsedRecords records, Optional<Replays.Origin> origin, long sequence, Outcome outcome) {
    FieldFailures failures = records.failures();
    List<Column> columns = columns(records, origin);
    int n = records.rowCount();
    Batch batch = new Batch(columns, n, sequence);
    for (int i = 0; i < fields.size(); i++) {
      long nulled = failures.nulledOf(i);
      if (nulled > 0) {
        outcome.nulled(fields.get(i).name(), nulled);
      }
      if (failures.cutOf(i) > 0) {
        outcome.cut(fields.get(i).name(), failures.cutOf(i));
      }
    }
    boolean[] bad = new boolean[checks.isEmpty() && failures.isEmpty() ? 0 : n];
    mark(bad, failures, 0);
    if (!checks.isEmpty()) {
      int before = failures.count();
      checks.look(batch, bad, failures);
      mark(bad, failures, before);
    }
    if (failures.isEmpty()) {
      outcome.rows(batch);
      return;
    }
    int[] good = new int[n];
    int count = 0;
    List<List<RejectedRecord.Failure>> byRow = byRow(failures, n);
    for (int r = 0; r < n; r++) {
      if (bad[r]) {
        outcome.setAside(records.rejected(r, byRow.get(r)));
      } else {
        good[count++] = r;
      }
    }
    if (count > 0) {
      outcome.rows(batch.gather(good, count));
    }
  }

  private static void mark(boolean[] bad, FieldFailures failures, int from) {
    for (int i = from; i < failures.count(); i++) {
      bad[failures.row(i)] = true;
    }
  }

  private static List<List<RejectedRecord.Failure>> byRow(FieldFailures failures, int rows) {
    List<List<RejectedRecord.Failure>> out =
        new ArrayList<>(java.util.Collections.nCopies(rows, List.of()));
    for (int i = 0; i < failures.count(); i++) {
      List<RejectedRecord.Failure> row = out.get(failures.row(i));
      if (row.isEmpty()) {
        row = new ArrayList<>(2);
        out.set(failures.row(i), row);
      }
      row.add(failures.failure(i));
    }
    return out;
  }

  private List<Column> columns(ParsedRecords records, Optional<Replays.Origin> origin) {
    List<Column> out = new ArrayList<>(feed.columns().size() + 1);
    int n = records.rowCount();
    int read = 0;
    for (FeedColumn column : feed.columns()) {
      if (column.isField()) {
        out.add(records.columns().get(read++));
      } else if (column.source() instanceof FeedColumn.Folder folder) {
        out.add(folder(column, folder, fileOf(records, origin, 0), records));
      } else {
        out.add(added(((FeedColumn.Added) column.source()).what(), origin, records));
      }
    }
    if (feed.keepsStrays()) {
      out.add(
          read < records.columns().size()
              ? records.columns().get(read)
              : TextColumn.of(new String[n]));
    }
    return out;
  }

  private Column added(
      FeedColumn.Addition what, Optional<Replays.Origin> origin, ParsedRecords records) {
    int n = records.rowCount();
    switch (what) {
      case FILE:
        return files(records, origin);
      case RUN:
        return TextColumn.constant(run.getBytes(StandardCharsets.UTF_8), n);
      default:
        long[] values = new long[n];
        for (int r = 0; r < n; r++) {
          values[r] =
              switch (what) {
                case LINE -> line(records, origin, r);
                case RECORD -> records.places().record(r) + 1;
                case BYTE -> byteOffset(records, origin, r);
                default -> takenAtMicros;
              };
        }
        return new LongColumn(
            what == FeedColumn.Addition.TAKEN_AT ? Type.TIMESTAMP : Type.BIGINT, values, null, n);
    }
  }

  private static String fileOf(ParsedRecords records, Optional<Replays.Origin> origin, int row) {
    return origin.map(Replays.Origin::file).orElseGet(() -> records.places().file(row));
  }

  /** The names of the files, each held once. */
  private static Column files(ParsedRecords records, Optional<Replays.Origin> origin) {
    int[] codes = new int[records.rowCount()];
    TextBuilder names = new TextBuilder();
    String last = "";
    int count = 0;
    for (int r = 0; r < codes.length; r++) {
      String file = fileOf(records, origin, r);
      if (count == 0 || !file.equals(last)) {
        names.append(file);
        last = file;
        count++;
      }
      codes[r] = count - 1;
    }
    TextColumn entries = names.build();
    return TextColumn.coded(entries.bytes(), entries.offsets(), count, codes, null, codes.length);
  }

  private static long line(ParsedRecords records, Optional<Replays.Origin> origin, int row) {
    long line = records.places().line(row);
    return origin.isPresent() ? origin.get().line(line) : line;
  }

  private static long byteOffset(ParsedRecords records, Optional<Replays.Origin> origin, int row) {
    long at = records.places().byteOffset(row);
    return origin.isPresent() ? origin.get().byteOffset(records.places().line(row), at) : at;
  }

  /** A folder's value, read once as the column's rule says and given to every row. */
  private static Column folder(
      FeedColumn column, FeedColumn.Folder folder, String file, ParsedRecords records) {
    FieldSpans one =
        FieldSpans.ofOne(
            Optional.ofNullable(folders(file).get(folder.name()))
                .map(text -> text.getBytes(StandardCharsets.UTF_8)));
    FieldFailures failures = new FieldFailures();
    Column value =
        new FieldParser(column.rule(), 0, 0, FieldParser.Quoting.NONE).parse(one, failures);
    int n = records.rowCount();
    for (int i = 0; i < failures.count(); i++) {
      for (int r = 0; r < n; r++) {
        records.failures().add(r, failures.failure(i));
      }
    }
    return value.gather(new int[n], n);
  }

  /** The {@code name=value} folders of a path, unescaped as URLs are. */
  static Map<String, String> folders(String path) {
    Map<String, String> out = new TreeMap<>();
    String[] parts = path.split("/");
    for (int i = 0; i < parts.length - 1; i++) {
      int equals = parts[i].indexOf('=');
      if (equals > 0) {
        out.put(parts[i].substring(0, equals), unescaped(parts[i].substring(equals + 1)));
      }
    }
    return out;
  }

  private static String unescaped(String value) {
    try {
      return java.net.URLDecoder.decode(value.replace("+", "%2B"), StandardCharsets.UTF_8);
    } catch (IllegalArgumentException e) {
      // A percent sign that escapes nothing stands for itself.
      return value;
    }
  }
}
