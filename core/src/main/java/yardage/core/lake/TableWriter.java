package yardage.core.lake;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.LongAdder;
import java.util.stream.IntStream;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.PartitionData;
import org.apache.iceberg.PartitionSpec;
import yardage.core.column.*;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.KeySet;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.Parallel;
import yardage.core.exec.ScanSource;
import yardage.core.exec.Sink;
import yardage.core.exec.StepTally;
import yardage.core.exec.Worker;
import yardage.core.expr.Conform;
import yardage.core.expr.ExpressionException;
import yardage.core.expr.Literal;

/**
 * Writes a step's rows for one table: gives them the table's columns, routes them into data files,
 * and takes in the rows that are there where the way of writing says so. See {@link
 * PartitionedFiles} for how files are filled.
 */
public final class TableWriter implements Sink {
  public static final long DEFAULT_TARGET_BYTES = 128_000_000L;

  /**
   * What to write, and how.
   *
   * @param key the columns by which rows are matched with those that are there, for modes that do
   * @param follow whether a table that is there gets the columns that it lacks, and wider types
   * @param files how they are filled
   */
  public record Target(
      TableName table,
      Partitioning partitioning,
      WriteMode mode,
      List<String> key,
      boolean follow,
      FileFilling files,
      Optional<Removal> removal) {
    public Target(
        TableName table,
        Partitioning partitioning,
        WriteMode mode,
        List<String> key,
        boolean follow,
        FileFilling files) {
      this(table, partitioning, mode, key, follow, files, Optional.empty());
    }
  }

  /** Rows that go when others are appended: those that have one of some texts in a column. */
  public record Removal(String column, Set<String> values) {
    public Removal {
      values = Set.copyOf(values);
    }
  }

  private final TableTarget what;
  private final Target target;
  private final Schema written;
  private final Schema schema;
  private final org.apache.iceberg.Schema iceberg;
  private final Optional<LakeTable> rewritten;
  private final StepTally tally;
  private final ExecutionContext context;
  private final PartitionSpec spec;
  private final PartitionedFiles files;
  private final StepTally older = new StepTally("", "");
  private final LongAdder carriedRows = new LongAdder();
  private final LongAdder removedRows = new LongAdder();
  private final boolean byKey;
  private final boolean retypes;
  private final int[] keyOrdinals;
  private final KeySet keys;
  private final MemoryPool.Reservation keyReservation;
  private List<DataFile> replaced = List.of();

  public TableWriter(
      Lake lake, TableTarget what, Staging staging, StepTally tally, ExecutionContext context) {
    Schema schema = what.schema();
    this.what = what;
    this.target = what.target();
    this.written = schema;
    this.tally = tally;
    this.context = context;
    TableName table = target.table();
    LakeTable existing = what.before().map(at -> lake.state(table, at)).orElse(null);
    boolean rewrites = false;
    boolean retypes = false;
    if (existing == null) {
      iceberg = IcebergTypes.toIceberg(schema);
      spec = target.partitioning().spec(iceberg);
      this.schema = schema;
    } else {
      if (target.follow()) {
        SchemaChange change = SchemaChange.of(table, existing.metadata(), schema);
        iceberg = change.iceberg();
        this.schema = change.schema();
        rewrites = !change.retyped().isEmpty() && target.mode() != WriteMode.REPLACE;
        retypes = rewrites;
      } else {
        iceberg = existing.metadata().schema();
        this.schema = taken(schema, IcebergTypes.fromIceberg(iceberg));
      }
      // Over the columns as they will be: a partition's values have their type.
      spec = existing.metadata().spec().toUnbound().bind(iceberg);
    }
    this.retypes = retypes;
    this.byKey = target.mode().isByKey() || target.removal().isPresent();
    this.keyOrdinals =
        target
            .removal()
            .map(r -> new int[] {this.schema.indexOf(r.column())})
            .orElseGet(() -> target.key().stream().mapToInt(this.schema::indexOf).toArray());
    this.keys =
        new KeySet(
            Arrays.stream(keyOrdinals)
                .mapToObj(k -> this.schema.field(k).type())
                .toArray(Type[]::new));
    this.keyReservation = context.memory().reservation(tally, "keys to write by");
    target
        .removal()
        .ifPresent(
            r -> {
              TextBuilder texts = new TextBuilder();
              r.values().forEach(texts::append);
              keys.add(new Column[] {texts.build()}, r.values().size());
            });
    rewrites |= existing != null && byKey;
    this.rewritten = rewrites ? Optional.of(existing) : Optional.empty();
    target.files().check(this.schema);
    this.files =
        new PartitionedFiles(
            this.schema,
            iceberg,
            spec,
            new Partitioning(this.schema, target.partitioning().fields()),
            target.files(),
            lake.tableFolder(table),
            what.files(),
            staging,
            context.memory().reservation(tally, "rows on their way into files"));
  }

