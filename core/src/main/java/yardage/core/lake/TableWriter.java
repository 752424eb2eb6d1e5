package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.LongAdder;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.DataFiles;
import org.apache.iceberg.FileFormat;
import org.apache.iceberg.MetricsConfig;
import org.apache.iceberg.PartitionData;
import org.apache.iceberg.PartitionSpec;
import org.apache.iceberg.parquet.ParquetSchemaUtil;
import org.apache.iceberg.parquet.ParquetUtil;
import org.apache.parquet.hadoop.metadata.ParquetMetadata;
import org.apache.parquet.io.LocalOutputFile;
import org.apache.parquet.schema.MessageType;
import yardage.core.column.*;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.KeyNumbers;
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
import yardage.core.format.parquet.DataFileWriter;
import yardage.core.format.parquet.RowGroup;

/**
 * Writes a step's rows as data files. All workers share one open file per partition, so a partition
 * gets one file until that reaches the target size, however many workers write. Rows gather in a
 * buffer per partition; a full buffer is encoded by the worker that filled it, outside any lock,
 * and takes its turn in the file. When memory runs short the fullest buffers go early.
 */
public final class TableWriter implements Sink {
  public static final long DEFAULT_TARGET_BYTES = 128L << 20;
  private static final int ROW_GROUP_ROWS = 1 << 20;
  private static final long ROW_GROUP_BYTES = 64L << 20;

  private final TableName table;
  private final Schema written;
  private final boolean follow;
  private final Schema schema;
  private final org.apache.iceberg.Schema iceberg;
  private final Partitioning partitioning;

  /** The same over the table's columns. */
  private final Partitioning routing;

  private final Optional<LakeTable> rewritten;
  private final WriteMode mode;
  private final long targetBytes;
  private final Path dataFolder;
  private final String run;
  private final Staging staging;
  private final StepTally tally;
  private final ExecutionContext context;
  private final MessageType fileSchema;
  private final PartitionSpec spec;
  private final MemoryPool.Reservation reservation;
  private final AtomicLong bufferedBytes = new AtomicLong();
  private final AtomicInteger fileNumber = new AtomicInteger();
  private final Map<List<Object>, Partition> partitions = new ConcurrentHashMap<>();
  private final List<DataFile> files = new ArrayList<>();
  private final StepTally older = new StepTally("", "");
  private final LongAdder carriedRows = new LongAdder();
  private final boolean retypes;
  private final int[] keyOrdinals;
  private final KeySet keys;
  private final MemoryPool.Reservation keyReservation;
  private List<DataFile> replaced = List.of();

  /**
   * @param key the columns by which rows are matched with those that are there, for modes that do
   * @param run names the files; must be unlike that of any other run
   * @param follow whether a table that is there gets the columns that it lacks, and wider types
   * @param targetBytes the size at which a partition's file is closed and the next one begun
   * @throws LakeException when the table is there and has other columns or partitions
   */
  public TableWriter(
      Lake lake,
      TableName table,
      Schema schema,
      Partitioning partitioning,
      WriteMode mode,
      List<String> key,
      boolean follow,
      long targetBytes,
      String run,
      Staging staging,
      StepTally tally,
      ExecutionContext context) {
    this.table = table;
    this.written = schema;
    this.follow = follow;
    this.partitioning = partitioning;
    this.mode = mode;
    this.targetBytes = targetBytes;
    this.run = run;
    this.staging = staging;
    this.tally = tally;
    this.context = context;
    this.dataFolder = lake.tableFolder(table).resolve("data");
    this.reservation = context.memory().reservation(tally, "rows on their way into files");
    LakeTable existing = lake.table(table).orElse(null);
    org.apache.iceberg.Schema icebergSchema;
    boolean rewrites = false;
    boolean retypes = false;
    if (existing == null) {
      icebergSchema = IcebergTypes.toIceberg(schema);
      spec = partitioning.spec(icebergSchema);
      this.schema = schema;
    } else {
      Publication.checkFits(table, schema, partitioning, existing.metadata(), follow);
      if (follow) {
        SchemaChange change = SchemaChange.of(table, existing.metadata(), schema);
        icebergSchema = change.iceberg();
        this.schema = change.schema();
        rewrites = !change.retyped().isEmpty() && mode != WriteMode.REPLACE;
        retypes = rewrites;
      } else {
        icebergSchema = existing.metadata().schema();
        this.schema = schema;
      }
      spec = existing.metadata().spec();
    }
    this.iceberg = icebergSchema;
    this.retypes = retypes;
    this.keyOrdinals = key.stream().mapToInt(this.schema::indexOf).toArray();
    this.keys =
        new KeySet(
            Arrays.stream(keyOrdinals)
                .mapToObj(k -> this.schema.field(k).type())
                .toArray(Type[]::new));
    this.keyReservation = context.memory().reservation(tally, "keys to write by");
    rewrites |= existing != null && mode.isByKey();
    this.rewritten = rewrites ? Optional.of(existing) : Optional.empty();
    this.routing = new Partitioning(this.schema, partitioning.fields());
    fileSchema = ParquetSchemaUtil.convert(icebergSchema, "table");
  }

