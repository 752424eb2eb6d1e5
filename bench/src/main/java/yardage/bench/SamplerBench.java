package yardage.bench;

import java.io.BufferedWriter;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.Statement;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.stream.Collectors;
import org.apache.calcite.rel.RelNode;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.sampler.Block;
import yardage.core.sampler.Chosen;
import yardage.core.sampler.SamplerDocument;
import yardage.core.sampler.SamplerSql;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.star.model.StarModel;
import yardage.core.star.model.StarSql;
import yardage.core.star.model.StarTables;
import yardage.core.task.TaskEndpoints;
import yardage.core.testing.Rows;
import yardage.core.testing.TestLake;

/**
 * The blocks of a sampler over a fact and four dimensions, as they are asked click by click, beside
 * the same SQL in MariaDB with an index for each key. Planning counts; no answer is kept.
 */
final class SamplerBench {
  private static final int ROWS = Integer.getInteger("yardage.rows", 20_000_000);
  private static final int LOOMS = 2_000;
  private static final int PATTERNS = 500;
  private static final int MILLS = 40;
  private static final int DAYS = 3 * 365;

  /** Quotients are rounded to four places there. */
  private static final double MOST_APART = 1e-4;

  /** How long a query may take in MariaDB. */
  private static final int MOST_SECONDS = 60;

  private static final String STAR =
      """
      star: cloth
      dimensions:
        day: {table: b.day, key: day_key, time: true}
        loom: {table: b.loom, key: loom_key}
        pattern: {table: b.pattern, key: pattern_key}
        mill: {table: b.mill, key: mill_key}
      facts:
        rolls:
          table: b.roll
          grain: [roll_id]
          keys: {day_key: day, loom_key: loom, pattern_key: pattern, mill_key: mill}
          keep: [roll_id]
          measures:
            woven: {is: sum(metres)}
            rolls: {is: count(*)}
            defects_per_100_m: {is: 100.0 * sum(defects) / sum(metres), adds: not}
      """;

  private static final String SAMPLER =
      """
      sampler: cloth
      over: cloth.rolls
      paths:
        time: [day_year, day_month]
        place: [mill_name, loom_hall, loom_code]
      blocks:
        woven: {number: woven}
        rate: {number: defects_per_100_m}
        months: {chart: line, by: [day_month, loom_hall], of: [woven]}
        patterns: {chart: stacked bar, by: [pattern_weave, loom_hall], of: [rolls]}
        places: {chart: bar, by: [place], of: [woven]}
        times: {chart: bar, by: [time], of: [woven, defects_per_100_m]}
      """;

  /** Each click: what is chosen, the block, and what MariaDB is asked. */
  private static final List<List<String>> CLICKS =
      List.of(
          List.of("", "woven", "select sum(f.metres) from roll f"),
          List.of("", "rate", "select 100.0 * sum(f.defects) / sum(f.metres) from roll f"),
          List.of(
              "",
              "months",
              "select d.month, l.hall, sum(f.metres) from roll f join day d on d.day_key = f.day_key join loom l on l.loom_key = f.loom_key group by d.month, l.hall"),
          List.of(
              "",
              "patterns",
              "select p.weave, l.hall, count(*) from roll f join pattern p on p.pattern_key = f.pattern_key join loom l on l.loom_key = f.loom_key group by p.weave, l.hall"),
          List.of(
              "",
              "places",
              "select m.name, sum(f.metres) from roll f join mill m on m.mill_key = f.mill_key group by m.name"),
          List.of(
              "mill_name=Mill 7",
              "places",
              "select l.hall, sum(f.metres) from roll f join mill m on m.mill_key = f.mill_key join loom l on l.loom_key = f.loom_key where m.name = 'Mill 7' group by l.hall"),
          List.of(
              "mill_name=Mill 7,loom_hall=North",
              "places",
              "select l.code, sum(f.metres) from roll f join mill m on m.mill_key = f.mill_key join loom l on l.loom_key = f.loom_key where m.name = 'Mill 7' and l.hall = 'North' group by l.code"),
          List.of(
              "day_year=2025",
              "times",
              "select d.month, sum(f.metres), 100.0 * sum(f.defects) / sum(f.metres) from roll f join day d on d.day_key = f.day_key where d.year = 2025 group by d.month"));

  private final Path folder;
  private final TestLake lake;
  private final BenchDb db;

  SamplerBench(Path folder, BenchDb db) {
    this.folder = folder.resolve("sampler");
    this.lake = BenchLake.in(this.folder);
    this.db = db;
  }

