package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.function.Predicate;
import org.apache.iceberg.BaseTable;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.DataOperations;
import org.apache.iceberg.FileScanTask;
import org.apache.iceberg.HistoryEntry;
import org.apache.iceberg.PartitionData;
import org.apache.iceberg.PartitionSpec;
import org.apache.iceberg.Snapshot;
import org.apache.iceberg.SnapshotSummary;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.TableScan;
import org.apache.iceberg.expressions.Expression;
import org.apache.iceberg.expressions.Expressions;
import org.apache.iceberg.io.CloseableIterable;
import yardage.core.column.Schema;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.ReadCache;
import yardage.core.exec.ScanSource;
import yardage.core.exec.StepTally;
import yardage.core.format.parquet.DataFileReader;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.RowCondition;
import yardage.core.storage.Address;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

/** A table as of one snapshot, which it keeps however the table goes on. */
public final class LakeTable {
  /** To tell about values is not worth reading about more files. */
  private static final long MOST_FILES_LOOKED_AT = 2_000;

  /** So many are looked at one by one, to tell by what each is left out. */
  private static final long FEW_FILES = 200;

  /** What is told of a file takes about so much, and for each column. */
  private static final long FILE_BYTES = 600;

  private static final long FILE_COLUMN_BYTES = 250;

  private final Storage storage;
  private final ReadCache cache;
  private final TableName name;
  private final BaseTable table;
  private final TableMetadata metadata;
  private final Optional<Snapshot> snapshot;
  private final org.apache.iceberg.Schema iceberg;
  private final Schema schema;

  /** Of its columns, once somebody has asked. */
  private volatile ColumnRanges ranges;

  /** The state that was asked for, where it is not the current one. */
  private final Optional<Long> asked;

  /** A published state. */
  public record SnapshotInfo(
      long id,
      Instant at,
      String operation,
      long totalRows,
      long totalFiles,
      long addedRows,
      long removedRows,
      long addedFiles,
      long removedFiles,
      long addedBytes,
      long changedPartitions,
      Optional<String> run,
      Optional<String> pipeline,
      boolean current) {}

  /** A data file of the current snapshot. */
  public record FileInfo(String path, String partition, long rows, long sizeBytes) {}

  LakeTable(Storage storage, TableName name, TableMetadata metadata, ReadCache cache) {
    this(
        storage,
        cache,
        name,
        metadata,
        Optional.ofNullable(metadata.currentSnapshot()),
        metadata.schema(),
        Optional.empty());
  }

  private LakeTable(
      Storage storage,
      ReadCache cache,
      TableName name,
      TableMetadata metadata,
      Optional<Snapshot> snapshot,
      org.apache.iceberg.Schema iceberg,
      Optional<Long> asked) {
    this.storage = storage;
    this.cache = cache;
    this.asked = asked;
    this.name = name;
    this.metadata = metadata;
    this.table =
        new BaseTable(
            new StagedOperations(new StagedFiles(storage), metadata, Optional.empty()),
            name.toString());
    this.snapshot = snapshot;
    this.iceberg = iceberg;
    this.schema = IcebergTypes.fromIceberg(iceberg);
  }

  /**
   * The table as an older state has it, with the columns of then.
   *
   * @throws LakeException when it has no such state (any more)
   */
  public LakeTable asOf(long snapshotId) {
    Snapshot wanted = metadata.snapshot(snapshotId);
    if (wanted == null) {
      throw new LakeException(
          "Table [%s] has no snapshot [%d]; see them with: yardage table show %s"
              .formatted(name, snapshotId, name));
    }
    return new LakeTable(
        storage,
        cache,
        name,
        metadata,
        Optional.of(wanted),
        columnsOf(metadata, wanted),
        Optional.of(snapshotId));
  }

  /** The columns that a state was written with. */
  static org.apache.iceberg.Schema columnsOf(TableMetadata metadata, Snapshot state) {
    return state.schemaId() == null
        ? metadata.schema()
        : metadata.schemasById().get(state.schemaId());
  }

