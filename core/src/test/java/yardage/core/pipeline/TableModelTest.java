package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.apache.parquet.example.data.Group;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.exec.ExecutionContext;
import yardage.core.format.parquet.TheirReader;
import yardage.core.lake.Compaction;
import yardage.core.lake.Expiry;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.testing.TestLake;

/**
 * A table through a long random life, beside a list of rows in memory that lives the same one.
 * After every step the table, each of its older states, filtered reads and the library's own reader
 * of its files say what the list says, and no file lies about that no state has.
 */
class TableModelTest {
  private static final long SEED = Long.getLong("yardage.seed", 23);
  private static final int STEPS = 12;
  private static final TableName TABLE = TableName.parse("t.rolls");
  private static final LocalDate FIRST = LocalDate.of(2026, 1, 1);

  @TempDir Path folder;
  private TestLake lake;
  private SplittableRandom random;
  private String layout;
  private int number;
  private List<Row> rows = new ArrayList<>();
  private final Map<Long, List<Row>> states = new LinkedHashMap<>();

  private record Row(String roll, String loom, LocalDate day, int metres) {
    String line() {
      return "%s,%s,%s,%d"
          .formatted(roll, loom == null ? "" : loom, day == null ? "" : day, metres);
    }

    @Override
    public String toString() {
      return "[%s, %s, %s, %d]".formatted(roll, loom, day, metres);
    }
  }

  private Row row() {
    int roll = random.nextInt(400);
    return new Row(
        "R%03d".formatted(roll),
        random.nextInt(9) == 0 ? null : "L" + random.nextInt(4),
        random.nextInt(9) == 0 ? null : FIRST.plusDays(random.nextInt(100)),
        random.nextInt(1000));
  }

  private List<Row> some(int most) {
    return Stream.generate(this::row).limit(1 + random.nextInt(most)).toList();
  }

  /** Rows of which each has a key of its own. */
  private List<Row> keyed(int most) {
    Map<String, Row> byKey = new TreeMap<>();
    some(most).forEach(r -> byKey.put(r.roll(), r));
    return List.copyOf(byKey.values());
  }

  private void write(List<Row> arriving, String how) {
    lake.file(
        "rolls/%04d".formatted(++number),
        "roll,loom,woven,metres\n"
            + arriving.stream().map(Row::line).collect(Collectors.joining("\n"))
            + "\n");
    lake.run(
        "pipeline: p\nsteps:\n  rolls: {read: {feed: rolls}}\n  out: {from: rolls, write: {table: t.rolls, %s%s}}\n"
            .formatted(how, layout));
  }

  /** The partition that a row belongs to, by the layout; null is one too. */
  private String partition(Row row) {
    return layout.contains("month")
        ? row.day() == null ? "none" : row.day().toString().substring(0, 7)
        : layout.contains("loom") ? String.valueOf(row.loom()) : "";
  }

  private static Set<String> keys(List<Row> rows) {
    return rows.stream().map(Row::roll).collect(Collectors.toSet());
  }

  private static List<Row> without(List<Row> rows, Set<String> keys) {
    return new ArrayList<>(rows.stream().filter(r -> !keys.contains(r.roll())).toList());
  }

  /** Lives one step; says what it was. */
  private String step() {
    switch (random.nextInt(9)) {
      case 0, 1, 2 -> {
        List<Row> more = some(60);
        write(more, "mode: append");
        rows = new ArrayList<>(rows);
        rows.addAll(more);
        return "append";
      }
      case 3 -> {
        List<Row> all = some(80);
        write(all, "mode: replace");
        rows = new ArrayList<>(all);
        return "replace";
      }
      case 4 -> {
        List<Row> news = some(25);
        Set<String> touched = news.stream().map(this::partition).collect(Collectors.toSet());
        boolean parted = layout.contains("month") || layout.contains("loom");
        write(news, parted ? "mode: replace-partitions" : "mode: append");
        rows =
            new ArrayList<>(
                rows.stream().filter(r -> !parted || !touched.contains(partition(r))).toList());
        rows.addAll(news);
        return "replace-partitions";
      }
      case 5 -> {
        List<Row> changed = keyed(40);
        write(changed, "mode: upsert, key: [roll]");
        rows = without(rows, keys(changed));
        rows.addAll(changed);
        return "upsert";
      }
      case 6 -> {
        List<Row> gone = keyed(40);
        write(gone, "mode: delete, key: [roll]");
        rows = without(rows, keys(gone));
        return "delete";
      }
      case 7 -> {
        Compaction.compact(
            lake.lake(), TABLE, "c" + ++number, ExecutionContext.standalone(1 << 28), lake::swap);
        return "compact";
      }
      default -> {
        List<Long> known = new ArrayList<>(states.keySet());
        known.remove(table().snapshotId().orElseThrow());
        if (known.isEmpty()) {
          return "nothing";
        }
        long back = known.get(random.nextInt(known.size()));
        lake.lake().rollBack(TABLE, back, "b" + ++number, lake::swap);
        rows = new ArrayList<>(states.get(back));
        return "roll back";
      }
    }
  }

