package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.UUID;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.testing.RandomQueries;

/**
 * Random queries over random tables, with nulls, repeats and an empty table: the same rows as in
 * MariaDB. One that differs is made smaller until nothing can be left out of it.
 */
@Tag("thorough")
class RandomQueriesTest {
  private static final long SEED = Long.getLong("yardage.seed", 42);
  private static final int QUERIES = Integer.getInteger("yardage.queries", 2000);
  private static final int MOST_WRONG = Integer.getInteger("yardage.wrong", 3);
  private static final int MOST_ROWS = 20_000;
  private static final Schema TABLE =
      Schema.of(
          new Schema.Field("k", Type.INT),
          new Schema.Field("n", Type.BIGINT),
          new Schema.Field("d", Type.decimal(9, 2)),
          new Schema.Field("w", Type.decimal(22, 4)),
          new Schema.Field("x", Type.DOUBLE),
          new Schema.Field("s", Type.VARCHAR),
          new Schema.Field("born", Type.DATE),
          new Schema.Field("seen", Type.TIMESTAMP),
          new Schema.Field("ok", Type.BOOLEAN),
          new Schema.Field("clock", Type.TIME),
          new Schema.Field("instant", Type.TIMESTAMP_TZ),
          new Schema.Field("raw", Type.BINARY),
          new Schema.Field("id", Type.UUID));

  private static SqlTwin twin;
  private static Connection connection;
  private static final Map<String, Schema> TABLES = new LinkedHashMap<>();

  @BeforeAll
  static void load() throws SQLException {
    twin = new SqlTwin();
    SplittableRandom random = new SplittableRandom(SEED);
    int[] sizes = {40, 25, 12, 0};
    for (int t = 0; t < sizes.length; t++) {
      List<List<Object>> rows = new ArrayList<>();
      for (int i = 0; i < sizes[t]; i++) {
        rows.add(row(random));
      }
      twin.table("t" + t, TABLE, rows);
      TABLES.put("t" + t, TABLE);
    }
    connection = twin.connect();
    try (Statement s = connection.createStatement()) {
      s.execute("SET max_statement_time = 5");
      s.execute("SET NAMES utf8mb4 COLLATE utf8mb4_nopad_bin");
    }
  }

  private static List<Object> row(SplittableRandom random) {
    List<Object> out =
        Arrays.asList(
            random.nextInt(10),
            (long) random.nextInt(-20, 50),
            BigDecimal.valueOf(random.nextInt(-300, 4000), 2),
            BigDecimal.valueOf(random.nextInt(-300, 4000), 2).setScale(4),
            random.nextInt(-8, 60) / 4.0,
            List.of("warp", "weft", "", "Selvedge", "pick", "été").get(random.nextInt(6)),
            LocalDate.of(2026, 1, 1).plusDays(random.nextInt(90)),
            LocalDate.of(2026, 1, 1).plusDays(random.nextInt(90)).atTime(random.nextInt(24), 30),
            random.nextBoolean(),
            LocalTime.of(random.nextInt(10), 30 * random.nextInt(2)),
            Instant.parse("2026-01-11T00:30:00Z").plusSeconds(3_600L * random.nextInt(20)),
            List.of("", "00", "cafe", "ff01", "0000").get(random.nextInt(5)),
            UUID.fromString(RandomQueries.ID.formatted(random.nextInt(16))));
    for (int c = 0; c < out.size(); c++) {
      if (random.nextInt(8) == 0) {
        out.set(c, null);
      }
    }
    return out;
  }

  @AfterAll
  static void stop() throws SQLException {
    connection.close();
    twin.close();
  }

  /** What came of a query: asked in vain there, or held against each other. */
  private sealed interface Outcome {
    record NotTheirs(String why) implements Outcome {}

    record Same(int rows) implements Outcome {}

    record Differs(String what) implements Outcome {}
  }

