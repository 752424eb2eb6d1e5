package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.apache.iceberg.transforms.Transforms;
import org.apache.iceberg.types.Types;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.document.Problem;
import yardage.core.exec.ExecutionContext;
import yardage.core.lake.Compaction;
import yardage.core.lake.Expiry;
import yardage.core.lake.LakeException;
import yardage.core.lake.LakeTable;
import yardage.core.lake.LakeTable.FileInfo;
import yardage.core.lake.TableHealth;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.insight.TableComparison;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.TestLake;

/** Tables in the long run: how writes lay them out, and what is done to them afterwards. */
class TableCareTest {
  private static final TableName ROLLS = TableName.parse("t.rolls");

  @TempDir Path folder;
  private TestLake lake;
  private int day;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntext: {}\ncolumns: {roll: varchar, loom: varchar, woven: timestamp, metres: \"decimal(9, 2)\"}\n");
  }

  private void arrive(String... rows) {
    lake.file("rolls/%03d".formatted(++day), "roll,loom,woven,metres\n" + String.join("\n", rows));
  }

  private void write(String how) {
    lake.run(pipeline(how));
  }

  private static String pipeline(String how) {
    return "pipeline: p\nsteps:\n  rolls: {read: {feed: rolls}}\n  out: {from: rolls, write: {table: t.rolls, %s}}\n"
        .formatted(how);
  }

  private LakeTable table() {
    return lake.table(ROLLS).orElseThrow();
  }

  private List<List<Object>> rows() {
    return lake.query("select * from t.rolls order by roll");
  }

  private Compaction.Result compact() {
    return Compaction.compact(
        lake.lake(), ROLLS, "c" + ++day, ExecutionContext.standalone(1 << 28), lake::swap);
  }

  private Expiry.Result expire(int keep) {
    return Expiry.expire(
        lake.lake(),
        ROLLS,
        keep,
        Instant.now().plusSeconds(60),
        Instant.MAX,
        "e" + ++day,
        lake::swap);
  }

  private Set<String> filesOnDisk() throws Exception {
    try (Stream<Path> walk = Files.walk(folder.resolve("tables/t/rolls/data"))) {
      return walk.filter(Files::isRegularFile).map(Path::toString).collect(Collectors.toSet());
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "[hour(woven)] | hour=2026-03-01T05/ hour=2026-03-02T23/ hour=null/",
        "[bucket(roll, 4)] | roll_bucket=1/ roll_bucket=2/ roll_bucket=3/",
        "[truncate(loom, 2), day(woven)] | loom_truncate=%C3%84L/day=2026-03-01/ loom_truncate=LM/day=2026-03-02/ loom_truncate=null/day=null/",
        "[truncate(metres, 1000)] | metres_truncate=-10.00/ metres_truncate=0.00/ metres_truncate=20.00/",
      })
  void rowsFallIntoPartitionsAsTheFormatHasIt(String partition, String folders) {
    arrive("R1,ÄLM,2026-03-01 05:59:59,20.15", "R2,LM7,2026-03-02 23:00:00,-0.01", "R3,,,9.99");

    write("partition: " + partition);

    assertEquals(
        folders,
        table().files().stream()
            .map(f -> f.partition() + "/")
            .sorted()
            .collect(Collectors.joining(" ")));
    if (partition.contains("bucket")) {
      for (FileInfo f : table().files()) {
        String roll =
            (String)
                lake.query("select roll from t.rolls").stream()
                    .map(r -> r.get(0))
                    .filter(r -> f.partition().endsWith("=" + theirBucket((String) r)))
                    .findFirst()
                    .orElseThrow(() -> new AssertionError("a bucket unlike the format's: " + f));
        assertFalse(roll.isEmpty());
      }
    }
  }

  /** The format's library knows buckets too. */
  private static int theirBucket(String value) {
    return Transforms.<CharSequence>bucket(4).bind(Types.StringType.get()).apply(value);
  }

  @Test
  void filesAreSortedAndStaySoWhenPutTogether() {
    arrive("R3,L1,,3", "R1,L2,,1");
    write("sort: [loom desc, roll]");
    arrive("R2,L2,,2", "R4,,,4");
    write("sort: [loom desc, roll]");

    Compaction.Result done = compact();

    assertEquals(new Compaction.Result(1, 2, 1, 0, 0, 4), withoutBytes(done));
    assertEquals("[[R1], [R2], [R3], [R4]]", lake.query("select roll from t.rolls").toString());
  }

  private static Compaction.Result withoutBytes(Compaction.Result r) {
    return new Compaction.Result(r.partitions(), r.filesBefore(), r.filesAfter(), 0, 0, r.rows());
  }

  @Test
  void compactingKeepsEveryRowAndPartitionWhileOthersWrite() {
    for (int run = 0; run < 5; run++) {
      arrive(
          "R%d1,L1,2026-03-01 00:00:00,1".formatted(run),
          "R%d2,L1,2026-04-02 00:00:00,2".formatted(run));
      write("partition: [year(woven), month(woven)]");
    }
    arrive("R9,L1,2026-03-05 00:00:00,9");
    LakeTable before = table();
    List<Integer> attempts = new ArrayList<>();

    Compaction.Result done =
        Compaction.compact(
            lake.lake(),
            ROLLS,
            "c1",
            ExecutionContext.standalone(1 << 28),
            changes -> {
              if (attempts.isEmpty()) {
                // Another run is faster: the first swap finds its pointer moved.
                write("partition: [year(woven), month(woven)]");
              }
              attempts.add(1);
              lake.swap(changes);
            });

    assertEquals(new Compaction.Result(2, 10, 2, 0, 0, 10), withoutBytes(done));
    assertEquals(2, attempts.size());
    assertEquals(11, rows().size());
    assertEquals(
        "[year=2026/month=3: 1, year=2026/month=3: 5, year=2026/month=4: 5]",
        table().files().stream()
            .map(f -> f.partition() + ": " + f.rows())
            .sorted()
            .toList()
            .toString());
    assertEquals(10, before.files().size(), "who has opened the table keeps its files");
    assertEquals("compact", table().snapshots().get(0).operation());
    assertTrue(lake.lake().unsettledRuns().isEmpty());
  }

  @Test
  void compactingGivesWayToARunThatTookRowsAway() throws Exception {
    arrive("R1,L1,,1");
    write("mode: append");
    arrive("R2,L1,,2");
    write("mode: append");
    arrive("R3,L1,,3");

    LakeException e =
        assertThrows(
            LakeException.class,
            () ->
                Compaction.compact(
                    lake.lake(),
                    ROLLS,
                    "c1",
                    ExecutionContext.standalone(1 << 28),
                    changes -> {
                      write("mode: replace");
                      lake.swap(changes);
                    }));

    assertTrue(e.getMessage().contains("took away rows"), e.getMessage());
    assertEquals("[[R3, L1, null, 3.00]]", rows().toString());
    assertTrue(lake.lake().unsettledRuns().isEmpty());
    assertEquals(3, filesOnDisk().size(), "what was put together in vain is gone");
  }

  @Test
  void expiringForgetsOldStatesAndTheirFilesOnly() throws Exception {
    for (int i = 1; i <= 4; i++) {
      arrive("R%d,L1,,1".formatted(i));
      write("mode: append");
    }
    compact();
    List<List<Object>> before = rows();
    Path orphan = folder.resolve("tables/t/rolls/data/rows-of-a-dead-run.parquet");
    Files.writeString(orphan, "x");
    try (var atWork = lake.lake().stage("r-at-work")) {
      Path staged = folder.resolve("tables/t/rolls/data/rows-of-a-live-run.parquet");
      atWork.note(LocalStorage.place(staged).address());
      Files.writeString(staged, "x");

      Expiry.Result first = expire(2);

      assertEquals(3, first.snapshots());
      assertFalse(Files.exists(orphan));
      assertTrue(Files.exists(staged), "a run at work keeps what it has staged");
      atWork.abandon();
    }
    assertEquals(5, filesOnDisk().size(), "the state before the last still needs its files");

    assertEquals(1, expire(1).snapshots());

    assertEquals(1, filesOnDisk().size());
    assertEquals(before, rows());
    assertEquals(0, expire(1).snapshots() + expire(1).files());
  }

  @Test
  void aTableIsReadAsItWas() {
    arrive("R1,L1,,1");
    write("mode: append");
    Instant then = table().snapshots().get(0).at();
    long first = table().snapshotId().orElseThrow();
    arrive("R2,L1,,2");
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntext: {}\ncolumns: {roll: varchar, loom: varchar, woven: timestamp, metres: \"decimal(9, 2)\", note: {type: varchar, required: false}}\nif-changed: ignore\n"
            .replace("if-changed: ignore\n", ""));
    arrive();
    lake.file("rolls/%03d".formatted(day), "roll,loom,woven,metres,note\nR3,L1,,3,n\n");
    lake.file("rolls/002", "roll,loom,woven,metres,note\nR2,L1,,2,\n");
    write("columns: follow");

    LakeTable was = table().asOf(first);

    assertEquals(List.of("roll", "loom", "woven", "metres"), was.schema().names());
    assertEquals(1, was.rowCount());
    assertEquals(first, table().asOf(then).snapshotId().orElseThrow());
    assertEquals(3, table().asOf(Instant.now().plusSeconds(5)).rowCount());
    String before =
        assertThrows(LakeException.class, () -> table().asOf(then.minusSeconds(1))).getMessage();
    assertTrue(before.contains("its oldest snapshot is of " + then), before);
    String past =
        "select count(*) from t.rolls for system_time as of timestamp '%s' as was join t.rolls using (roll)"
            .formatted(then.toString().replace('T', ' ').replace("Z", ""));
    assertEquals("[[1]]", lake.query(past).toString());
    TableComparison c =
        TableComparison.of(
            was, table(), List.of("roll"), 5, ExecutionContext.standalone(1 << 28), lake.lake());
    assertEquals(List.of("note"), c.columnsAdded());
    assertEquals(List.of(2L, 0L, 0L), List.of(c.added(), c.removed(), c.changed()));
  }

  @Test
  void comparisonsFindWhatBruteForceFinds() {
    Random random = new Random(20261123);
    Map<String, String> state = new TreeMap<>();
    for (int i = 0; i < 300; i++) {
      state.put("R%03d".formatted(i), "L%d,,%d".formatted(random.nextInt(5), random.nextInt(100)));
    }
    arrive(rowsOf(state));
    write("mode: replace");
    long first = table().snapshotId().orElseThrow();
    Map<String, String> then = new TreeMap<>(state);
    for (int i = 0; i < 60; i++) {
      String roll = "R%03d".formatted(random.nextInt(350));
      if (random.nextInt(3) == 0) {
        then.remove(roll);
      } else {
        then.put(roll, "L%d,,%d".formatted(random.nextInt(5), random.nextInt(100)));
      }
    }
    arrive(rowsOf(then));
    write("mode: replace");
    Set<String> both = new HashSet<>(state.keySet());
    both.retainAll(then.keySet());
    long changed = both.stream().filter(k -> !state.get(k).equals(then.get(k))).count();
    long looms =
        both.stream()
            .filter(k -> !state.get(k).split(",")[0].equals(then.get(k).split(",")[0]))
            .count();

    TableComparison byKey =
        TableComparison.of(
            table().asOf(first),
            table(),
            List.of("ROLL"),
            1000,
            ExecutionContext.standalone(1 << 28),
            lake.lake());
    TableComparison plain =
        TableComparison.of(
            table().asOf(first),
            table(),
            List.of(),
            3,
            ExecutionContext.standalone(1 << 28),
            lake.lake());

    assertEquals(then.size() - both.size(), byKey.added());
    assertEquals(state.size() - both.size(), byKey.removed());
    assertEquals(changed, byKey.changed());
    assertEquals(looms, byKey.changedColumns().get("loom"));
    assertEquals(byKey.added() + changed, plain.added());
    assertEquals(byKey.removed() + changed, plain.removed());
    assertEquals(
        2 * changed,
        byKey.examples().stream()
            .filter(e -> Set.of("before", "after").contains(e.kind()))
            .count());
    LakeException e =
        assertThrows(
            LakeException.class,
            () ->
                TableComparison.of(
                    table().asOf(first),
                    table(),
                    List.of("loom"),
                    1,
                    ExecutionContext.standalone(1 << 28),
                    lake.lake()));
    assertTrue(e.getMessage().contains("several rows have the same key"), e.getMessage());
  }

  private static String[] rowsOf(Map<String, String> state) {
    return state.entrySet().stream()
        .map(e -> e.getKey() + "," + e.getValue())
        .toArray(String[]::new);
  }

  @Test
  void rowsAreFittedToTheTableThatIsThere() {
    arrive("R1,L1,,1");
    write("mode: append");
    arrive("R2,L2,,2");
    String other =
        """
        pipeline: q
        steps:
          rolls: {read: {feed: rolls}}
          other:
            from: rolls
            shape: {rename: {roll: number}, set: {extra: "1"}, drop: [woven], order: [metres, number]}
          out: {from: other, write: {table: t.rolls%s}}
        """;

    Problem refused = lake.check(other.formatted("")).problems().get(0);
    assertTrue(refused.message().contains("there with other columns"), refused.message());

    List<Problem> told =
        lake.check(other.formatted(", columns: fit, match: {roll: number}")).problems();
    assertEquals(
        "Rows are fitted to [t.rolls]: left out, since it has no such column: extra; null, since no column here has the name: woven",
        told.get(0).message());
    lake.run(other.formatted(", columns: fit, match: {roll: number}"));
    assertEquals(
        "[[R1, L1, null, 1.00], [R1, L1, null, 1.00], [R2, L2, null, 2.00]]", rows().toString());
  }

  @Test
  void healthAndForecastNameWhatIsWrong() {
    for (int i = 0; i < 4; i++) {
      String[] rows = new String[60];
      for (int d = 0; d < rows.length; d++) {
        rows[d] = "R%d,L%d,2026-03-01 00:00:00,%d".formatted(d, d, i);
      }
      arrive(rows);
      write("partition: [loom]");
    }
    arrive(Stream.generate(() -> "R,L1,,1").limit(400).toArray(String[]::new));
    write("partition: [loom]");

    TableHealth health = TableHealth.of(table());

    assertEquals(
        List.of("small-files", "skewed"),
        health.findings().stream().map(TableHealth.Finding::code).toList());
    assertEquals(241, health.smallFiles());
    assertTrue(
        health.findings().get(1).message().startsWith("Partition loom=L1 has 404 rows, 101 times"),
        health.findings().toString());
    PipelineCheck check = lake.check(pipeline("partition: [loom]"));
    assertEquals(60, check.forecasts().get(0).files());
    assertEquals("small-files", check.problems().get(0).code());
    compact();
    assertTrue(
        TableHealth.of(table()).findings(ROLLS, Instant.now()).stream()
            .noneMatch(f -> f.code().equals("small-files")));
    // Upkeep is no pipeline's work: who wrote the rows stays known.
    assertEquals(table().snapshots().get(1).pipeline(), table().lastWriter());
    assertTrue(table().lastWriter().isPresent());
  }
}