  private interface Lines {
    String line(int row);
  }

  private void load(String name, String columns, int rows, Lines lines) throws Exception {
    Path file = lake.inbox().resolve(name + "/rows.txt");
    Files.createDirectories(file.getParent());
    try (BufferedWriter out = Files.newBufferedWriter(file, StandardCharsets.UTF_8)) {
      for (int r = 0; r < rows; r++) {
        out.write(lines.line(r));
        out.write('\n');
      }
    }
    lake.declare(
        "feed: %s\nfiles: %s/*\ntext: {separator: '|', header: false, quote: none}\ncolumns: {%s}\n"
            .formatted(
                name,
                name,
                columns.replaceAll("(\\w+) ([^,]+?(?:\\(.*?\\))?)(?=,|$)", "$1: {type: '$2'}")));
    lake.run(
        "pipeline: load-%s\nsteps:\n  rows: {read: {feed: %s}}\n  out: {from: rows, write: {table: b.%s, mode: replace}}\n"
            .formatted(name, name, name),
        4L << 30);
    db.sql(
        "CREATE TABLE %s (%s)".formatted(name, columns.replace("varchar", "varchar(40)")),
        "LOAD DATA LOCAL INFILE '%s' INTO TABLE %s FIELDS TERMINATED BY '|'".formatted(file, name));
    Files.delete(file);
  }

  void run() throws Exception {
    SplittableRandom random = new SplittableRandom(11);
    String[] halls = {"North", "South", "East", "West"};
    String[] weaves = {"Twill", "Satin", "Basket", "Canvas", "Gauze", "Dobby"};
    LocalDate first = LocalDate.of(2024, 1, 1);
    load(
        "day",
        "day_key int, day date, year int, month int",
        DAYS,
        r -> {
          LocalDate d = first.plusDays(r);
          return "%d|%s|%d|%d".formatted(r + 1, d, d.getYear(), d.getMonthValue());
        });
    load(
        "loom",
        "loom_key int, code varchar, hall varchar",
        LOOMS,
        r -> "%d|L-%04d|%s".formatted(r + 1, r, halls[r % halls.length]));
    load(
        "pattern",
        "pattern_key int, name varchar, weave varchar",
        PATTERNS,
        r -> "%d|Pattern %d|%s".formatted(r + 1, r, weaves[r % weaves.length]));
    load("mill", "mill_key int, name varchar", MILLS, r -> "%d|Mill %d".formatted(r + 1, r));
    load(
        "roll",
        "roll_id bigint, day_key int, loom_key int, pattern_key int, mill_key int, metres decimal(9, 2), defects int",
        ROWS,
        r -> {
          // Rolls come day by day; the rest is at random.
          int cents = 2000 + random.nextInt(8000);
          return r
              + "|"
              + (1 + (int) ((long) r * DAYS / ROWS))
              + "|"
              + (1 + random.nextInt(LOOMS))
              + "|"
              + (1 + random.nextInt(PATTERNS))
              + "|"
              + (1 + random.nextInt(MILLS))
              + "|"
              + cents / 100
              + "."
              + (cents % 100 < 10 ? "0" : "")
              + cents % 100
              + "|"
              + random.nextInt(5);
        });
    for (String key : List.of("day", "loom", "pattern", "mill")) {
      db.sql(
          "ALTER TABLE %s ADD PRIMARY KEY (%s_key)".formatted(key, key),
          "CREATE INDEX by_%s ON roll(%s_key)".formatted(key, key));
    }
    for (String table : List.of("day", "loom", "pattern", "mill", "roll")) {
      db.sql("ANALYZE TABLE " + table);
    }
    System.out.printf(Locale.ROOT, "sampler over %,d rows and four dimensions%n", ROWS);
    List<Double> ratios = new ArrayList<>();
    double slowest = 0;
    for (List<String> click : CLICKS) {
      String sql = sql(click.get(0), click.get(1));
      List<List<Object>> rows = query(sql);
      double ours = Measure.seconds(1, 5, () -> query(sql));
      long start = System.nanoTime();
      Optional<Double> other = Optional.empty();
      String same = "MariaDB did not end";
      try (Connection c = db.connect("yardage");
          Statement s = c.createStatement()) {
        s.setQueryTimeout(MOST_SECONDS);
        List<List<Object>> expected = BenchDb.rows(s.executeQuery(click.get(2)));
        other = Optional.of((System.nanoTime() - start) / 1e9);
        same = isSame(rows, expected) ? "" : "OTHER ROWS";
      } catch (java.sql.SQLTimeoutException e) {
        // What it took at least counts.
      }
      double least = other.orElse((double) MOST_SECONDS);
      ratios.add(least / ours);
      slowest = Math.max(slowest, ours);
      System.out.printf(
          Locale.ROOT,
          "%-10s %-34s %,5d rows %8.3f s  MariaDB %s%8.3f s (%.1fx)  %s%n",
          click.get(1),
          click.get(0).isEmpty() ? "all" : click.get(0),
          rows.size(),
          ours,
          other.isPresent() ? "" : "more than ",
          least,
          least / ours,
          same);
    }
    ratios.sort(null);
    System.out.printf(
        Locale.ROOT,
        "slowest click %.3f s (limit 1 s); MariaDB takes %.1fx at least, %.1fx in the middle (wanted 10x each)%n%n",
        slowest,
        ratios.get(0),
        ratios.get(ratios.size() / 2));
  }

