package yardage.core.lake;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.apache.iceberg.TableProperties;
import org.apache.iceberg.expressions.Expressions;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.CancelToken;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.Scratch;
import yardage.core.exec.StepTally;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnPredicate;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/** Tables as runs leave them: published together, against others at work, or not at all. */
class PublicationTest {
  private static final Schema SCHEMA =
      Schema.of(new Schema.Field("day", Type.DATE), new Schema.Field("n", Type.BIGINT));
  private static final TableName TABLE = TableName.parse("mart.cloth");

  @TempDir Path folder;
  private final Map<TableName, String> pointers = new TreeMap<>();
  private Lake lake;

  @BeforeEach
  void makeLake() {
    lake =
        new Lake(
            LocalStorage.place(folder),
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
    for (PointerChange c : changes) {
      if (!Optional.ofNullable(pointers.get(c.table())).equals(c.expected())) {
        throw new Publication.ConflictException("moved: " + c.table());
      }
    }
    changes.forEach(c -> pointers.put(c.table(), c.location()));
  }

  private WrittenTable written(
      String run, Staging staging, WriteMode mode, List<List<Object>> rows, long targetBytes) {
    StepTally tally = new StepTally("write", "write");
    Partitioning partitioning =
        new Partitioning(
            SCHEMA, List.of(PartitionField.parse("year(day)"), PartitionField.parse("month(day)")));
    ExecutionContext context = ExecutionContext.standalone(1 << 28);
    TableWriter writer =
        new TableWriter(
            lake,
            TableTarget.of(
                lake,
                new TableWriter.Target(
                    TABLE,
                    partitioning,
                    mode,
                    List.of(),
                    false,
                    new FileFilling(SortWithin.NONE, List.of(), targetBytes)),
                SCHEMA,
                run),
            staging,
            tally,
            context);
    Executor executor = LivePlans.executor(context, tally);
    executor.run(
        Rows.relation(SCHEMA, rows, 100).read(new int[] {0, 1}, List.of(), "read"),
        writer,
        "write");

    return writer.written();
  }

  private void publish(String run, WriteMode mode, List<List<Object>> rows) {
    Staging staging = lake.stage(run);
    Publication publication = new Publication(lake, staging, run, "test");
    publication.add(written(run, staging, mode, rows, TableWriter.DEFAULT_TARGET_BYTES));
    publication.publish(this::swap);
  }

  private static List<Object> row(int month, long n) {
    return List.of(LocalDate.of(2026, month, 10), n);
  }

  private String counts() {
    return lake.table(TABLE).orElseThrow().files().stream()
        .map(f -> f.partition() + ": " + f.rows())
        .toList()
        .toString();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "APPEND | [year=2026/month=1: 2, year=2026/month=2: 1, year=2026/month=2: 1, year=2026/month=3: 1]",
        "REPLACE | [year=2026/month=2: 1, year=2026/month=3: 1]",
        "REPLACE_PARTITIONS | [year=2026/month=1: 2, year=2026/month=2: 1, year=2026/month=3: 1]",
      })
  void aWriteModeSaysWhatBecomesOfTheRowsThatAreThere(WriteMode mode, String expected) {
    publish("r1", WriteMode.APPEND, List.of(row(1, 1), row(1, 2), row(2, 3)));

    publish("r2", mode, List.of(row(2, 4), row(3, 5)));

    assertEquals(expected, counts());
    assertEquals(
        List.of("r2", "r1"),
        lake.table(TABLE).orElseThrow().snapshots().stream()
            .map(s -> s.run().orElseThrow())
            .toList());
    assertTrue(lake.unsettledRuns().isEmpty());
  }