  /** What was written, once the sink has finished. */
  public WrittenTable written() {
    return WrittenTable.of(this, what, spec);
  }

  private TableName table() {
    return target.table();
  }

  /** The table's columns that the files were written with. */
  org.apache.iceberg.Schema iceberg() {
    return iceberg;
  }

  /** The batch with the table's columns. */
  private Batch conformed(Batch batch) {
    if (written.equals(schema)) {
      return batch;
    }
    return batch.withColumns(
        schema.fields().stream().map(f -> columnOf(f, written, batch)).toList());
  }

  /** The columns to be written with the types that the table's columns have. */
  private static Schema taken(Schema written, Schema there) {
    return new Schema(
        written.fields().stream()
            .map(
                f ->
                    there.indexOf(f.name()) < 0
                        ? f
                        : new Schema.Field(
                            f.name(), there.field(there.indexOf(f.name())).type(), f.nullable()))
            .toList());
  }

  /** A column of the table out of a batch that may lack it, or have it with other digits. */
  private Column columnOf(Schema.Field wanted, Schema from, Batch batch) {
    int at = from.indexOf(wanted.name());
    if (at < 0) {
      return Literal.of(wanted.type(), null).column(batch.rowCount());
    }
    try {
      return Conform.to(batch.column(at), wanted.type());
    } catch (ExpressionException e) {
      throw new LakeException(
          "%s, which column [%s] of table [%s] is; let the table follow with columns: follow in the write, or cast the column before it"
              .formatted(e.getMessage(), wanted.name(), table()),
          e);
    }
  }

  /**
   * The state of the table from which files are written again: all of them when a column's type
   * changed in a way that readers of older files cannot follow, otherwise those that have a key
   * that comes.
   */
  Optional<LakeTable> rewritten() {
    return rewritten;
  }

  /** How many rows were there before and were written again. */
  long rewrittenRows() {
    return carriedRows.sum();
  }

  /** How many rows were there before and are not any more, by their key. */
  long removedRows() {
    return removedRows.sum();
  }

  /** Whether they were because a column got another type. */
  boolean retypes() {
    return retypes;
  }

  /** Files of {@link #rewritten} that are not part of the table any more. */
  List<DataFile> replaced() {
    return replaced;
  }

  /** The files written; all of them once the sink has finished. */
  ColumnSketches sketches() {
    return files.sketches();
  }

  List<DataFile> files() {
    return files.files();
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    BatchConsumer router = files.router();
    return batch -> {
      Batch rows = conformed(batch);
      addKeys(rows);
      if (target.mode() != WriteMode.DELETE) {
        router.accept(rows);
      }
    };
  }

  private void addKeys(Batch rows) {
    if (!target.mode().isByKey()) {
      return;
    }
    try {
      keys.add(keyColumns(rows), rows.rowCount());
      keyReservation.resize(keys.sizeBytes());
    } catch (IllegalArgumentException e) {
      throw new LakeException(
          "Rows for table [%s] cannot be matched by their key: %s; dedupe them, or drop those without a key, in a step before"
              .formatted(table(), e.getMessage()),
          e);
    }
  }