  private Map<String, Relation> relations() {
    Map<String, Relation> out = new LinkedHashMap<>();
    for (TableName t : lake.tables()) {
      out.put(t.toString(), new TableRelation(lake.table(t).orElseThrow()));
    }
    return out;
  }

  private StarTables tables() {
    return new StarTables() {
      @Override
      public Optional<Relation> table(TableName name) {
        return lake.table(name).map(TableRelation::new);
      }

      @Override
      public List<List<Object>> query(String sql) {
        return lake.query(sql);
      }
    };
  }

  private RelNode planned(PlanSession session, String sql) {
    return new StarSql(List.of(StarModel.parse(STAR).model().orElseThrow()), tables())
        .plan(session, session.parseQuery(sql, 1, 1), relations());
  }

  private String sql(String chosen, String block) {
    Map<String, List<Optional<String>>> values = new LinkedHashMap<>();
    for (String choice : chosen.isEmpty() ? new String[0] : chosen.split(",")) {
      values.put(choice.split("=")[0], List.of(Optional.of(choice.split("=")[1])));
    }
    SamplerDocument page = SamplerDocument.parse(SAMPLER).document().orElseThrow();
    Block.Answer answer =
        (Block.Answer)
            page.blocks().stream()
                .filter(b -> b.name().equals(block))
                .findFirst()
                .orElseThrow()
                .content();
    Schema columns =
        new Schema(
            List.of(
                new Schema.Field("mill_name", Type.VARCHAR),
                new Schema.Field("loom_hall", Type.VARCHAR),
                new Schema.Field("day_year", Type.INT)));
    return new SamplerSql(page, new Chosen(values)).of(answer.question(), columns).sql();
  }

  private List<List<Object>> query(String sql) {
    PlanSession session = new PlanSession();
    RelNode rel = planned(session, sql);
    Executor executor =
        new Executor(
            ExecutionContext.standalone(2L << 30),
            TaskEndpoints.reading(lake.lake()),
            step -> new StepTally(step, "sql"));
    return Rows.rows(
        executor.collect(session.physical().plan(session.optimize(rel), "query"), "query"));
  }

  /** Whether rows are the same in any order; quotients have other scales there. */
  private static boolean isSame(List<List<Object>> a, List<List<Object>> b) {
    List<List<Object>> ours = inOrder(a);
    List<List<Object>> theirs = inOrder(b);
    boolean same = ours.size() == theirs.size();
    for (int r = 0; same && r < ours.size(); r++) {
      for (int c = 0; same && c < ours.get(r).size(); c++) {
        Object x = ours.get(r).get(c);
        Object y = theirs.get(r).get(c);
        same =
            x instanceof Number
                ? new BigDecimal(x.toString())
                        .subtract(new BigDecimal(y.toString()))
                        .abs()
                        .doubleValue()
                    < MOST_APART
                : Values.text(x).equals(Values.text(y));
      }
    }
    return same;
  }

  /** By what they are of: what is measured comes last, and differs by its scale. */
  private static List<List<Object>> inOrder(List<List<Object>> rows) {
    return rows.stream()
        .sorted(
            Comparator.comparing(
                r ->
                    r.stream()
                        .filter(v -> v instanceof String || v instanceof Integer)
                        .map(v -> v instanceof Integer i ? "%09d".formatted(i) : (String) v)
                        .collect(Collectors.joining("|"))))
        .toList();
  }
}