  /**
   * The table as it was published at a time.
   *
   * @throws LakeException when no state that is kept is as old
   */
  public LakeTable asOf(Instant time) {
    HistoryEntry then = null;
    for (HistoryEntry entry : metadata.snapshotLog()) {
      then = entry.timestampMillis() <= time.toEpochMilli() ? entry : then;
    }
    if (then == null) {
      throw new LakeException(
          "Table [%s] is not kept as it was at %s; its oldest snapshot is of %s"
              .formatted(
                  name,
                  time,
                  metadata.snapshotLog().isEmpty()
                      ? "no time: nothing was written yet"
                      : Instant.ofEpochMilli(metadata.snapshotLog().get(0).timestampMillis())));
    }
    return asOf(then.snapshotId());
  }

  public TableName name() {
    return name;
  }

  public Schema schema() {
    return schema;
  }

  TableMetadata metadata() {
    return metadata;
  }

  /**
   * @throws java.util.NoSuchElementException when nothing was written yet
   */
  Snapshot snapshot() {
    return snapshot.orElseThrow();
  }

  public String location() {
    return metadata.location();
  }

  /** The metadata file that this was read from: what another reader of the format is given. */
  public String metadataLocation() {
    return metadata.metadataFileLocation();
  }

  public TableSummary summary() {
    return new TableSummary(
        rowCount(),
        fileCount(),
        sizeBytes(),
        partitioning().stream().map(Object::toString).toList(),
        updatedAt(),
        lastWriter());
  }

  public List<PartitionField> partitioning() {
    return Partitioning.fromSpec(metadata.spec());
  }

  public long rowCount() {
    return total(SnapshotSummary.TOTAL_RECORDS_PROP);
  }

  /** The rows, where the state says how many they are and none are marked as deleted. */
  public OptionalLong exactRowCount() {
    if (snapshot.isEmpty()) {
      return OptionalLong.of(0);
    }
    Map<String, String> summary = snapshot.get().summary();
    boolean told = summary.containsKey(SnapshotSummary.TOTAL_RECORDS_PROP);
    boolean whole =
        number(summary, SnapshotSummary.TOTAL_POS_DELETES_PROP) == 0
            && number(summary, SnapshotSummary.TOTAL_EQ_DELETES_PROP) == 0;
    return told && whole ? OptionalLong.of(rowCount()) : OptionalLong.empty();
  }

  /**
   * About how many different values a column has, as the state's statistics tell; otherwise, of
   * whole numbers and dates, no more than lie between the smallest and the largest of the files.
   */
  public OptionalDouble valueCount(int column) {
    OptionalLong counted =
        snapshot.isEmpty()
            ? OptionalLong.empty()
            : TableStatistics.values(
                metadata, snapshot.get().snapshotId(), iceberg.columns().get(column).fieldId());
    if (counted.isPresent()) {
      return OptionalDouble.of(Math.min(counted.getAsLong(), rowCount()));
    }
    if (ranges == null && fileCount() <= MOST_FILES_LOOKED_AT) {
      ranges =
          ColumnRanges.of(
              iceberg, keptFiles().orElseGet(() -> plan(Expressions.alwaysTrue(), true)));
    }
    return ranges == null ? OptionalDouble.empty() : ranges.valueCount(column, rowCount());
  }

  /**
   * A state's files.
   *
   * @param metadata the address of what tells them
   */
  private record FilesKey(String metadata, long snapshot)
      implements ReadCache.Key<List<DataFile>> {}

  /** The files with the statistics of their columns, where they are kept, or may be. */
  Optional<List<DataFile>> keptFiles() {
    if (snapshot.isEmpty() || metadataLocation() == null || fileCount() > MOST_FILES_LOOKED_AT) {
      return Optional.empty();
    }
    FilesKey key = new FilesKey(metadataLocation(), snapshot.get().snapshotId());
    Optional<List<DataFile>> kept = cache.get(key);
    if (kept.isPresent()) {
      return kept;
    }
    long bytes = fileCount() * (FILE_BYTES + FILE_COLUMN_BYTES * schema.size());
    return cache
        .slot(key, bytes)
        .map(
            slot -> {
              try (slot) {
                List<DataFile> files = plan(Expressions.alwaysTrue(), true);
                slot.fill(files);
                return files;
              }
            });
  }

  /** All files with the statistics of their columns, where they are kept or few. */
  Optional<List<DataFile>> knownFiles() {
    Optional<List<DataFile>> kept = keptFiles();
    return kept.isPresent() || fileCount() > FEW_FILES
        ? kept
        : Optional.of(plan(Expressions.alwaysTrue(), true));
  }