  private static Outcome outcome(RandomQueries.Node query) {
    List<String> theirs;
    try {
      theirs = sorted(twin.theirs(connection, query.theirs()));
    } catch (SQLException e) {
      return new Outcome.NotTheirs(e.getMessage());
    }
    if (theirs.size() > MOST_ROWS) {
      return new Outcome.NotTheirs("too many rows");
    }
    List<String> ours;
    try {
      ours = sorted(twin.ours(query.ours()));
    } catch (SqlProblemException e) {
      return new Outcome.Differs("refused here: " + e.problem().message());
    } catch (RuntimeException | AssertionError e) {
      if (String.valueOf(e.getMessage()).contains("gave more than one row")) {
        // They compute a subquery only where its value can matter.
        return new Outcome.NotTheirs("more than one row");
      }
      return new Outcome.Differs("fails here: " + e);
    }
    return ours.equals(theirs)
        ? new Outcome.Same(ours.size())
        : new Outcome.Differs(difference(theirs, ours));
  }

  private static String difference(List<String> theirs, List<String> ours) {
    List<String> missing = new ArrayList<>(theirs);
    ours.forEach(missing::remove);
    List<String> extra = new ArrayList<>(ours);
    theirs.forEach(extra::remove);
    return "%d rows there, %d here; only there: %s; only here: %s"
        .formatted(
            theirs.size(),
            ours.size(),
            missing.stream().limit(5).toList(),
            extra.stream().limit(5).toList());
  }

  private static List<String> sorted(List<List<Object>> rows) {
    return rows.stream().map(RandomQueriesTest::text).sorted().toList();
  }

  /** Numbers by their value, whatever their type; truth as 0 or 1. */
  private static String text(List<Object> row) {
    StringBuilder out = new StringBuilder();
    for (Object v : row) {
      String text =
          v instanceof Number n
              ? new BigDecimal(n.toString())
                  .add(BigDecimal.ZERO)
                  .stripTrailingZeros()
                  .toPlainString()
              : v == null ? "null" : v instanceof Boolean b ? (b ? "1" : "0") : Values.text(v);
      out.append(text).append(" | ");
    }
    return out.toString();
  }

  private static Optional<RandomQueries.Node> smallerThatDiffers(RandomQueries.Node query) {
    return query
        .smaller()
        .filter(q -> q.ours().length() < query.ours().length())
        .limit(400)
        .filter(q -> outcome(q) instanceof Outcome.Differs)
        .findFirst();
  }

  @Test
  void randomQueriesGiveTheSameRowsAsMariaDb() {
    RandomQueries queries = new RandomQueries(TABLES, SEED);
    Map<String, Integer> notTheirs = new TreeMap<>();
    List<String> wrong = new ArrayList<>();
    int same = 0;
    int withRows = 0;
    for (int i = 0; i < QUERIES && wrong.size() < MOST_WRONG; i++) {
      RandomQueries.Node query = queries.next();
      Outcome outcome = outcome(query);
      if (outcome instanceof Outcome.Same s) {
        same++;
        withRows += s.rows() > 0 ? 1 : 0;
      } else if (outcome instanceof Outcome.NotTheirs n) {
        notTheirs.merge(n.why().replaceAll("'.*", "…"), 1, Integer::sum);
      } else {
        RandomQueries.Node least = query;
        for (var next = Optional.of(query); next.isPresent(); next = smallerThatDiffers(least)) {
          least = next.get();
        }
        wrong.add(
            least.ours()
                + "\n  there: "
                + least.theirs()
                + "\n  "
                + ((Outcome.Differs) outcome(least)).what());
      }
    }
    assertTrue(wrong.isEmpty(), () -> "seed " + SEED + "\n" + String.join("\n\n", wrong));
    assertTrue(
        same > QUERIES * 0.95 && withRows > QUERIES / 3,
        same + " held, with rows " + withRows + "; not asked there: " + notTheirs);
  }
}
