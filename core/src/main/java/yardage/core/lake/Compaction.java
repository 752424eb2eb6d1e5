package yardage.core.lake;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.LongAdder;
import java.util.function.Consumer;
import org.apache.iceberg.BaseTable;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.PartitionData;
import org.apache.iceberg.RewriteFiles;
import org.apache.iceberg.Snapshot;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.exceptions.ValidationException;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.Parallel;
import yardage.core.exec.StepTally;

/**
 * Puts the small files of each partition together, sorted as the table is. Where the table has no
 * order and no Bloom filters, the pages of files that are large enough are copied as they are. Rows
 * stay as they are; readers of older snapshots keep theirs, and writers go on meanwhile: what they
 * add is kept, and only if they take away a file that was put together here is nothing published.
 */
public final class Compaction {
  /** A file below this share of the size to aim for counts as small. */
  private static final double SMALL = 0.75;

  /** Less than this is not worth a second worker, which would make a second file. */
  private static final long SHARED_BYTES = 16L << 20;

  /** The files of a partition that are worth putting together. */
  record Group(PartitionData partition, String folder, List<DataFile> files) {
    long sizeBytes() {
      return files.stream().mapToLong(DataFile::fileSizeInBytes).sum();
    }
  }

  /**
   * What became of it.
   *
   * @param partitions how many had files to put together; 0 when there was nothing to do
   */
  public record Result(
      int partitions,
      int filesBefore,
      int filesAfter,
      long bytesBefore,
      long bytesAfter,
      long rows) {}

  private Compaction() {}

  /** Partitions with at least two small files. */
  static List<Group> groups(LakeTable table) {
    long small = (long) (table.filling().targetBytes() * SMALL);
    Map<PartitionData, Group> byPartition = new LinkedHashMap<>();
    for (DataFile file : table.dataFiles()) {
      if (file.fileSizeInBytes() < small) {
        PartitionData partition = table.partitionOf(file, table.metadata().spec());
        byPartition
            .computeIfAbsent(partition, p -> new Group(p, table.folderOf(file), new ArrayList<>()))
            .files()
            .add(file);
      }
    }
    return byPartition.values().stream().filter(g -> g.files().size() > 1).toList();
  }

  /**
   * Compacts and publishes.
   *
   * @param run unlike that of any run, for the files that are made
   * @param swap moves the pointer, or throws {@link Publication.ConflictException}
   * @throws LakeException when a file that was put together was taken away meanwhile
   */
  public static Result compact(
      Lake lake,
      TableName name,
      String run,
      ExecutionContext context,
      Consumer<List<PointerChange>> swap) {
    LakeTable table = lake.existing(name);
    List<Group> groups = groups(table);
    if (groups.isEmpty()) {
      return new Result(0, 0, 0, 0, 0, 0);
    }
    Staging staging = lake.stage(run);
    boolean done = false;
    try {
      List<DataFile> made = rewrite(lake, table, groups, run, staging, context);
      List<DataFile> old = groups.stream().flatMap(g -> g.files().stream()).toList();
      Publication.publish(
          lake, staging, () -> List.of(replaced(lake, table, old, made, staging)), swap);
      done = true;
      return new Result(
          groups.size(),
          old.size(),
          made.size(),
          old.stream().mapToLong(DataFile::fileSizeInBytes).sum(),
          made.stream().mapToLong(DataFile::fileSizeInBytes).sum(),
          made.stream().mapToLong(DataFile::recordCount).sum());
    } finally {
      if (!done) {
        staging.abandon();
      }
    }
  }

  private static List<DataFile> rewrite(
      Lake lake,
      LakeTable table,
      List<Group> groups,
      String run,
      Staging staging,
      ExecutionContext context) {
    TableMetadata metadata = table.metadata();
    StepTally tally = new StepTally("compact", "");
    MemoryPool.Reservation reservation =
        context.memory().reservation(tally, "rows on their way into files");
    PartitionedFiles files =
        new PartitionedFiles(
            table.schema(),
            metadata.schema(),
            metadata.spec(),
            new Partitioning(table.schema(), table.partitioning()),
            table.filling(),
            lake.tableFolder(table.name()),
            run,
            staging,
            reservation);
    int[] all = table.schema().ordinals();
    LongAdder rows = new LongAdder();
    boolean done = false;
    try {
      // Each worker fills files of its own, so that none waits for another's buffer.
      Parallel.forEach(
          bins(groups, table.filling().targetBytes(), context.workers()),
          context,
          bin -> {
            PartitionedFiles.Partition into = files.into(bin.partition(), bin.folder());
            for (DataFile file : bin.files()) {
              context.cancel().check();
              if (into.copy(table.place(file.location()))) {
                rows.add(file.recordCount());
                continue;
              }
              table.read(
                  file,
                  all,
                  batch -> {
                    context.cancel().check();
                    rows.add(batch.rowCount());
                    into.append(batch);
                  });
            }
            into.finish();
          });
      files.finish(context);
      done = true;
    } finally {
      if (!done) {
        files.abandon();
      }
    }
    long written = files.files().stream().mapToLong(DataFile::recordCount).sum();
    long expected =
        groups.stream().flatMap(g -> g.files().stream()).mapToLong(DataFile::recordCount).sum();
    if (written != rows.sum() || written != expected) {
      throw new LakeException(
          "Table [%s] was not compacted: %,d rows were to be put together, %,d were read and %,d written. This is a fault of the engine or of the table's files; nothing was changed"
              .formatted(table.name(), expected, rows.sum(), written));
    }
    return files.files();
  }

  /**
   * Cuts groups into pieces that give about one file each, and into more only where there are fewer
   * pieces than workers.
   */
  private static List<Group> bins(List<Group> groups, long targetBytes, int workers) {
    long most = targetBytes;
    if (groups.size() < workers) {
      long sum = groups.stream().mapToLong(Group::sizeBytes).sum();
      most = Math.max(SHARED_BYTES, Math.min(targetBytes, sum / workers + 1));
    }
    List<Group> out = new ArrayList<>();
    for (Group group : groups) {
      List<DataFile> bin = new ArrayList<>();
      long bytes = 0;
      for (DataFile file : group.files()) {
        if (bytes >= most) {
          out.add(new Group(group.partition(), group.folder(), List.copyOf(bin)));
          bin.clear();
          bytes = 0;
        }
        bin.add(file);
        bytes += file.fileSizeInBytes();
      }
      out.add(new Group(group.partition(), group.folder(), List.copyOf(bin)));
    }
    return out;
  }

  private static PointerChange replaced(
      Lake lake, LakeTable read, List<DataFile> old, List<DataFile> made, Staging staging) {
    return lake.changed(
        read.name(),
        staging,
        ops -> {
          RewriteFiles rewrite =
              new BaseTable(ops, read.name().toString())
                  .newRewrite()
                  .validateFromSnapshot(read.snapshotId().orElseThrow());
          rewrite.rewriteFiles(new HashSet<>(old), new HashSet<>(made));
          Snapshot before = ops.current().currentSnapshot();
          try {
            rewrite.commit();
            TableStatistics.keep(ops, before);
          } catch (ValidationException e) {
            throw new LakeException(
                "Table [%s] was not compacted, since a run took away rows that were being put together; nothing was changed. Compact again"
                    .formatted(read.name()),
                e);
          }
        });
  }
}
