package yardage.core.lake;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Proxy;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.column.Type;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.ReadCache;
import yardage.core.exec.StepTally;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnPredicate;
import yardage.core.storage.LocalStorage;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;
import yardage.core.testing.Rows;
import yardage.core.testing.TestLake;

/** Tables are read from memory where they were read before, and give the same. */
class CachedReadsTest {
  private static final TableName ROLLS = TableName.parse("t.rolls");
  private static final String TOTALS =
      "select loom, count(*), sum(metres), min(woven), count(note) from t.rolls group by loom order by loom";

  @TempDir Path folder;
  private final MemoryPool memory = MemoryPool.root("all", 64L << 20);
  private ReadCache cache;
  private TestLake lake;

  /** The addresses of files that were opened, or whose size was asked for. */
  private final List<String> touched = new ArrayList<>();

  @BeforeEach
  void land() {
    cache = ReadCache.within(memory, 32L << 20);
    Place local = LocalStorage.place(folder);
    Storage watched =
        (Storage)
            Proxy.newProxyInstance(
                getClass().getClassLoader(),
                new Class<?>[] {Storage.class},
                (proxy, method, arguments) -> {
                  if (List.of("open", "read", "stat").contains(method.getName())) {
                    synchronized (touched) {
                      touched.add(arguments[0].toString());
                    }
                  }
                  try {
                    return method.invoke(local.storage(), arguments);
                  } catch (InvocationTargetException e) {
                    throw e.getCause();
                  }
                });
    lake = new TestLake(new Place(watched, local.address()), folder, cache);
    lake.declare(
        "feed: rolls\nfiles: rolls/*.csv\ntext: {}\ncolumns: {roll: int, loom: varchar, metres: \"decimal(9, 2)\", woven: date, note: varchar}\n");
    add(0);
  }

  private void add(int number) {
    StringBuilder rows = new StringBuilder("roll,loom,metres,woven,note\n");
    for (int i = number * 20_000; i < (number + 1) * 20_000; i++) {
      rows.append(
          "%d,L%d,%d.25,2026-%02d-%02d,%s\n"
              .formatted(
                  i,
                  i % 97,
                  i % 800,
                  1 + i % 5,
                  1 + i % 28,
                  i % 3 == 0 ? "" : "note " + i * 31 % 7919));
    }
    lake.file("rolls/%d.csv".formatted(number), rows.toString());
    lake.run(
        "pipeline: land\nsteps:\n  rolls: {read: {feed: rolls}}\n  keep: {from: rolls, write: {table: t.rolls, partition: [\"month(woven)\"]}}\n");
  }

  private List<List<Object>> ask() {
    touched.clear();
    return lake.query(TOTALS);
  }

  @Test
  void theThirdQueryOpensNothing() {
    List<List<Object>> first = ask();
    assertTrue(touched.size() > 10, touched::toString);
    assertEquals(first, ask());
    assertEquals(first, ask());
    assertEquals(List.of(), touched);

    add(1);
    List<List<Object>> more = ask();
    assertEquals(first.size(), more.size());
    assertEquals(40_000L, more.stream().mapToLong(r -> (Long) r.get(1)).sum());
    ask();
    assertEquals(more, ask());
    assertEquals(List.of(), touched, "files of before and new ones");
  }

  @Test
  void memoryThatIsTakenBackChangesNoAnswer() {
    List<List<Object>> first = ask();
    ask();
    assertTrue(cache.heldBytes() > 100_000, "held: " + cache.heldBytes());
    assertTrue(memory.tryReserve(memory.limitBytes()));
    assertEquals(0, cache.heldBytes());
    assertEquals(first, ask());
    memory.release(memory.limitBytes() - 50_000);
    for (int i = 0; i < 4; i++) {
      assertEquals(first, ask());
      assertTrue(memory.usedBytes() <= memory.limitBytes());
    }
  }

