package yardage.bench;

import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.TreeMap;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.IntColumn;
import yardage.core.column.LongColumn;
import yardage.core.column.Schema;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.ScanSource;
import yardage.core.exec.StepTally;
import yardage.core.lake.Compaction;
import yardage.core.lake.FileFilling;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeTable;
import yardage.core.lake.PartitionField;
import yardage.core.lake.Partitioning;
import yardage.core.lake.PointerChange;
import yardage.core.lake.PointerStore;
import yardage.core.lake.Publication;
import yardage.core.lake.Staging;
import yardage.core.lake.TableName;
import yardage.core.lake.TableTarget;
import yardage.core.lake.TableWriter;
import yardage.core.lake.WriteMode;
import yardage.core.plan.PlanNode;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.LivePlans;

/** Ten thousand small files of a table put together. */
final class CompactionBench {
  private static final int PARTITIONS = 100;
  private static final int RUNS = 100;
  private static final int ROWS_PER_FILE = 2_000;
  private static final TableName TABLE = TableName.parse("bench.rolls");
  private static final Schema SCHEMA =
      Schema.of(
          new Schema.Field("part", Type.INT),
          new Schema.Field("roll_id", Type.VARCHAR),
          new Schema.Field("loom", Type.VARCHAR),
          new Schema.Field("metres", Type.decimal(9, 2)),
          new Schema.Field("woven_at", Type.TIMESTAMP),
          new Schema.Field("weight", Type.BIGINT),
          new Schema.Field("note", Type.VARCHAR));

  private final Path folder;
  private final Map<TableName, String> pointers = new TreeMap<>();
  private final Lake lake;

  CompactionBench(Path folder) {
    this.folder = folder.resolve("small");
    lake =
        new Lake(
            LocalStorage.place(this.folder),
            new PointerStore() {
              @Override
              public Optional<String> metadataLocation(TableName table) {
                return Optional.ofNullable(pointers.get(table));
              }

              @Override
              public List<TableName> tables() {
                return List.copyOf(pointers.keySet());
              }
            });
  }

  private void swap(List<PointerChange> changes) {
    changes.forEach(c -> pointers.put(c.table(), c.location()));
  }

  void compaction() throws Exception {
    for (int run = 0; run < RUNS; run++) {
      write(run);
    }
    String small = pointers.get(TABLE);
    LakeTable table = lake.table(TABLE).orElseThrow();
    double megabytes = table.sizeBytes() / 1e6;
    List<LakeTable.FileInfo> files = table.files();
    System.out.printf(
        "%,d files of %.0f kB, %,d rows%n",
        files.size(), 1000 * megabytes / files.size(), table.rowCount());
    double ours =
        Measure.seconds(
            2,
            5,
            () -> {
              // Each time from the small files again.
              pointers.put(TABLE, small);
              return Compaction.compact(
                  lake,
                  TABLE,
                  "c" + System.nanoTime(),
                  ExecutionContext.standalone(2L << 30),
                  this::swap);
            });
    double copy = Measure.seconds(1, 3, () -> copy(files));
    int[] all = java.util.stream.IntStream.range(0, SCHEMA.size()).toArray();
    double again =
        Measure.seconds(
            1,
            3,
            () -> {
              pointers.put(TABLE, small);
              return write(
                  "again" + System.nanoTime(),
                  WriteMode.REPLACE,
                  lake.open(table.files(all, List.of()), List.of(), new StepTally("read", "read")));
            });
    Measure.print(
        "compact 10,000 small files",
        "MB/s",
        megabytes / ours,
        "the same bytes appended to one file, one worker",
        megabytes / copy,
        "all rows read and the table replaced",
        megabytes / again);
  }

  private void write(int run) {
    SplittableRandom random = new SplittableRandom(run);
    List<ScanSource.Split> splits = new ArrayList<>();
    for (int p = 0; p < PARTITIONS; p++) {
      Batch batch = batch(random, p);
      splits.add((worker, out) -> out.accept(batch));
    }
    write("r" + run, WriteMode.APPEND, () -> splits);
  }

  private Void write(String run, WriteMode mode, ScanSource rows) {
    Staging staging = lake.stage(run);
    StepTally tally = new StepTally("write", "write");
    ExecutionContext context = ExecutionContext.standalone(2L << 30);
    TableWriter writer =
        new TableWriter(
            lake,
            TableTarget.of(
                lake,
                new TableWriter.Target(
                    TABLE,
                    new Partitioning(SCHEMA, List.of(PartitionField.parse("part"))),
                    mode,
                    List.of(),
                    false,
                    FileFilling.PLAIN),
                SCHEMA,
                run),
            staging,
            tally,
            context);
    LivePlans.executor(context, tally)
        .run(new PlanNode.Scan(LivePlans.source(rows), SCHEMA, "read"), writer, "write");
    Publication publication = new Publication(lake, staging, run, "bench");
    publication.add(writer.written());
    publication.publish(this::swap);
    return null;
  }

  private static Batch batch(SplittableRandom random, int partition) {
    int n = ROWS_PER_FILE;
    int[] part = new int[n];
    TextBuilder roll = new TextBuilder();
    TextBuilder loom = new TextBuilder();
    long[] metres = new long[n];
    long[] at = new long[n];
    long[] weight = new long[n];
    TextBuilder note = new TextBuilder();
    for (int i = 0; i < n; i++) {
      part[i] = partition;
      roll.append("R%09d".formatted(random.nextInt(1_000_000_000)));
      loom.append("L-%04d".formatted(random.nextInt(400)));
      metres[i] = random.nextInt(20_000);
      at[i] = 1_767_225_600_000_000L + random.nextLong(86_400_000_000L * 365);
      weight[i] = random.nextInt(1 << 20);
      if (random.nextInt(5) == 0) {
        note.append("edge frayed at " + random.nextInt(100) + " m");
      } else {
        note.appendNull();
      }
    }
    List<Column> columns =
        List.of(
            new IntColumn(Type.INT, part, null, n),
            roll.build(),
            loom.build(),
            new LongColumn(Type.decimal(9, 2), metres, null, n),
            new LongColumn(Type.TIMESTAMP, at, null, n),
            new LongColumn(Type.BIGINT, weight, null, n),
            note.build());
    return new Batch(columns, n, partition);
  }

  private Long copy(List<LakeTable.FileInfo> files) throws IOException {
    Path to = folder.resolve("copied");
    try (FileChannel out =
        FileChannel.open(to, StandardOpenOption.CREATE, StandardOpenOption.WRITE)) {
      for (LakeTable.FileInfo f : files) {
        try (FileChannel in = FileChannel.open(Path.of(f.path()))) {
          in.transferTo(0, f.sizeBytes(), out);
        }
      }
      out.force(true);
    }
    long size = Files.size(to);
    Files.delete(to);
    return size;
  }
}