  private Column[] keyColumns(Batch rows) {
    return Arrays.stream(keyOrdinals).mapToObj(rows::column).toArray(Column[]::new);
  }

  @Override
  public void finish() {
    rewritten.ifPresent(this::rewriteOlder);
    files.finish(context);
    List<DataFile> all = files.files();
    // The footers' counts, not the counters on the way: this is what readers will find.
    long written = all.stream().mapToLong(DataFile::recordCount).sum() - rewrittenRows();
    tally.rowsOut.add(target.mode() == WriteMode.DELETE ? tally.rowsIn.sum() : written);
    tally.bytesWritten.add(all.stream().mapToLong(DataFile::fileSizeInBytes).sum());
    tally.filesWritten.add(all.size());
    keyReservation.close();
  }

  /** Takes in what the table has, but for partitions that this write replaces. */
  private void rewriteOlder(LakeTable table) {
    Set<PartitionData> gone = new HashSet<>();
    if (target.mode() == WriteMode.REPLACE_PARTITIONS) {
      gone.addAll(files.touched());
    }
    List<DataFile> all = table.dataFiles();
    Set<String> untouched = retypes ? Set.of() : withoutTheKeys(table, all);
    replaced = all.stream().filter(f -> !untouched.contains(f.location())).toList();
    int[] columns = table.schema().ordinals();
    ScanSource source =
        table.scan(
            columns,
            List.of(),
            List.of(),
            older,
            f -> !untouched.contains(f.location()) && !gone.contains(table.partitionOf(f, spec)));
    Parallel.drain(
        source,
        () -> {
          BatchConsumer router = files.router();
          KeySet.Finder finder = keys.new Finder();
          return batch -> {
            Batch rows = retyped(table, batch);
            if (byKey) {
              int[] kept = new int[rows.rowCount()];
              int n = finder.missing(keyColumns(rows), rows.rowCount(), kept);
              if (n == 0) {
                removedRows.add(batch.rowCount());
                return;
              }
              rows = n == rows.rowCount() ? rows : rows.gather(kept, n);
            }
            carriedRows.add(rows.rowCount());
            removedRows.add(batch.rowCount() - rows.rowCount());
            router.accept(rows);
          };
        },
        context);
  }

  /** The files in which no row has a key that comes: those stay as they are. */
  private Set<String> withoutTheKeys(LakeTable table, List<DataFile> all) {
    int[] columns =
        Arrays.stream(keyOrdinals)
            .map(k -> table.schema().indexOf(schema.field(k).name()))
            .toArray();
    Set<String> out = ConcurrentHashMap.newKeySet();
    Parallel.forEach(
        all,
        context,
        file -> {
          KeySet.Finder finder = keys.new Finder();
          boolean[] any = {false};
          table.read(
              file,
              columns,
              batch -> {
                Column[] columnsOfKey =
                    IntStream.range(0, columns.length)
                        .mapToObj(
                            c -> Conform.to(batch.column(c), schema.field(keyOrdinals[c]).type()))
                        .toArray(Column[]::new);
                int rows = batch.rowCount();
                any[0] |= finder.missing(columnsOfKey, rows, new int[rows]) < rows;
              });
          if (!any[0]) {
            out.add(file.location());
          }
        });
    return out;
  }

  private Batch retyped(LakeTable table, Batch batch) {
    List<Column> out = new ArrayList<>();
    for (Schema.Field f : schema.fields()) {
      try {
        out.add(columnOf(f, table.schema(), batch));
      } catch (ExpressionException e) {
        throw new LakeException(
            "Column [%s] of table [%s] cannot become %s, since a row that is there stands against it: %s"
                .formatted(f.name(), table(), f.type(), e.getMessage()),
            e);
      }
    }
    return batch.withColumns(out);
  }

  @Override
  public void abort() {
    files.abandon();
    keyReservation.close();
  }
}