  /** What is told from kept statistics, beside what the format's library tells. */
  @Test
  void theSameFilesAreSkipped() {
    add(1);
    add(2);
    LakeTable table = lake.table(ROLLS).orElseThrow();
    LakeTable plain = new Lake(LocalStorage.place(folder), lake).table(ROLLS).orElseThrow();
    SplittableRandom random = new SplittableRandom(Long.getLong("yardage.seed", 23));
    long skipped = 0;
    for (int i = 0; i < 120; i++) {
      List<ColumnPredicate> filter = new ArrayList<>();
      for (int p = random.nextInt(3); p >= 0; p--) {
        ColumnPredicate.Op op =
            ColumnPredicate.Op.values()[random.nextInt(ColumnPredicate.Op.values().length)];
        filter.add(
            switch (random.nextInt(3)) {
              case 0 -> compared("roll", op, Type.INT, random.nextInt(-10, 60_010));
              case 1 -> compared("woven", op, Type.DATE, random.nextInt(20_440, 20_620));
              default -> compared("loom", op, Type.VARCHAR, "L" + random.nextInt(120));
            });
      }
      StepTally kept = read(table, filter);
      StepTally read = read(plain, filter);
      assertEquals(read.files.leftOut.sum(), kept.files.leftOut.sum(), filter.toString());
      assertEquals(read.rowsIn.sum(), kept.rowsIn.sum(), filter.toString());
      skipped += kept.files.leftOut.sum();
    }
    assertTrue(skipped > 200, "skipped: " + skipped);
  }

  /** Workers share a row group once it is in memory; its rows come once, and in their order. */
  @Test
  void rowGroupsAreReadInRanges() {
    StringBuilder rows = new StringBuilder("roll,loom,metres,woven,note\n");
    for (int i = 0; i < 150_000; i++) {
      rows.append("%d,L%d,1.25,2026-03-01,%s\n".formatted(i, i / 50_000, i % 7 == 0 ? "" : "x"));
    }
    lake.file("rolls/many.csv", rows.toString());
    lake.run(
        "pipeline: many\nsteps:\n  rolls: {read: {feed: rolls}}\n  march: {from: rolls, keep: \"woven = date '2026-03-01' and metres = 1.25 and roll >= 0\"}\n  keep: {from: march, write: {table: t.many, mode: replace}}\n");
    String sql =
        "select loom, count(*), min(roll), max(roll), count(note), sum(roll) from t.many group by loom order by loom";
    LakeTable table = lake.table(TableName.parse("t.many")).orElseThrow();
    int before = splits(table);
    List<List<Object>> first = lake.query(sql);
    lake.query(sql);
    assertTrue(splits(table) > before, before + " splits, then " + splits(table));
    assertEquals(first, lake.query(sql));
    List<Object> order = new ArrayList<>();
    table
        .scan(new int[] {0, 1, 4}, List.of(), List.of(), new StepTally("r", "r"), file -> true)
        .splits()
        .forEach(
            split ->
                split.read(null, b -> Rows.rows(List.of(b)).forEach(r -> order.add(r.get(0)))));
    List<Object> same = new ArrayList<>();
    new Lake(LocalStorage.place(folder), lake)
        .table(TableName.parse("t.many"))
        .orElseThrow()
        .scan(new int[] {0, 1, 4}, List.of(), List.of(), new StepTally("r", "r"), file -> true)
        .splits()
        .forEach(
            split -> split.read(null, b -> Rows.rows(List.of(b)).forEach(r -> same.add(r.get(0)))));
    assertEquals(same, order);
  }

