package yardage.core.lake;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.Consumer;
import java.util.function.Supplier;
import org.apache.iceberg.AppendFiles;
import org.apache.iceberg.BaseTable;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.OverwriteFiles;
import org.apache.iceberg.PartitionSpec;
import org.apache.iceberg.ReplacePartitions;
import org.apache.iceberg.Snapshot;
import org.apache.iceberg.SnapshotSummary;
import org.apache.iceberg.SnapshotUpdate;
import org.apache.iceberg.SortOrder;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.TableProperties;
import org.apache.iceberg.expressions.Expressions;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/**
 * All table changes of a run, published together or not at all. {@link #publish} writes new
 * metadata against the tables as they are, then asks for all pointers to be swapped at once; if
 * another run was faster, it starts over against what that one left.
 */
public final class Publication {
  static final String RUN_PROPERTY = "yardage.run";
  static final String PIPELINE_PROPERTY = "yardage.pipeline";
  private static final int MAX_ATTEMPTS = 20;

  /** How many manifests are made one; the format's default is 100. */
  private static final int MANIFESTS_JOINED = 10;

  /** Thrown by the swap when a pointer was not what was expected. */
  public static final class ConflictException extends RuntimeException {
    public ConflictException(String message) {
      super(message);
    }
  }

  /** Rows that a run worked on are not the table's any more: the run must be done again. */
  public static final class MovedException extends LakeException {
    MovedException(String message) {
      super(message);
    }
  }

  private record Change(WrittenTable written, List<DataFile> replaced, List<DataFile> files) {
    TableName table() {
      return written.table();
    }

    TableWriter.Target target() {
      return written.target().target();
    }

    Schema schema() {
      return written.target().schema();
    }
  }

  private final Lake lake;
  private final Staging staging;
  private final String run;
  private final String pipeline;
  private final List<Change> changes = new ArrayList<>();

  public Publication(Lake lake, Staging staging, String run, String pipeline) {
    this.lake = lake;
    this.staging = staging;
    this.run = run;
    this.pipeline = pipeline;
  }

  /** Adds what was written for a table. */
  public void add(WrittenTable written) {
    Set<String> gone = Set.copyOf(written.replaced());
    List<DataFile> replaced =
        gone.isEmpty()
            ? List.of()
            : lake.state(written.table(), written.before().orElseThrow()).dataFiles().stream()
                .filter(f -> gone.contains(f.location()))
                .toList();
    changes.add(new Change(written, replaced, written.dataFiles()));
  }

  /**
   * Publishes.
   *
   * @param swap moves all pointers in one transaction, or throws {@link ConflictException} and
   *     moves none
   */
  public void publish(Consumer<List<PointerChange>> swap) {
    publish(
        lake,
        staging,
        () -> changes.stream().map(this::prepare).flatMap(Optional::stream).toList(),
        swap);
  }

  /**
   * A table as publishing would make it.
   *
   * @param before as it is; empty where there is none yet
   */
  public record Rehearsed(TableName table, Optional<LakeTable> before, LakeTable after) {}

  /**
   * What publishing now would make of the tables; nothing is published. What is given can be read
   * until the staging is abandoned. A table in which nothing would change is not among it.
   */
  public List<Rehearsed> rehearse() {
    List<Rehearsed> out = new ArrayList<>();
    for (Change change : changes) {
      Optional<LakeTable> before = lake.table(change.table());
      prepare(change)
          .ifPresent(
              pointer ->
                  out.add(
                      new Rehearsed(
                          change.table(), before, lake.load(change.table(), pointer.location()))));
    }
    return out;
  }

