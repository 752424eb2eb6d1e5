package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.math.BigDecimal;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.stream.Collectors;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.testing.PrivateMariaDb;
import yardage.core.testing.TestLake;

/**
 * Each step over random rows, with nulls, duplicates and skew, against MariaDB's answer to the SQL
 * that means the same. The books of every run are checked by the run itself.
 */
class StepsAgainstMariaDbTest {
  private static final long SEED = Long.getLong("yardage.seed", 42);
  private static final String ROLLS =
      "id int, loom varchar(20), town varchar(20), metres decimal(9, 2), woven date, note varchar(40)";
  @TempDir static Path folder;
  private static PrivateMariaDb db;
  private static TestLake lake;
  private static int tables;

  @BeforeAll
  static void load() throws SQLException {
    db = PrivateMariaDb.start();
    lake = new TestLake(folder);
    lake.declare(feed("rolls", ROLLS)).declare(feed("more", ROLLS));
    lake.declare(feed("looms", "code varchar(20), hall varchar(20), place int"));
    SplittableRandom random = new SplittableRandom(SEED);
    load("rolls", ROLLS, rolls(random, 1500));
    load("more", ROLLS, rolls(random, 400));
    List<String> looms = new ArrayList<>();
    for (int i = 0; i < 25; i++) {
      looms.add("L%d,hall %d,%d".formatted(i, i % 4, i));
      if (i % 6 == 0) {
        looms.add("L%d,,%d".formatted(i, 100 + i));
      }
    }
    looms.add(",nowhere,7");
    load("looms", "code varchar(20), hall varchar(20), place int", looms);
  }