  /** Whether files of the state may have rows that meet a filter. */
  FileTest test(Expression filter) {
    return new FileTest(iceberg, metadata.specsById(), filter);
  }

  public long fileCount() {
    return total(SnapshotSummary.TOTAL_DATA_FILES_PROP);
  }

  public long sizeBytes() {
    return total(SnapshotSummary.TOTAL_FILE_SIZE_PROP);
  }

  private long total(String property) {
    return snapshot.map(s -> number(s.summary(), property)).orElse(0L);
  }

  /** The snapshot that this is; empty when nothing was written yet. */
  public Optional<Long> snapshotId() {
    return snapshot.map(Snapshot::snapshotId);
  }

  public FileFilling filling() {
    return FileFilling.of(metadata.properties());
  }

  public Instant updatedAt() {
    return Instant.ofEpochMilli(metadata.lastUpdatedMillis());
  }

  /** All snapshots, the newest first. */
  public List<SnapshotInfo> snapshots() {
    List<SnapshotInfo> out = new ArrayList<>();
    long current =
        metadata.currentSnapshot() == null ? -1 : metadata.currentSnapshot().snapshotId();
    for (Snapshot s : metadata.snapshots()) {
      Map<String, String> summary = s.summary();
      out.add(
          new SnapshotInfo(
              s.snapshotId(),
              Instant.ofEpochMilli(s.timestampMillis()),
              // The format's word for files that were put together; our write mode is another
              // thing.
              s.operation().equals(DataOperations.REPLACE) ? "compact" : s.operation(),
              number(summary, SnapshotSummary.TOTAL_RECORDS_PROP),
              number(summary, SnapshotSummary.TOTAL_DATA_FILES_PROP),
              number(summary, SnapshotSummary.ADDED_RECORDS_PROP),
              number(summary, SnapshotSummary.DELETED_RECORDS_PROP),
              number(summary, SnapshotSummary.ADDED_FILES_PROP),
              number(summary, SnapshotSummary.DELETED_FILES_PROP),
              number(summary, SnapshotSummary.ADDED_FILE_SIZE_PROP),
              number(summary, SnapshotSummary.CHANGED_PARTITION_COUNT_PROP),
              Optional.ofNullable(summary.get(Publication.RUN_PROPERTY)),
              Optional.ofNullable(summary.get(Publication.PIPELINE_PROPERTY)),
              s.snapshotId() == current));
    }
    out.sort(Comparator.comparing(SnapshotInfo::at).reversed());
    return out;
  }

  private static long number(Map<String, String> summary, String key) {
    return Long.parseLong(summary.getOrDefault(key, "0"));
  }

  /** The pipeline whose run wrote what is current; upkeep since then does not count. */
  public Optional<String> lastWriter() {
    return snapshots().stream()
        .dropWhile(s -> !s.current())
        .flatMap(s -> s.pipeline().stream())
        .findFirst();
  }

  /**
   * A file's partition, with values of the types that the columns have in a specification: that of
   * the table, or the one that a write gives it.
   */
  PartitionData partitionOf(DataFile file, PartitionSpec spec) {
    PartitionData out = new PartitionData(spec.partitionType());
    for (int i = 0; i < out.size(); i++) {
      Object value = file.partition().get(i, Object.class);
      boolean widened =
          value instanceof Integer
              && out.getType(i).typeId() == org.apache.iceberg.types.Type.TypeID.LONG;
      out.set(
          i,
          value instanceof CharSequence text
              ? text.toString()
              : widened ? Long.valueOf((Integer) value) : value);
    }
    return out;
  }

  /** The folder of a file below the table's data folder, with a slash at the end unless empty. */
  String folderOf(DataFile file) {
    String data = metadata.location() + "/data/";
    String path = file.location();
    String relative = path.startsWith(data) ? path.substring(data.length()) : path;
    return relative.substring(0, relative.lastIndexOf('/') + 1);
  }

  /** The data files of the snapshot, as the format describes them. */
  List<DataFile> dataFiles() {
    return plan(Expressions.alwaysTrue(), false);
  }

  /** The data files of the snapshot, by path. */
  public List<FileInfo> files() {
    List<FileInfo> out = new ArrayList<>();
    for (DataFile file : dataFiles()) {
      String folder = folderOf(file);
      out.add(
          new FileInfo(
              file.location(),
              folder.isEmpty() ? "" : folder.substring(0, folder.length() - 1),
              file.recordCount(),
              file.fileSizeInBytes()));
    }
    out.sort(Comparator.comparing(FileInfo::path));
    return out;
  }