  /**
   * Publishes what is prepared against the tables as they are, again and again until no other was
   * faster.
   */
  static void publish(
      Lake lake,
      Staging staging,
      Supplier<List<PointerChange>> prepare,
      Consumer<List<PointerChange>> swap) {
    for (int attempt = 1; ; attempt++) {
      int mark = staging.mark();
      List<PointerChange> pointers = prepare.get();
      staging.settle();
      staging.handOver();
      try {
        swap.accept(pointers);
        staging.published();
        pointers.forEach(lake::published);
        return;
      } catch (ConflictException e) {
        // Known not to have happened; after anything else the pointers may have moved, and only
        // whoever can ask again may remove the files.
        staging.discardSince(mark);
        if (attempt == MAX_ATTEMPTS) {
          throw new LakeException(
              "Other runs kept changing the same tables; gave up after %d attempts: %s"
                  .formatted(attempt, e.getMessage()),
              e);
        }
      }
    }
  }

  private Optional<PointerChange> prepare(Change change) {
    Optional<String> before = lake.pointer(change.table());
    StagedFiles io = new StagedFiles(lake.storage(), staging);
    StagedOperations ops;
    if (before.isPresent()) {
      TableMetadata metadata = lake.load(change.table(), before.get()).metadata();
      checkFits(
          change.table(),
          change.schema(),
          change.target().partitioning(),
          metadata,
          change.target().follow());
      checkNotMoved(change, metadata);
      ops = new StagedOperations(io, metadata, before);
      Map<String, String> properties = properties(change.target(), metadata.properties());
      if (!properties.equals(metadata.properties())) {
        ops.commit(metadata, metadata.replaceProperties(properties));
      }
      if (change.target().follow()) {
        follow(change, ops.current(), ops);
      }
    } else {
      org.apache.iceberg.Schema schema = IcebergTypes.toIceberg(change.schema());
      PartitionSpec spec = change.target().partitioning().spec(schema);
      ops = new StagedOperations(io, null, Optional.empty());
      ops.commit(
          null,
          TableMetadata.newTableMetadata(
              schema,
              spec,
              SortOrder.unsorted(),
              lake.tableFolder(change.table()).toString(),
              properties(
                  change.target(),
                  Map.of("format-version", "2", "write.metadata.metrics.default", "full"))));
    }
    BaseTable table = new BaseTable(ops, change.table().toString());
    boolean nothing =
        change.files().isEmpty()
            && change.replaced().isEmpty()
            && (change.target().mode() != WriteMode.REPLACE || table.currentSnapshot() == null);
    if (nothing && before.isPresent()) {
      return Optional.empty();
    }
    if (!nothing) {
      Optional<Snapshot> older = Optional.ofNullable(table.currentSnapshot());
      update(table, change);
      TableStatistics.write(
          ops, older.filter(s -> keepsRows(change, s)), change.written().sketches());
    }
    return Optional.of(lake.pointerChange(change.table(), before, ops));
  }

  /** Whether rows of the state before are there still that were not written again. */
  private static boolean keepsRows(Change change, Snapshot before) {
    String files = before.summary().getOrDefault(SnapshotSummary.TOTAL_DATA_FILES_PROP, "");
    return change.written().rewrites()
        ? !files.equals(String.valueOf(change.replaced().size()))
        : change.target().mode() != WriteMode.REPLACE;
  }

  /**
   * The table keeps how its files are filled, for whoever puts them together, and joins its
   * manifests early: opening one takes longer than reading what it says of some files.
   */
  private static Map<String, String> properties(
      TableWriter.Target target, Map<String, String> before) {
    Map<String, String> out = new TreeMap<>(before);
    target.files().put(out);
    Retention.bound(out);
    out.putIfAbsent(TableProperties.MANIFEST_MIN_MERGE_COUNT, String.valueOf(MANIFESTS_JOINED));
    return out;
  }

  /** What was written again was read from a state that the table must still have. */
  private void checkNotMoved(Change change, TableMetadata metadata) {
    boolean moved =
        change.written().rewrites()
            && !lake.state(change.table(), change.written().before().orElseThrow())
                .snapshotId()
                .equals(Optional.ofNullable(metadata.currentSnapshot()).map(Snapshot::snapshotId));
    if (moved) {
      throw new MovedException(
          "Table [%s] was written by another run while this one worked on rows of it; nothing was published. Run again"
              .formatted(change.table()));
    }
  }