  private static List<String> rolls(SplittableRandom random, int count) {
    List<String> out = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      String row =
          "%s,%s,%s,%s,%s,%s"
              .formatted(
                  random.nextInt(count * 2 / 3),
                  random.nextInt(9) == 0
                      ? ""
                      : random.nextInt(2) == 0 ? "L1" : "L" + random.nextInt(30),
                  List.of("Torvi", "Quellor", "").get(random.nextInt(3)),
                  random.nextInt(8) == 0 ? "" : BigDecimal.valueOf(random.nextInt(-500, 9000), 2),
                  random.nextInt(8) == 0
                      ? ""
                      : LocalDate.of(2026, 1, 1).plusDays(random.nextInt(90)),
                  random.nextInt(7) == 0
                      ? ""
                      : "a-B-%d".formatted(random.nextInt(5)).substring(0, random.nextInt(1, 6)));
      out.add(row);
      if (random.nextInt(12) == 0) {
        out.add(row);
      }
    }
    return out;
  }

  private static String feed(String name, String columns) {
    return "feed: %s\nfiles: %s/*\ntake: all\nintake: {replaced: take}\ntext: {}\ncolumns: {%s}\n"
        .formatted(
            name,
            name,
            java.util.Arrays.stream(columns.split(", (?=[a-z])"))
                .map(c -> c.replaceFirst(" ", ": ").replaceFirst("varchar.*", "varchar"))
                .map(c -> c.replaceFirst("(decimal.*)", "\"$1\""))
                .collect(Collectors.joining(", ")));
  }

  private static void load(String name, String columns, List<String> rows) throws SQLException {
    String header =
        java.util.Arrays.stream(columns.split(", (?=[a-z])"))
            .map(c -> c.split(" ")[0])
            .collect(Collectors.joining(","));
    lake.file(name + "/1", header + "\n" + String.join("\n", rows) + "\n");
    try (Connection c = db.connect("yardage");
        Statement s = c.createStatement()) {
      s.execute("CREATE TABLE IF NOT EXISTS %s (%s)".formatted(name, columns));
      s.execute("DELETE FROM " + name);
      for (String row : rows) {
        s.addBatch(
            "INSERT INTO %s VALUES (%s)"
                .formatted(
                    name,
                    java.util.Arrays.stream(row.split(",", -1))
                        .map(v -> v.isEmpty() ? "NULL" : "'" + v + "'")
                        .collect(Collectors.joining(", "))));
      }
      s.executeBatch();
    }
  }

  @AfterAll
  static void stop() {
    db.close();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '`',
      value = {
        "keep: metres > 10 and (loom <> 'L1' or note is null) ` select * from rolls where metres > 10 and (loom <> 'L1' or note is null)",
        "shape: {upper: [note], lower: [town], rename: {loom: machine}, set: {twice: metres * 2, metres: 'coalesce(metres, 0)'}, drop: [woven]} ` select id, loom, lower(town), coalesce(metres, 0), upper(note), metres * 2 from rolls",
        "shape: {split: {note: {by: '-', into: [p, q]}}, combine: {place: {columns: [town, loom, id], with: /}}, drop: [note, metres, woven]} ` select id, loom, town, substring_index(note, '-', 1), case when instr(note, '-') > 0 then substring(note, instr(note, '-') + 1) end, concat_ws('/', town, loom, id) from rolls",
        "fill: {columns: [note, town], empty: [a], with: \"'none'\"} ` select id, loom, coalesce(nullif(town, 'a'), 'none'), metres, woven, coalesce(nullif(note, 'a'), 'none') from rolls",
        "across: {by: [loom], order: [id, metres, woven, note, town], set: {n: row_number(), so_far: sum(metres), all_of_it: count(*)}, rows: so-far} ` select *, row_number() over w, sum(metres) over (w rows between unbounded preceding and current row), count(*) over (w rows between unbounded preceding and current row) from rolls window w as (partition by loom order by id, metres, woven, note, town)",
        "pivot: {by: [loom], names: town, values: [Torvi, Quellor], set: {m: sum(metres), n: count(note)}} ` select loom, sum(case when town = 'Torvi' then metres end), sum(case when town = 'Quellor' then metres end), count(case when town = 'Torvi' then note end), count(case when town = 'Quellor' then note end) from rolls group by loom",
        "unpivot: {columns: [loom, town, note], names: what, values: said, keep-nulls: true} ` select id, metres, woven, 'loom', loom from rolls union all select id, metres, woven, 'town', town from rolls union all select id, metres, woven, 'note', note from rolls",
        "dedupe: {} ` select distinct * from rolls",
        "dedupe: {by: [loom, town], keep: last, order: [metres, id, woven, note]} ` select id, loom, town, metres, woven, note from (select *, row_number() over (partition by loom, town order by metres desc, id desc, woven desc, note desc) as n from rolls) r where n = 1",
        "dedupe: {by: [id], order: [metres desc, loom, town, woven, note]} ` select id, loom, town, metres, woven, note from (select *, row_number() over (partition by id order by metres desc, loom, town, woven, note) as n from rolls) r where n = 1",
        "dedupe: {by: [loom], keep: merged, merge: {id: min, town: max, metres: sum, woven: min, note: max}} ` select min(id), loom, max(town), sum(metres), min(woven), max(note) from rolls group by loom",
        "aggregate: {by: [loom, town], set: {n: count(*), m: sum(metres), d: count(distinct id), far: max(woven)}} ` select loom, town, count(*), sum(metres), count(distinct id), max(woven) from rolls group by loom, town",
        "aggregate: {set: {n: count(*), long: count(*) filter (where metres > 50), low: min(note)}} ` select count(*), sum(metres > 50), min(note) from rolls",
        "aggregate: {by: [loom, town], set: {n: count(*)}, levels: [[loom, town], [town], []]} ` select loom, town, count(*) from rolls group by loom, town union all select null, town, count(*) from rolls group by town union all select null, null, count(*) from rolls",
        "join: {with: looms, on: {loom: code}} ` select id, loom, town, metres, woven, note, hall, place from rolls join looms on loom = code",
        "join: {with: looms, on: {loom: code}, kind: left, take: [place]} ` select id, loom, town, metres, woven, note, place from rolls left join looms on loom = code",
        "join: {with: looms, on: {loom: code}, kind: right, take: [place]} ` select id, coalesce(loom, code), town, metres, woven, note, place from rolls right join looms on loom = code",
        "join: {with: looms, on: {loom: code}, kind: full, take: [place]} ` select id, loom, town, metres, woven, note, place from rolls left join looms on loom = code union all select null, code, null, null, null, null, place from looms where not exists (select 1 from rolls where loom = code)",
        "join: {with: looms, on: {loom: code}, kind: left, take: [hall], where: place < 100 and metres > place} ` select id, loom, town, metres, woven, note, hall from rolls left join looms on loom = code and place < 100 and metres > place",
        "join: {with: looms, on: {loom: code}, kind: semi} ` select * from rolls where exists (select 1 from looms where loom = code)",
        "join: {with: looms, on: {loom: code}, kind: anti} ` select * from rolls where not exists (select 1 from looms where loom = code)",
        "check: {known: {found-in: looms, on: {loom: code}}, few: {found-in: looms, on: {loom: code, id: place}, else: warn}} ` select * from rolls where loom is null or exists (select 1 from looms where loom = code)",
        "check: {alone: {unique: [id]}, right: {is: metres > 0}} ` select id, loom, town, metres, woven, note from (select *, count(*) over (partition by id) as n from rolls) r where n = 1 and metres > 0",
        "stack ` select * from rolls union all select * from more",
        "sql: \"select town, sum(place) as p from rolls join looms on loom = code group by town\" ` select town, sum(place) from rolls join looms on loom = code group by town",
      })
  void stepsGiveWhatTheSameSqlGives(String step, String sql) throws SQLException {
    String from =
        step.equals("stack")
            ? "[rolls, more], stack: by-name"
            : (step.startsWith("sql:") ? "[rolls, looms], " : "rolls, ") + step;
    tables++;
    lake.run(
        "pipeline: p\nsteps:\n  rolls: {read: {feed: rolls}}\n  more: {read: {feed: more}}\n  looms: {read: {feed: looms}}\n  step: {from: %s}\n"
                .formatted(from)
            + "  out: {from: step, write: {table: t.made%d, mode: replace}}\n".formatted(tables));

    assertEquals(mariaDb(sql), ours("select * from t.made" + tables), "seed " + SEED + ": " + sql);
  }

  /** Three loads of the same table, each by key. */
  @Test
  void writesByKeyDoWhatStatementsByKeyDo() throws SQLException {
    String write =
        "pipeline: w\nsteps:\n  rolls: {read: {feed: rolls}}\n  more: {read: {feed: more}}\n  one: {from: %s, dedupe: {by: [id], order: [metres desc, loom, town, woven, note]}}\n  keyed: {from: one, keep: id is not null}\n  out: {from: keyed, write: {table: t.keyed, mode: %s, key: [id], partition: [town]}}\n";
    String one =
        "select id, loom, town, metres, woven, note from (select *, row_number() over (partition by id order by metres desc, loom, town, woven, note) as n from %s) r where n = 1";

    lake.run(write.formatted("rolls", "upsert"));
    lake.run(write.formatted("more", "upsert"));
    try (Connection c = db.connect("yardage");
        Statement s = c.createStatement()) {
      s.execute("CREATE TABLE keyed (%s, PRIMARY KEY (id))".formatted(ROLLS));
      s.execute("INSERT INTO keyed " + one.formatted("rolls"));
      s.execute("REPLACE INTO keyed " + one.formatted("more"));
      assertEquals(mariaDb("select * from keyed"), ours("select * from t.keyed"));

      lake.run(write.formatted("more", "delete"));
      s.execute("DELETE FROM keyed WHERE id IN (SELECT id FROM more)");
      assertEquals(mariaDb("select * from keyed"), ours("select * from t.keyed"));
    }
  }

  /** The dimension's keys come from a table; MariaDB resolves the same natural keys with a join. */
  @Test
  void factsResolveKeysAsAJoinDoes() throws SQLException {
    lake.run(
        """
        pipeline: f
        steps:
          rolls: {read: {feed: rolls}}
          numbered: {from: rolls, across: {order: [id, metres, woven, note, town, loom], set: {nr: row_number()}}}
          looms: {read: {feed: looms}}
          one: {from: looms, dedupe: {by: [code], order: [place]}}
          dim: {from: one, dimension: {table: t.dim_loom, key: [code]}}
          fact: {from: numbered, fact: {grain: [nr], keep: [nr], measures: [metres], keys: {loom_key: {dimension: dim, on: {loom: code}}}}}
          keep_dim: {from: dim, write: {table: t.dim_loom, mode: replace}}
          out: {from: fact, write: {table: t.fact, mode: replace}}
        """);

    assertEquals(
        mariaDb(
            "select case when loom is null then 'none' when code is null then 'unknown' else place end, count(*), sum(metres) from rolls left join (select code, min(place) as place from looms group by code) l on loom = code group by 1"),
        ours(
            "select case f.loom_key when -2 then 'none' when -1 then 'unknown' else cast(d.place as varchar) end as p, count(*) as n, sum(f.metres) as m from t.fact f join t.dim_loom d on f.loom_key = d.loom_key group by case f.loom_key when -2 then 'none' when -1 then 'unknown' else cast(d.place as varchar) end"));
  }

  private static List<String> ours(String sql) {
    return lake.query(sql).stream().map(StepsAgainstMariaDbTest::text).sorted().toList();
  }

  private static List<String> mariaDb(String sql) throws SQLException {
    try (Connection c = db.connect("yardage");
        Statement s = c.createStatement();
        ResultSet rs = s.executeQuery(sql)) {
      List<String> out = new ArrayList<>();
      while (rs.next()) {
        List<Object> row = new ArrayList<>();
        for (int i = 1; i <= rs.getMetaData().getColumnCount(); i++) {
          row.add(rs.getObject(i));
        }
        out.add(text(row));
      }
      return out.stream().sorted().toList();
    }
  }

  private static String text(List<Object> row) {
    return row.stream()
        .map(
            v ->
                v instanceof BigDecimal d
                    ? d.signum() == 0 ? "0" : d.stripTrailingZeros().toPlainString()
                    : String.valueOf(v))
        .collect(Collectors.joining(" | "));
  }
}