  @Test
  void aPublicationThatLosesTheRaceStartsOverOnWhatTheWinnerLeft() throws IOException {
    publish("r1", WriteMode.APPEND, List.of(row(1, 1)));
    Staging staging = lake.stage("r2");
    Publication slow = new Publication(lake, staging, "r2", "test");
    slow.add(
        written(
            "r2", staging, WriteMode.APPEND, List.of(row(1, 2)), TableWriter.DEFAULT_TARGET_BYTES));
    List<Integer> attempts = new ArrayList<>();

    slow.publish(
        changes -> {
          attempts.add(changes.size());
          if (attempts.size() == 1) {
            publish("r3", WriteMode.APPEND, List.of(row(1, 3)));
          }
          swap(changes);
        });

    assertEquals(List.of(1, 1), attempts);
    assertEquals(3, lake.table(TABLE).orElseThrow().rowCount());
    try (var metadata = Files.list(folder.resolve("tables/mart/cloth/metadata"))) {
      long documents = metadata.filter(f -> f.toString().endsWith(".metadata.json")).count();
      assertEquals(3, documents, "r1, r3, r2: what the lost attempt wrote is gone");
    }
  }

  @Test
  void manifestsAreJoinedUnlessTheTableSaysOtherwise() {
    for (int n = 0; n < 23; n++) {
      publish("r" + n, WriteMode.APPEND, List.of(row(1 + n % 12, n)));
    }
    LakeTable table = lake.table(TABLE).orElseThrow();

    assertTrue(manifests() < 10, "after 23 runs: " + manifests());
    assertEquals(List.of(23L, 23L), List.of(table.rowCount(), table.fileCount()));
    assertEquals(2, table.plan(Expressions.in("n", 7L, 20L), false).size());

    Map<String, String> properties = new TreeMap<>(table.metadata().properties());
    properties.put(TableProperties.MANIFEST_MIN_MERGE_COUNT, "40");
    StagedOperations ops =
        new StagedOperations(
            new StagedFiles(lake.storage(), lake.stage("set")),
            table.metadata(),
            Optional.of(pointers.get(TABLE)));
    ops.commit(table.metadata(), table.metadata().replaceProperties(properties));
    pointers.put(TABLE, ops.write());
    for (int n = 0; n < 10; n++) {
      publish("s" + n, WriteMode.APPEND, List.of(row(1, n)));
    }
    assertTrue(manifests() > 10, "somebody wants more of them: " + manifests());
  }

  private int manifests() {
    LakeTable table = lake.table(TABLE).orElseThrow();
    return table.metadata().currentSnapshot().allManifests(new StagedFiles(lake.storage())).size();
  }

  @Test
  void readersKeepTheSnapshotThatTheyOpened() {
    publish("r1", WriteMode.APPEND, List.of(row(1, 1)));
    LakeTable before = lake.table(TABLE).orElseThrow();

    publish("r2", WriteMode.REPLACE, List.of(row(2, 2), row(2, 3)));

    assertEquals(1, before.rowCount());
    assertEquals(2, lake.table(TABLE).orElseThrow().rowCount());
  }

  @Test
  void aDeadRunsFilesGoUnlessItWasPublished() {
    Staging staging = lake.stage("r1");
    written(
        "r1",
        staging,
        WriteMode.APPEND,
        List.of(row(1, 1), row(2, 1)),
        TableWriter.DEFAULT_TARGET_BYTES);
    staging.close();
    assertEquals(List.of("r1"), lake.unsettledRuns());

    assertEquals(2, lake.settle("r1", false));
    assertTrue(lake.unsettledRuns().isEmpty());

    publish("r2", WriteMode.APPEND, List.of(row(1, 1)));
    Path file = Path.of(lake.table(TABLE).orElseThrow().files().get(0).path());
    Staging late = lake.stage("r2");
    late.note(LocalStorage.place(file).address());
    late.close();
    assertEquals(0, lake.settle("r2", true));
    assertTrue(Files.exists(file));
  }

  @Test
  void aPartitionGetsOneFileUntilTheTargetSizeIsReached() {
    List<List<Object>> rows = new ArrayList<>();
    for (int i = 0; i < 60_000; i++) {
      rows.add(row(1 + i % 3, i * 7919L));
    }
    Staging staging = lake.stage("r1");
    Publication publication = new Publication(lake, staging, "r1", "test");
    publication.add(
        written("r1", staging, WriteMode.APPEND, rows, TableWriter.DEFAULT_TARGET_BYTES));
    publication.publish(this::swap);

    assertEquals(
        "[year=2026/month=1: 20000, year=2026/month=2: 20000, year=2026/month=3: 20000]", counts());
  }

