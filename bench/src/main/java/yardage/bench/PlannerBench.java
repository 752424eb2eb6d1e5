package yardage.bench;

import java.io.BufferedWriter;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.plan.Output;
import yardage.core.plan.PlanNode;
import yardage.core.plan.StageCutter;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.testing.TestLake;

/**
 * What the planner is there for: a star in the worst order beside the best, rows that are counted
 * without reading them, one row by its key, and how long planning takes.
 */
final class PlannerBench {
  private static final int DIMENSIONS = 8;
  private static final int FACTS = 2_000_000;
  private static final int STEPS = 200;
  private static final int TABLES = 40;

  /** Of the table from which one row is looked up. */
  private static final int ROWS = Integer.getInteger("yardage.rows", 10_000_000);

  private static final int ROWS_A_LOAD = 5_000_000;

  private final TestLake lake;

  PlannerBench(Path folder) {
    this.lake = BenchLake.in(folder.resolve("planner"));
  }

  private interface Lines {
    String line(int row);
  }

  private void load(String name, String columns, String write, int from, int to, Lines lines)
      throws Exception {
    Path file = lake.inbox().resolve(name + "/rows-" + from + ".txt");
    Files.createDirectories(file.getParent());
    try (BufferedWriter out = Files.newBufferedWriter(file, StandardCharsets.UTF_8)) {
      for (int r = from; r < to; r++) {
        out.write(lines.line(r));
        out.write('\n');
      }
    }
    lake.declare(
        "feed: %s\nfiles: %s/*\ntext: {separator: '|', header: false}\ncolumns: {%s}\n"
            .formatted(name, name, columns));
    lake.run(
        "pipeline: load-%s\nsteps:\n  rows: {read: {feed: %s}}\n  out: {from: rows, write: {table: p.%s%s}}\n"
            .formatted(name, name, name, write),
        2L << 30);
    Files.delete(file);
  }

  void run() throws Exception {
    star();
    planning();
    oneRow();
  }

  private void star() throws Exception {
    for (int d = 1; d <= DIMENSIONS; d++) {
      int dimension = d;
      load(
          "dim" + d,
          "k%d: int, name%d: varchar, part%d: int".formatted(d, d, d),
          "",
          0,
          1_000 * d,
          r -> "%d|Member %d|%d".formatted(r, r, r % (3 + dimension)));
    }
    load(
        "fact",
        IntStream.rangeClosed(1, DIMENSIONS)
                .mapToObj(d -> "f%d: int".formatted(d))
                .collect(Collectors.joining(", "))
            + ", metres: 'decimal(9, 2)'",
        "",
        0,
        FACTS,
        r ->
            IntStream.rangeClosed(1, DIMENSIONS)
                    .mapToObj(d -> String.valueOf(r * 7919L * d % (1_000 * d)))
                    .collect(Collectors.joining("|"))
                + "|"
                + r % 90
                + ".25");
    List<String> dimensions =
        IntStream.rangeClosed(1, DIMENSIONS).mapToObj(d -> "dim" + d).toList();
    String where =
        IntStream.rangeClosed(1, DIMENSIONS)
            .mapToObj(d -> "f%d = k%d".formatted(d, d))
            .collect(Collectors.joining(" and "));
    String query =
        "select part1, part8, count(*), sum(metres) from %s where "
            + where
            + " and part2 = 1 and part5 = 2 group by part1, part8";
    // The narrowest dimensions first; and the widest first, with the fact behind all of them.
    String best = query.formatted("fact, dim5, dim2, dim1, dim3, dim4, dim6, dim7, dim8");
    String worst =
        query.formatted(
            IntStream.range(0, DIMENSIONS)
                    .mapToObj(i -> dimensions.get(DIMENSIONS - 1 - i))
                    .collect(Collectors.joining(", "))
                + ", fact");
    double bestSeconds = Measure.seconds(3, 7, () -> lake.queryWithin("p", best));
    double worstSeconds = Measure.seconds(3, 7, () -> lake.queryWithin("p", worst));
    System.out.printf(
        Locale.ROOT,
        "star of %d dimensions, %,d rows: worst order %.3f s, best %.3f s: %.2f times; target 1%n",
        DIMENSIONS,
        FACTS,
        worstSeconds,
        bestSeconds,
        worstSeconds / bestSeconds);
    System.out.printf(
        Locale.ROOT,
        "count(*) of %,d rows: %.1f ms; target 20 ms%n",
        FACTS,
        1e3 * Measure.seconds(20, 21, () -> lake.queryWithin("p", "select count(*) from fact")));
  }

