package yardage.core.lake;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.SplittableRandom;
import java.util.function.Function;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.ReadCache;
import yardage.core.exec.StepTally;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.TestLake;

/**
 * ORDER BY with a limit over several files: the rows are those of a full sort, and few are read.
 */
@Tag("thorough")
class FirstOfTableTest {
  @TempDir Path folder;
  private TestLake lake;

  /** Rows of which each has its number, a day, and a text; some of both are null. */
  private record Roll(long number, Integer day, String note) {}

  private final List<Roll> rolls = new ArrayList<>();

  @BeforeEach
  void land() {
    ReadCache cache = ReadCache.within(MemoryPool.root("test", 1L << 30), 1L << 29);
    lake = new TestLake(LocalStorage.place(folder), folder, cache);
    lake.declare(
        "feed: rolls\nfiles: rolls/*.csv\ntext: {}\ncolumns: {roll: bigint, day: int, note: varchar}\n");
    SplittableRandom random = new SplittableRandom(Long.getLong("yardage.seed", 5));
    for (int f = 0; f < 6; f++) {
      StringBuilder rows = new StringBuilder("roll,day,note\n");
      for (int i = 0; i < 20_000; i++) {
        Integer day =
            f == 4 && random.nextInt(10_000) == 0 ? null : f * 1_000 + random.nextInt(1_200);
        String note = random.nextInt(9) == 0 ? null : "n" + random.nextInt(5_000);
        Roll roll = new Roll(rolls.size(), day, note);
        rolls.add(roll);
        rows.append(roll.number())
            .append(',')
            .append(day == null ? "" : day)
            .append(',')
            .append(note == null ? "" : note)
            .append('\n');
      }
      lake.file("rolls/%d.csv".formatted(f), rows.toString());
      lake.run(
          "pipeline: rolls\nsteps:\n  rolls: {read: {feed: rolls}}\n  keep: {from: rolls, write: {table: t.rolls}}\n");
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "day desc nulls last, roll",
        "day desc, roll",
        "day, roll",
        "day nulls first, roll desc",
        "note desc nulls last, roll",
        "note, roll desc",
        "note nulls first, roll",
        "roll desc"
      })
  void theyAreThoseOfAFullSort(String order) {
    for (int limit : new int[] {7, 5_000}) {
      for (String where : new String[] {"", "where roll % 3 = 0", "where day < 3000"}) {
        // Again, once all is in memory.
        for (int i = 0; i < 3; i++) {
          String sql =
              "select roll from t.rolls %s order by %s limit %d offset 3"
                  .formatted(where, order, limit);
          assertEquals(expected(where, order, limit), lake.query(sql), sql);
        }
      }
    }
  }

  @Test
  void filesThatHaveNoneOfThemAreNotRead() {
    StepTally tally = new StepTally("query", "sql");
    String sql = "select roll, note from t.rolls order by day desc nulls last limit 5";
    assertEquals(5, lake.query(sql, tally).size());
    assertEquals(6, tally.files.read.sum() + tally.files.leftOut.sum());
    assertTrue(tally.files.read.sum() <= 3, "read " + tally.files.read.sum());
    assertTrue(
        tally.leftOut().keySet().stream()
            .anyMatch(what -> what.condition().equals("day is among the first")),
        tally.leftOut()::toString);

    StepTally all = new StepTally("query", "sql");
    lake.query(sql.replace("limit 5", ""), all);
    assertEquals(6, all.files.read.sum());
    assertEquals(rolls.size(), all.rowsIn.sum());
  }

  private List<List<Object>> expected(String where, String order, int limit) {
    Comparator<Roll> by = null;
    for (String key : order.split(", ")) {
      List<String> words = Arrays.asList(key.split(" "));
      boolean descending = words.contains("desc");
      boolean nullsFirst = words.contains("first") || descending && !words.contains("last");
      Comparator<Roll> one =
          switch (words.get(0)) {
            case "day" -> of(Roll::day, descending, nullsFirst);
            case "note" -> of(Roll::note, descending, nullsFirst);
            default -> of(Roll::number, descending, nullsFirst);
          };
      by = by == null ? one : by.thenComparing(one);
    }
    return rolls.stream()
        .filter(
            r ->
                where.isEmpty()
                    || (where.contains("roll") ? r.number % 3 == 0 : r.day != null && r.day < 3000))
        .sorted(by)
        .skip(3)
        .limit(limit)
        .map(r -> List.<Object>of(r.number))
        .toList();
  }

  private static <T extends Comparable<T>> Comparator<Roll> of(
      Function<Roll, T> value, boolean descending, boolean nullsFirst) {
    Comparator<T> plain = descending ? Comparator.reverseOrder() : Comparator.naturalOrder();
    return Comparator.comparing(
        value, nullsFirst ? Comparator.nullsFirst(plain) : Comparator.nullsLast(plain));
  }
}