  private LakeTable table() {
    return lake.table(TABLE).orElseThrow();
  }

  private static List<String> sorted(Stream<?> rows) {
    return rows.map(Object::toString).sorted().toList();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        ", partition: [month(woven)]",
        ", partition: [loom]",
        ", partition: ['bucket(roll, 3)']",
        ", partition: [month(woven)], sort: [roll]",
      })
  void livesAsAListOfRowsDoes(String layout) throws IOException {
    this.layout = layout;
    random = new SplittableRandom(SEED + layout.hashCode());
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntext: {}\nintake: {repeated: take}\ncolumns: {roll: varchar, loom: varchar, woven: date, metres: int}\n");
    rows = new ArrayList<>(some(50));
    write(rows, "mode: append");
    states.put(table().snapshotId().orElseThrow(), List.copyOf(rows));
    for (int i = 0; i < STEPS; i++) {
      String what = "step %d, %s%s, seed %d: ".formatted(i, step(), layout, SEED);
      states.put(table().snapshotId().orElseThrow(), List.copyOf(rows));

      assertSame(what, table(), rows);
      LocalDate from = FIRST.plusDays(random.nextInt(90));
      LocalDate to = from.plusDays(random.nextInt(40));
      assertEquals(
          sorted(
              rows.stream()
                  .filter(r -> r.day() != null && !r.day().isBefore(from) && !r.day().isAfter(to))),
          sorted(
              lake
                  .query(
                      "select * from t.rolls where woven between date '%s' and date '%s'"
                          .formatted(from, to))
                  .stream()),
          what + "a filter that passes files over");
      if (i % 5 == 4) {
        expire(what);
      }
    }
  }

  private void assertSame(String what, LakeTable table, List<Row> expected) throws IOException {
    assertEquals(expected.size(), table.rowCount(), what + "as its metadata says");
    assertEquals(
        List.of(List.of((long) expected.size())),
        lake.query("select count(*) from t.rolls"),
        "rows as they are told without reading them");
    assertEquals(
        sorted(expected.stream()),
        sorted(lake.query("select * from t.rolls").stream()),
        what + "as the engine reads it");
    assertEquals(
        sorted(expected.stream()), sorted(theirRows(table).stream()), what + "as others read it");
  }

  /** Forgets most states, then looks at those that are left. */
  private void expire(String what) throws IOException {
    int keep = 1 + random.nextInt(4);
    Expiry.expire(
        lake.lake(),
        TABLE,
        keep,
        Instant.now().plusSeconds(60),
        Instant.MAX,
        "e" + ++number,
        lake::swap);
    Set<Long> left =
        table().snapshots().stream().map(LakeTable.SnapshotInfo::id).collect(Collectors.toSet());
    states.keySet().retainAll(left);
    long now = table().snapshotId().orElseThrow();
    assertTrue(
        left.size() <= keep + 1 && left.contains(now),
        what + left.size() + " states are left of " + keep + " and the one of now");
    Set<Path> wanted = new HashSet<>();
    for (long id : left) {
      LakeTable then = table().asOf(id);
      then.files().forEach(f -> wanted.add(Path.of(f.path())));
      assertEquals(
          sorted(states.get(id).stream()), sorted(theirRows(then).stream()), what + "state " + id);
    }
    try (Stream<Path> data = Files.walk(folder.resolve("tables/t/rolls/data"))) {
      assertEquals(
          wanted,
          data.filter(Files::isRegularFile).collect(Collectors.toSet()),
          what + "files that no state has are gone");
    }
  }

  /** The rows of a table's files as the format's own library puts them together. */
  private static List<Row> theirRows(LakeTable table) throws IOException {
    List<Row> out = new ArrayList<>();
    for (LakeTable.FileInfo file :
        table.files().stream().sorted(Comparator.comparing(LakeTable.FileInfo::path)).toList()) {
      for (Group g : TheirReader.read(Path.of(file.path()))) {
        out.add(
            new Row(
                g.getString("roll", 0),
                g.getFieldRepetitionCount("loom") == 0 ? null : g.getString("loom", 0),
                g.getFieldRepetitionCount("woven") == 0
                    ? null
                    : LocalDate.ofEpochDay(g.getInteger("woven", 0)),
                g.getInteger("metres", 0)));
      }
    }
    return out;
  }
}