  /** Gives the table the columns that the files were written with. */
  private static void follow(Change change, TableMetadata metadata, StagedOperations ops) {
    SchemaChange now = SchemaChange.of(change.table(), metadata, change.schema());
    if (!now.iceberg().sameSchema(change.written().schema())) {
      throw new MovedException(
          "Table [%s] got other columns from another run meanwhile; nothing was published. Run again"
              .formatted(change.table()));
    }
    if (now.isChange()) {
      ops.commit(metadata, metadata.updateSchema(now.iceberg()));
    }
  }

  private void update(BaseTable table, Change change) {
    SnapshotUpdate<?> update;
    if (change.written().rewrites()) {
      OverwriteFiles overwrite = table.newOverwrite();
      change.replaced().forEach(overwrite::deleteFile);
      change.files().forEach(overwrite::addFile);
      commit(overwrite);
      return;
    }
    switch (change.target().mode()) {
      case APPEND, UPSERT, DELETE -> {
        AppendFiles append = table.newAppend();
        change.files().forEach(append::appendFile);
        update = append;
      }
      case REPLACE -> {
        OverwriteFiles overwrite =
            table.newOverwrite().overwriteByRowFilter(Expressions.alwaysTrue());
        change.files().forEach(overwrite::addFile);
        update = overwrite;
      }
      case REPLACE_PARTITIONS -> {
        ReplacePartitions replace = table.newReplacePartitions();
        change.files().forEach(replace::addFile);
        update = replace;
      }
      default -> throw new AssertionError(change.target().mode());
    }
    commit(update);
  }

  private void commit(SnapshotUpdate<?> update) {
    update.set(RUN_PROPERTY, run);
    update.set(PIPELINE_PROPERTY, pipeline);
    update.commit();
  }

  /**
   * @throws LakeException naming each difference, when a table that is there has other columns or
   *     partitions
   */
  static void checkFits(
      TableName name,
      Schema schema,
      Partitioning partitioning,
      TableMetadata existing,
      boolean follow) {
    Schema there = IcebergTypes.fromIceberg(existing.schema());
    if (follow) {
      SchemaChange.of(name, existing, schema);
    }
    List<String> differences = follow ? List.of() : differences(schema, there);
    if (!differences.isEmpty()) {
      throw new LakeException(
          "Table [%s] is there with other columns: %s. Change the step before the write so that the columns are the same, let the table follow with columns: follow in the write, or write to another table"
              .formatted(name, String.join("; ", differences)));
    }
    if (!partitioning.sameAs(existing.spec())) {
      throw new LakeException(
          "Table [%s] is there with other partitions: %s, where the step has %s"
              .formatted(name, Partitioning.fromSpec(existing.spec()), partitioning.fields()));
    }
  }

  /**
   * Whether a column takes values of a type: of its own, or decimals with as many digits behind the
   * point, each of which must fit.
   */
  static boolean isTaken(Type written, Type there) {
    boolean decimals =
        written.kind() == Type.Kind.DECIMAL
            && there.kind() == Type.Kind.DECIMAL
            && written.scale() == there.scale();
    return decimals || written.equals(there);
  }

  /**
   * What tells the columns to be written from those that are there, in words; empty when nothing
   * does.
   */
  static List<String> differences(Schema written, Schema there) {
    List<String> out = new ArrayList<>();
    for (Schema.Field f : written.fields()) {
      int at = there.indexOf(f.name());
      if (at < 0) {
        out.add("[%s] is not in the table".formatted(f.name()));
      } else if (!isTaken(f.type(), there.field(at).type())) {
        out.add(
            "[%s] is %s here and %s in the table"
                .formatted(f.name(), f.type(), there.field(at).type()));
      }
    }
    for (Schema.Field f : there.fields()) {
      if (written.indexOf(f.name()) < 0) {
        out.add("[%s] is missing here".formatted(f.name()));
      }
    }
    if (out.isEmpty()
        && !written.names().stream()
            .map(String::toLowerCase)
            .toList()
            .equals(there.names().stream().map(String::toLowerCase).toList())) {
      out.add("the order is %s here and %s in the table".formatted(written.names(), there.names()));
    }
    return out;
  }
}