  private void planning() throws Exception {
    StringBuilder steps =
        new StringBuilder("pipeline: long\nsteps:\n  s0: {read: {table: p.dim1}}\n");
    for (int s = 1; s < STEPS - 1; s++) {
      steps.append(
          s % 2 == 0
              ? "  s%d: {from: s%d, keep: k1 > %d}\n".formatted(s, s - 1, s)
              : "  s%d: {from: s%d, shape: {set: {part1: part1 + %d}}}\n".formatted(s, s - 1, s));
    }
    steps.append("  out: {from: s%d, write: {table: p.long}}\n".formatted(STEPS - 2));
    String pipeline = steps.toString();
    System.out.printf(
        Locale.ROOT,
        "planning of a pipeline of %d steps: %.0f ms; target 300 ms%n",
        STEPS,
        1e3 * Measure.seconds(5, 7, () -> lake.stages(pipeline)));
    Relation table = new TableRelation(lake.table(TableName.parse("p.dim1")).orElseThrow());
    Map<String, Relation> relations = new LinkedHashMap<>();
    StringBuilder sql = new StringBuilder("select count(*), max(t40.part1) from t1");
    for (int t = 1; t <= TABLES; t++) {
      relations.put("t" + t, table);
      if (t > 1) {
        sql.append(" join t%d on t%d.k1 = t%d.k1 and t%d.part1 < %d".formatted(t, t, t / 2, t, t));
      }
    }
    System.out.printf(
        Locale.ROOT,
        "planning of a query of %d tables: %.0f ms; target 300 ms%n",
        TABLES,
        1e3 * Measure.seconds(5, 7, () -> plan(sql.toString(), relations)));
  }

  private static List<?> plan(String sql, Map<String, Relation> relations) {
    PlanSession session = new PlanSession();
    PlanSession.Planned planned =
        session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(relations));
    PlanNode plan = session.physical().plan(session.optimize(planned.rel()), "query");
    return StageCutter.cut(
        List.of(new StageCutter.Root(plan, new Output.Handed("query", plan.schema()))));
  }

  private void oneRow() throws Exception {
    LocalDate first = LocalDate.of(2020, 1, 1);
    for (int from = 0; from < ROWS; from += ROWS_A_LOAD) {
      load(
          "rolls",
          "roll: bigint, woven: date, loom: int, metres: 'decimal(9, 2)'",
          ", partition: ['month(woven)']",
          from,
          Math.min(ROWS, from + ROWS_A_LOAD),
          r ->
              r
                  + "|"
                  + first.plusDays((long) r * 2_000 / ROWS)
                  + "|"
                  + r % 977
                  + "|"
                  + r % 90
                  + ".5");
    }
    int wanted = ROWS / 7 * 5;
    String sql = "select * from rolls where roll = " + wanted;
    long start = System.nanoTime();
    List<List<Object>> rows = lake.queryWithin("p", sql);
    double firstSeconds = (System.nanoTime() - start) / 1e9;
    if (rows.size() != 1) {
      throw new IllegalStateException("Found " + rows);
    }
    System.out.printf(
        Locale.ROOT,
        "one row by its key of %,d in %,d files: %.0f ms, at first %.0f ms; target 100 ms of 100 M%n%n",
        ROWS,
        lake.table(TableName.parse("p.rolls")).orElseThrow().fileCount(),
        1e3 * Measure.seconds(5, 11, () -> lake.queryWithin("p", sql)),
        1e3 * firstSeconds);
  }
}
