package yardage.bench;

import io.airlift.tpch.TpchColumn;
import io.airlift.tpch.TpchEntity;
import io.airlift.tpch.TpchTable;
import java.io.BufferedWriter;
import java.io.IOException;
import java.io.InputStream;
import java.math.BigDecimal;
import java.math.MathContext;
import java.math.RoundingMode;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import yardage.core.column.Values;
import yardage.core.testing.TestLake;

/**
 * The public decision-support benchmark of eight tables and 22 queries: over tables of the lake,
 * and in MariaDB with an index for each key. The results are held against each other.
 */
final class DecisionBench {
  private static final double SCALE =
      Double.parseDouble(System.getProperty("yardage.scale", "0.1"));

  /** Of the queries, those with these numbers; all where none are named. */
  private static final List<String> ONLY =
      Stream.of(System.getProperty("yardage.queries", "").split(","))
          .filter(number -> !number.isEmpty())
          .toList();

  /** Primary and foreign keys. */
  private static final List<String> INDEXES =
      List.of(
          "region(r_regionkey)",
          "nation(n_nationkey)",
          "nation(n_regionkey)",
          "supplier(s_suppkey)",
          "supplier(s_nationkey)",
          "customer(c_custkey)",
          "customer(c_nationkey)",
          "part(p_partkey)",
          "partsupp(ps_partkey, ps_suppkey)",
          "partsupp(ps_suppkey)",
          "orders(o_orderkey)",
          "orders(o_custkey)",
          "orders(o_orderdate)",
          "lineitem(l_orderkey)",
          "lineitem(l_partkey, l_suppkey)",
          "lineitem(l_suppkey)",
          "lineitem(l_shipdate)");

  /** A query that ends so soon in MariaDB is asked there again, too, once all is in its buffers. */
  private static final double SOON_SECONDS = 5;

  /** How long a query may take in MariaDB. */
  private static final int MOST_SECONDS = 60;

  private final Path folder;
  private final TestLake lake;
  private final BenchDb db;

  DecisionBench(Path folder, BenchDb db) {
    this.folder = folder.resolve("decision");
    this.lake = BenchLake.in(this.folder);
    this.db = db;
  }

  private static String type(TpchColumn<?> column, boolean sql) {
    return switch (column.getType().getBase()) {
      case INTEGER -> "int";
      case IDENTIFIER -> "bigint";
      case DATE -> "date";
      case DOUBLE -> "decimal(12, 2)";
      case VARCHAR -> sql ? "varchar(200)" : "varchar";
    };
  }

  private <E extends TpchEntity> void load(TpchTable<E> table) throws Exception {
    String name = table.getTableName();
    Path file = lake.inbox().resolve(name + "/rows.txt");
    Files.createDirectories(file.getParent());
    try (BufferedWriter out = Files.newBufferedWriter(file, StandardCharsets.UTF_8)) {
      for (E row : table.createGenerator(SCALE, 1, 1)) {
        String line = row.toLine();
        out.write(line, 0, line.endsWith("|") ? line.length() - 1 : line.length());
        out.write('\n');
      }
    }
    String columns =
        table.getColumns().stream()
            .map(c -> "%s: {type: '%s'}".formatted(c.getColumnName(), type(c, false)))
            .collect(Collectors.joining(", "));
    lake.declare(
        "feed: %s\nfiles: %s/*\ntext: {separator: '|', header: false, quote: none}\ncolumns: {%s}\n"
            .formatted(name, name, columns));
    lake.run(
        "pipeline: load-%s\nsteps:\n  rows: {read: {feed: %s}}\n  out: {from: rows, write: {table: d.%s, mode: replace}}\n"
            .formatted(name, name, name),
        4L << 30);
    db.sql(
        table.getColumns().stream()
            .map(c -> c.getColumnName() + " " + type(c, true))
            .collect(Collectors.joining(", ", "CREATE TABLE " + name + " (", ")")),
        "LOAD DATA LOCAL INFILE '%s' INTO TABLE %s FIELDS TERMINATED BY '|'".formatted(file, name));
  }

  private static List<String> queries() throws IOException {
    try (InputStream in = DecisionBench.class.getResourceAsStream("/decision-support.sql")) {
      String all = new String(in.readAllBytes(), StandardCharsets.UTF_8);
      List<String> out = new ArrayList<>(List.of(all.split("(?m)^-- \\d+\n")));
      out.remove(0);
      return out;
    }
  }

  void run() throws Exception {
    for (TpchTable<?> table : TpchTable.getTables()) {
      load(table);
    }
    for (String index : INDEXES) {
      db.sql("CREATE INDEX i%d ON %s".formatted(INDEXES.indexOf(index), index));
    }
    for (TpchTable<?> table : TpchTable.getTables()) {
      db.sql("ANALYZE TABLE " + table.getTableName());
    }
    System.out.printf(Locale.ROOT, "decision support, scale %.2f%n", SCALE);
    double ours = 0;
    double theirs = 0;
    List<Double> ratios = new ArrayList<>();
    int number = 0;
    for (String query : queries()) {
      number++;
      if (!ONLY.isEmpty() && !ONLY.contains("" + number)) {
        continue;
      }
      List<List<Object>> rows = lake.queryWithin("d", query);
      double mine = Measure.seconds(8, 7, () -> lake.queryWithin("d", query));
      Optional<Double> other = Optional.empty();
      String same = "MariaDB did not end";
      try (Connection c = db.connect("yardage");
          Statement s = c.createStatement()) {
        s.setQueryTimeout(MOST_SECONDS);
        long start = System.nanoTime();
        List<List<Object>> expected = BenchDb.rows(s.executeQuery(query));
        double first = (System.nanoTime() - start) / 1e9;
        other =
            Optional.of(
                first > SOON_SECONDS
                    ? first
                    : Measure.seconds(1, 5, () -> BenchDb.rows(s.executeQuery(query))));
        same = text(expected).equals(text(rows)) ? "" : "OTHER ROWS";
      } catch (java.sql.SQLTimeoutException e) {
        // It is left out of the totals.
      }
      if (other.isPresent()) {
        ours += mine;
        theirs += other.get();
        ratios.add(other.get() / mine);
      }
      System.out.printf(
          Locale.ROOT,
          "query %2d  %,6d rows %8.3f s  MariaDB %s  %s%n",
          number,
          rows.size(),
          mine,
          other
              .map(o -> String.format(Locale.ROOT, "%8.3f s (%.1fx)", o, o / mine))
              .orElse("more than " + MOST_SECONDS + " s"),
          same);
    }
    ratios.sort(null);
    System.out.printf(
        Locale.ROOT,
        "all that ended in both: %.2f s, MariaDB %.2f s (%.1fx); median %.1fx; target 5x each, 20x in all%n%n",
        ours,
        theirs,
        theirs / ours,
        ratios.get(ratios.size() / 2));
  }

  /** Rows in any order, numbers to 6 digits and 4 places: averages have other scales there. */
  private static List<String> text(List<List<Object>> rows) {
    return rows.stream()
        .map(
            r ->
                r.stream()
                    .map(
                        v ->
                            v instanceof Number n
                                ? new BigDecimal(n.toString())
                                    .round(new MathContext(6))
                                    .setScale(4, RoundingMode.HALF_UP)
                                    .stripTrailingZeros()
                                    .toPlainString()
                                : v == null ? "null" : Values.text(v))
                    .collect(Collectors.joining("|")))
        .sorted()
        .toList();
  }
}