  /**
   * @throws LakeException naming each difference, when rows of those columns and partitions cannot
   *     be written here
   */
  public void checkAccepts(Schema written, Partitioning partitions, boolean follow) {
    Publication.checkFits(name, written, partitions, metadata, follow);
  }

  /**
   * The files that the format's library finds for a filter, by path.
   *
   * @param statistics whether files come with those of their columns
   */
  List<DataFile> plan(Expression filter, boolean statistics) {
    if (snapshot.isEmpty()) {
      return List.of();
    }
    TableScan all = table.newScan().useSnapshot(snapshot.get().snapshotId()).filter(filter);
    TableScan scan = statistics ? all.includeColumnStats() : all;
    List<DataFile> out = new ArrayList<>();
    try (CloseableIterable<FileScanTask> tasks = scan.planFiles()) {
      tasks.forEach(task -> out.add(task.file()));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    out.sort(Comparator.comparing(DataFile::location));
    return List.copyOf(out);
  }

  /**
   * Some columns, to be read. Files and row groups that the predicates rule out are not opened;
   * rows that come may still not meet them.
   *
   * @param columns ordinals in {@link #schema}
   */
  public TableFiles files(int[] columns, List<ColumnPredicate> predicates) {
    return new TableFiles(name, metadataLocation(), asked, columns, predicates, Optional.empty());
  }

  /** Some columns of the files that another state of the table does not have, to be read. */
  public TableFiles filesWithout(LakeTable other, int[] columns) {
    return new TableFiles(
        name,
        metadataLocation(),
        asked,
        columns,
        List.of(),
        Optional.of(new TableFiles.State(other.metadataLocation(), other.asked)));
  }

  /**
   * Reads some columns of some files.
   *
   * @param counting what rows that count have
   */
  ScanSource scan(
      int[] columns,
      List<ColumnPredicate> predicates,
      List<RowCondition> counting,
      StepTally tally,
      Predicate<DataFile> wantedFiles) {
    List<ScanFilter> filters = ScanFilter.of(schema, this::wanted, columns, predicates, counting);
    DataFileReader.Asked asked =
        new DataFileReader.Asked(
            wanted(columns), counting, filters.stream().map(ScanFilter::parts).toList());
    return new FileScan(this, filters, asked, FileOrder.of(iceberg, counting, asked), tally)
        .source(wantedFiles);
  }

  private List<DataFileReader.Wanted> wanted(int[] columns) {
    return Arrays.stream(columns).mapToObj(this::wanted).toList();
  }

  private DataFileReader.Wanted wanted(int column) {
    return new DataFileReader.Wanted(
        iceberg.columns().get(column).fieldId(), schema.field(column).type());
  }

  /** Reads some columns of one file, on the calling thread; nobody counts its rows. */
  void read(DataFile file, int[] columns, BatchConsumer out) {
    new FileScan(
            this,
            List.of(),
            DataFileReader.Asked.all(wanted(columns)),
            Optional.empty(),
            new StepTally("", ""))
        .read(file, -1, out);
  }

  /** Where a file of the table is. */
  Place place(String location) {
    return new Place(storage, new Address(location));
  }

  /** What became of a file that cannot be read, as far as its size tells. */
  LakeException lost(DataFile file, Exception cause) {
    long there = place(file.location()).stat().map(Storage.Stat::sizeBytes).orElse(-1L);
    String what =
        there < 0
            ? "its file [%s] is lost".formatted(file.location())
            : there < file.fileSizeInBytes()
                ? "its file [%s] is cut: %,d of %,d bytes are there"
                    .formatted(file.location(), there, file.fileSizeInBytes())
                : cause.getMessage();
    return LakeException.damage(
        name,
        "Table [%s]: %s; restore it from a backup, or go back to a state without it: yardage table roll-back %s SNAPSHOT"
            .formatted(name, what, name),
        cause);
  }

  DataFileReader reader(DataFile file) {
    return new DataFileReader(place(file.location()), cache, file.fileSizeInBytes());
  }

  /** The reader of a file of which so much is in memory that nothing is read for that. */
  Optional<DataFileReader> keptReader(DataFile file) {
    return DataFileReader.ofKept(place(file.location()), cache, file.fileSizeInBytes());
  }
}