  public TableName table() {
    return table;
  }

  /** The columns as the steps before the write give them. */
  Schema written() {
    return written;
  }

  boolean follow() {
    return follow;
  }

  /** The table's columns that the files were written with. */
  org.apache.iceberg.Schema iceberg() {
    return iceberg;
  }

  /** The batch with the table's columns. */
  private Batch conformed(Batch batch) {
    if (written.equals(schema) || !follow) {
      return batch;
    }
    return batch.withColumns(
        schema.fields().stream().map(f -> columnOf(f, written, batch)).toList());
  }

  /** A column of the table out of a batch that may lack it, or have it narrower. */
  private static Column columnOf(Schema.Field wanted, Schema from, Batch batch) {
    int at = from.indexOf(wanted.name());
    return at < 0
        ? Literal.of(wanted.type(), null).column(batch.rowCount())
        : Conform.to(batch.column(at), wanted.type());
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
  public long rewrittenRows() {
    return carriedRows.sum();
  }

  /** Whether they were because a column got another type. */
  public boolean retypes() {
    return retypes;
  }

  /** Files of {@link #rewritten} that are not part of the table any more. */
  List<DataFile> replaced() {
    return replaced;
  }

  Partitioning partitioning() {
    return partitioning;
  }

  WriteMode mode() {
    return mode;
  }

  /** The files written; all of them once the sink has finished. */
  List<DataFile> files() {
    return List.copyOf(files);
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    BatchConsumer router = router();
    return batch -> {
      Batch rows = conformed(batch);
      addKeys(rows);
      if (mode != WriteMode.DELETE) {
        router.accept(rows);
      }
    };
  }

  private void addKeys(Batch rows) {
    if (!mode.isByKey()) {
      return;
    }
    try {
      keys.add(keyColumns(rows), rows.rowCount());
      keyReservation.resize(keys.sizeBytes());
    } catch (IllegalArgumentException e) {
      throw new LakeException(
          "Rows for table [%s] cannot be matched by their key: %s; dedupe them, or drop those without a key, in a step before"
              .formatted(table, e.getMessage()),
          e);
    }
  }

  private Column[] keyColumns(Batch rows) {
    return Arrays.stream(keyOrdinals).mapToObj(rows::column).toArray(Column[]::new);
  }

  /** Takes batches with the table's columns. */
  private BatchConsumer router() {
    return partitioning.fields().isEmpty() ? new Whole() : new Routed();
  }

  private final class Whole implements BatchConsumer {
    private final Partition only = partition(List.of());

    @Override
    public void accept(Batch batch) {
      only.append(batch, null, 0, batch.rowCount());
    }
  }

  /** Sorts each batch's rows by partition, then hands every partition its rows. */
  private final class Routed implements BatchConsumer {
    private final KeyNumbers numbers = new KeyNumbers(routing.keyTypes());
    private Partition[] byNumber = new Partition[16];
    private int known;

    @Override
    public void accept(Batch batch) {
      int rows = batch.rowCount();
      Column[] keys = routing.keys(batch);
      int[] number = numbers.numberOf(keys, rows);
      int count = numbers.count();
      if (count > byNumber.length) {
        byNumber = Arrays.copyOf(byNumber, Math.max(count, byNumber.length * 2));
      }
      int[] start = new int[count + 1];
      for (int i = 0; i < rows; i++) {
        int n = number[i];
        if (n >= known) {
          byNumber[n] =
              partition(
                  Arrays.asList(Arrays.stream(keys).map(k -> k.value(index(number, n))).toArray()));
          known = n + 1;
        }
        start[n + 1]++;
      }
      for (int n = 0; n < count; n++) {
        start[n + 1] += start[n];
      }
      int[] at = start.clone();
      int[] sorted = new int[rows];
      for (int i = 0; i < rows; i++) {
        sorted[at[number[i]]++] = i;
      }
      for (int n = 0; n < count; n++) {
        if (start[n + 1] > start[n]) {
          byNumber[n].append(batch, sorted, start[n], start[n + 1]);
        }
      }
    }

    private int index(int[] numbers, int wanted) {
      int i = 0;
      while (numbers[i] != wanted) {
        i++;
      }
      return i;
    }
  }

  private Partition partition(List<Object> key) {
    return partitions.computeIfAbsent(key, Partition::new);
  }

  @Override
  public void finish() {
    rewritten.ifPresent(this::rewriteOlder);
    List<Partition> all = List.copyOf(partitions.values());
    Parallel.forEach(all, context, p -> p.flush());
    Parallel.forEach(all, context, Partition::closeFile);
    files.sort(java.util.Comparator.comparing(DataFile::location));
    // The footers' counts, not the counters on the way: this is what readers will find.
    long written = files.stream().mapToLong(DataFile::recordCount).sum() - rewrittenRows();
    tally.rowsOut.add(mode == WriteMode.DELETE ? tally.rowsIn.sum() : written);
    tally.bytesWritten.add(files.stream().mapToLong(DataFile::fileSizeInBytes).sum());
    tally.filesWritten.add(files.size());
    reservation.close();
    keyReservation.close();
  }

  /** Takes in what the table has, but for partitions that this write replaces. */
  private void rewriteOlder(LakeTable table) {
    Set<PartitionData> gone = new HashSet<>();
    if (mode == WriteMode.REPLACE_PARTITIONS) {
      partitions.keySet().forEach(key -> gone.add(partitioning.data(spec, key)));
    }
    List<DataFile> all = table.dataFiles();
    Set<String> untouched = retypes ? Set.of() : withoutTheKeys(table, all);
    replaced = all.stream().filter(f -> !untouched.contains(f.location())).toList();
    int[] columns = IntStream.range(0, table.schema().size()).toArray();
    ScanSource source =
        table.scan(
            columns,
            List.of(),
            older,
            f -> !untouched.contains(f.location()) && !gone.contains(partitionOf(f)));
    Parallel.drain(
        source,
        () -> {
          BatchConsumer router = router();
          KeySet.Finder finder = keys.new Finder();
          return batch -> {
            Batch rows = retyped(table, batch);
            if (mode.isByKey()) {
              int[] kept = new int[rows.rowCount()];
              int n = finder.missing(keyColumns(rows), rows.rowCount(), kept);
              if (n == 0) {
                return;
              }
              rows = n == rows.rowCount() ? rows : rows.gather(kept, n);
            }
            carriedRows.add(rows.rowCount());
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

  private PartitionData partitionOf(DataFile file) {
    PartitionData out = new PartitionData(spec.partitionType());
    for (int i = 0; i < out.size(); i++) {
      Object value = file.partition().get(i, Object.class);
      out.set(i, value instanceof CharSequence text ? text.toString() : value);
    }
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
                .formatted(f.name(), this.table, f.type(), e.getMessage()),
            e);
      }
    }
    return batch.withColumns(out);
  }

  @Override
  public void abort() {
    partitions.values().forEach(Partition::abandon);
    reservation.close();
    keyReservation.close();
  }

  private void grew(long bytes) {
    long now = bufferedBytes.addAndGet(bytes);
    while (!reservation.tryResize(now)) {
      Partition fullest =
          partitions.values().stream()
              .max(java.util.Comparator.comparingLong(Partition::bufferedBytes))
              .orElseThrow();
      if (fullest.bufferedBytes() == 0) {
        reservation.resize(now);
      }
      fullest.flush();
      now = bufferedBytes.get();
    }
  }

  /** One partition: the rows that wait, and the file that is open. */
  private final class Partition {
    private final List<Object> key;
    private final Object fileLock = new Object();
    private ColumnBuilder[] buffer;
    private int rows;
    private volatile long bytes;
    private DataFileWriter writer;
    private Path file;

    Partition(List<Object> key) {
      this.key = key;
    }

    long bufferedBytes() {
      return bytes;
    }

    /**
     * Appends rows {@code selection[from, to)}, or rows {@code [from, to)} when there is no
     * selection.
     */
    void append(Batch batch, int[] selection, int from, int to) {
      boolean full;
      long more;
      synchronized (this) {
        if (buffer == null) {
          buffer =
              schema.fields().stream()
                  .map(f -> ColumnBuilder.of(f.type()))
                  .toArray(ColumnBuilder[]::new);
        }
        long now = 0;
        for (int c = 0; c < buffer.length; c++) {
          if (selection == null) {
            buffer[c].appendAll(batch.column(c));
          } else {
            buffer[c].append(batch.column(c), selection, from, to);
          }
          now += buffer[c].sizeBytes();
        }
        rows += to - from;
        more = now - bytes;
        bytes = now;
        full = rows >= ROW_GROUP_ROWS || bytes >= ROW_GROUP_BYTES;
      }
      grew(more);
      if (full) {
        flush();
      }
    }

    /** Encodes what waits and writes it as a row group. */
    void flush() {
      List<Column> columns;
      long freed;
      synchronized (this) {
        if (rows == 0) {
          return;
        }
        columns = Arrays.stream(buffer).map(ColumnBuilder::build).toList();
        freed = bytes;
        buffer = null;
        rows = 0;
        bytes = 0;
      }
      RowGroup group = RowGroup.encode(columns, fileSchema);
      synchronized (fileLock) {
        if (writer == null) {
          file =
              dataFolder.resolve(
                  partitioning.folder(key)
                      + "rows-"
                      + run
                      + "-"
                      + fileNumber.getAndIncrement()
                      + ".parquet");
          staging.note(file);
          writer = new DataFileWriter(new LocalOutputFile(file), fileSchema);
        }
        writer.write(group);
        if (writer.bytesSoFar() >= targetBytes) {
          closeFile();
        }
      }
      reservation.tryResize(bufferedBytes.addAndGet(-freed));
    }

    void closeFile() {
      synchronized (fileLock) {
        if (writer == null) {
          return;
        }
        ParquetMetadata footer = writer.finish();
        long rowCount = writer.rowCount();
        writer.close();
        writer = null;
        try {
          DataFile data =
              DataFiles.builder(spec)
                  .withPath(file.toString())
                  .withFormat(FileFormat.PARQUET)
                  .withFileSizeInBytes(Files.size(file))
                  .withPartition(partitioning.data(spec, key))
                  .withMetrics(
                      ParquetUtil.footerMetrics(footer, Stream.empty(), MetricsConfig.getDefault()))
                  .withSplitOffsets(ParquetUtil.getSplitOffsets(footer))
                  .withRecordCount(rowCount)
                  .build();
          synchronized (files) {
            files.add(data);
          }
        } catch (IOException e) {
          throw new UncheckedIOException(e);
        }
      }
    }

    void abandon() {
      synchronized (fileLock) {
        if (writer != null) {
          writer.close();
          writer = null;
        }
      }
    }
  }
}