  @Test
  void filesAndRowGroupsThatCannotMatchAreNotRead() {
    publish("r1", WriteMode.APPEND, List.of(row(1, 1), row(2, 2), row(3, 3)));
    StepTally tally = new StepTally("scan", "read");
    ColumnPredicate february =
        new ColumnPredicate.Compared(
            "day",
            ColumnPredicate.Op.EQ,
            Literal.of(Type.DATE, (int) LocalDate.of(2026, 2, 10).toEpochDay()));

    var files = lake.table(TABLE).orElseThrow().files(new int[] {1}, List.of(february));
    var splits = lake.open(files, List.of(), tally).splits();

    assertEquals(1, splits.size());
    assertEquals(2, tally.snapshot().filesSkipped());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "cloth | write namespace.name",
        "Mart.cloth | lower-case",
        "mart.1cloth | starting with a letter",
        "mart.a.b | Invalid table name"
      })
  void namesAreChecked(String name, String expected) {
    assertTrue(
        assertThrows(IllegalArgumentException.class, () -> TableName.parse(name))
            .getMessage()
            .contains(expected));
  }

  @Test
  void otherPartitionsThanTheTablesAreRefused() {
    publish("r1", WriteMode.APPEND, List.of(row(1, 1)));
    LakeTable table = lake.table(TABLE).orElseThrow();

    LakeException e =
        assertThrows(
            LakeException.class,
            () ->
                table.checkAccepts(
                    SCHEMA, new Partitioning(SCHEMA, List.of(PartitionField.parse("n"))), false));

    assertTrue(
        e.getMessage().contains("other partitions: [month(day)], where the step has [n]"),
        e.getMessage());
    assertFalse(table.partitioning().isEmpty());
  }

  @Test
  void thousandsOfPartitionsNeedFewOpenFilesAndLittleMemory() throws Exception {
    Partitioning byDay = new Partitioning(SCHEMA, List.of(PartitionField.parse("day(day)")));
    List<List<Object>> rows = new ArrayList<>();
    for (int i = 0; i < 20_000; i++) {
      rows.add(List.of(LocalDate.of(2000, 1, 1).plusDays(i % 4_000), (long) i));
    }
    MemoryPool memory = MemoryPool.root("the run", 64 << 20);
    java.util.concurrent.atomic.AtomicBoolean done =
        new java.util.concurrent.atomic.AtomicBoolean();
    int[] most = new int[1];
    Thread watcher =
        new Thread(
            () -> {
              while (!done.get()) {
                try (var fds = Files.list(java.nio.file.Path.of("/proc/self/fd"))) {
                  int open = 0;
                  for (java.nio.file.Path fd : (Iterable<java.nio.file.Path>) fds::iterator) {
                    try {
                      open += Files.readSymbolicLink(fd).toString().contains("/many/data/") ? 1 : 0;
                    } catch (IOException e) {
                      // It was closed meanwhile.
                    }
                  }
                  most[0] = Math.max(most[0], open);
                } catch (IOException e) {
                  throw new java.io.UncheckedIOException(e);
                }
              }
            });
    watcher.start();
    try (Staging staging = lake.stage("many")) {
      TableWriter writer =
          new TableWriter(
              lake,
              TableTarget.of(
                  lake,
                  new TableWriter.Target(
                      TableName.parse("mart.many"),
                      byDay,
                      WriteMode.APPEND,
                      List.of(),
                      false,
                      FileFilling.PLAIN),
                  SCHEMA,
                  "many"),
              staging,
              new StepTally("write", "write"),
              new ExecutionContext(memory, Scratch.temporary(1L << 40), new CancelToken(), 2));
      Executor executor =
          LivePlans.executor(
              new ExecutionContext(memory, Scratch.temporary(1L << 40), new CancelToken(), 2));
      executor.run(
          Rows.relation(SCHEMA, rows, 1000).read(new int[] {0, 1}, List.of(), "read"),
          writer,
          "write");

      assertEquals(4_000, writer.files().size());
    } finally {
      done.set(true);
      watcher.join();
    }
    assertTrue(most[0] > 0 && most[0] <= 110, most[0] + " files were open at once");
    assertEquals(0, memory.usedBytes());
  }
}