  /** Numbers whose places were sorted out, of one column with nulls and of two files. */
  @Test
  void rowsAreLookedUpOnceAColumnWasAskedForKeys() {
    SplittableRandom random = new SplittableRandom(Long.getLong("yardage.seed", 31));
    StringBuilder rows = new StringBuilder("bale,lot,weight,spun,grade\n");
    for (int i = 0; i < 120_000; i++) {
      rows.append(
          "%d,%s,%d.50,2026-%02d-03,%d\n"
              .formatted(
                  random.nextLong(4_000_000_000L),
                  i % 11 == 0 ? "" : random.nextInt(9_000),
                  random.nextInt(40_000),
                  1 + i / 60_000,
                  i % 5));
    }
    TestLake plain = new TestLake(folder.resolve("plain"));
    landBales(lake, rows.toString());
    landBales(plain, rows.toString());
    List<String> queries =
        List.of(
            "select l.colour, count(*), sum(b.weight), min(b.bale) from t.bales b join t.lots l on l.lot = b.lot group by l.colour order by l.colour",
            "select count(*), sum(b.bale), max(b.grade) from t.bales b join t.lots l on l.lot = b.lot where b.grade > 2 and l.colour = 'red'",
            "select count(*), min(bale), max(weight) from t.bales where lot = 4711",
            "select count(*), max(l.lot), min(l.colour) from t.lots l where exists (select * from t.bales b where b.lot = l.lot)",
            "select count(*), max(l.lot), min(l.colour) from t.lots l where not exists (select * from t.bales b where b.lot = l.lot)",
            "select count(*), sum(grade), sum(lot) from t.bales where weight = 17.50");
    for (String query : queries) {
      List<List<Object>> expected = plain.query(query);
      assertTrue((Long) expected.get(0).get(expected.get(0).size() - 3) > 0, expected::toString);
      for (int i = 0; i < 4; i++) {
        assertEquals(expected, lake.query(query), query);
      }
      long claimed = memory.limitBytes() - memory.usedBytes() + 100_000;
      assertTrue(memory.tryReserve(claimed));
      memory.release(claimed);
      assertEquals(expected, lake.query(query), "some of what was kept is gone");
    }
    long chunks = cache.heldBytes();
    for (int i = 0; i < 4; i++) {
      lake.query("select count(*), min(spun), max(grade) from t.bales where bale = 123456789");
    }
    // The numbers were there before.
    assertTrue(cache.heldBytes() - chunks > 4 * 120_000, "four bytes for the place of each row");
  }

  /** More rows than a row group has; workers share them out as they come. */
  @Test
  void rowGroupsAreCountedOnce() {
    StringBuilder rows = new StringBuilder("cone\n");
    for (int i = 0; i < 1_100_000; i++) {
      rows.append(i).append('\n');
    }
    lake.file("cones/1.csv", rows.toString());
    lake.declare("feed: cones\nfiles: cones/*\ntext: {}\ncolumns: {cone: int}\n");
    lake.run(
        "pipeline: cones\nsteps:\n  cones: {read: {feed: cones}}\n  keep: {from: cones, write: {table: t.cones}}\n",
        256L << 20);
    LakeTable table = lake.table(TableName.parse("t.cones")).orElseThrow();
    // The last times row groups are read in ranges.
    for (int i = 0; i < 4; i++) {
      assertEquals("2 0", groups(table, -1));
      assertEquals("0 0", groups(table, 2_000_000), "the file is skipped");
    }
  }

  private static ColumnPredicate compared(
      String column, ColumnPredicate.Op op, Type type, Object value) {
    return new ColumnPredicate.Compared(column, op, Literal.of(type, value));
  }

  private static String groups(LakeTable table, int above) {
    StepTally tally = new StepTally("read", "read");
    table
        .scan(
            new int[] {0},
            List.of(compared("cone", ColumnPredicate.Op.GT, Type.INT, above)),
            List.of(),
            tally,
            file -> true)
        .splits()
        .forEach(split -> split.read(null, batch -> {}));
    return tally.rowGroups.read.sum() + " " + tally.rowGroups.leftOut.sum();
  }

  private static void landBales(TestLake lake, String rows) {
    lake.file("bales/1.csv", rows);
    lake.file("lots/1.csv", "lot,colour\n17,red\n4711,blue\n8999,red\n12000,none\n");
    lake.declare(
        "feed: bales\nfiles: bales/*\ntext: {}\ncolumns: {bale: bigint, lot: int, weight: \"decimal(9, 2)\", spun: date, grade: int}\n");
    lake.declare("feed: lots\nfiles: lots/*\ntext: {}\ncolumns: {lot: int, colour: varchar}\n");
    lake.run(
        "pipeline: bales\nsteps:\n  bales: {read: {feed: bales}}\n  keep: {from: bales, write: {table: t.bales, partition: [\"month(spun)\"]}}\n");
    lake.run(
        "pipeline: lots\nsteps:\n  lots: {read: {feed: lots}}\n  keep: {from: lots, write: {table: t.lots}}\n");
  }

  private static int splits(LakeTable table) {
    return table
        .scan(new int[] {0, 1, 4}, List.of(), List.of(), new StepTally("r", "r"), file -> true)
        .splits()
        .size();
  }

  private static StepTally read(LakeTable table, List<ColumnPredicate> filter) {
    StepTally tally = new StepTally("read", "read");
    table
        .scan(new int[] {0, 3}, filter, List.of(), tally, file -> true)
        .splits()
        .forEach(split -> split.read(null, batch -> {}));
    return tally;
  }
}
