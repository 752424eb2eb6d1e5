package yardage.bench;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.stream.Stream;
import yardage.core.column.*;
import yardage.core.exec.*;
import yardage.core.exec.PhysicalNode.AggregateCall;
import yardage.core.format.text.DelimitedLayout;
import yardage.core.format.text.DelimitedReader;
import yardage.core.format.text.FieldRule;
import yardage.core.format.text.RejectedRecord;
import yardage.core.testing.PrivateMariaDb;
import yardage.core.testing.TestLake;

/**
 * Measures the engine, each figure beside a limit (the least that the work could cost) and an
 * alternative, in the same run. All on two workers. {@code Main [parse] [transcode] [aggregate]
 * [join] [scan]}; all of them without arguments.
 */
public final class Main {
  private static final int FILES = 4;
  private static final int ROWS_PER_FILE = 1_000_000;
  private static final int WORKERS = 2;
  private static final int MARIADB_ROWS = 2_000_000;

  private final Path folder = Files.createTempDirectory("yardage-bench");
  private final TestLake lake = new TestLake(folder);
  private PrivateMariaDb db;
  private long textBytes;

  private Main() throws IOException {}

  public static void main(String[] args) throws Exception {
    List<String> wanted =
        args.length == 0
            ? List.of("parse", "transcode", "scan", "aggregate", "join")
            : List.of(args);
    System.out.printf(
        "Java %s, %d processors, medians of 3 to 5 runs after a warm-up%n%n",
        Runtime.version(), Runtime.getRuntime().availableProcessors());
    Main main = new Main();
    try {
      if (wanted.stream().anyMatch(w -> List.of("parse", "transcode", "scan").contains(w))) {
        main.writeText();
      }
      if (wanted.contains("parse")) {
        main.parse();
      }
      if (wanted.contains("transcode") || wanted.contains("scan")) {
        main.transcode(wanted.contains("scan"));
      }
      if (wanted.contains("aggregate")) {
        main.aggregate(1_000);
        main.aggregate(1_000_000);
      }
      if (wanted.contains("join")) {
        main.join();
      }
    } finally {
      if (main.db != null) {
        main.db.close();
      }
      try (Stream<Path> files = Files.walk(main.folder)) {
        files.sorted(Comparator.reverseOrder()).forEach(f -> f.toFile().delete());
      }
    }
  }

  private PrivateMariaDb db() {
    if (db == null) {
      db = PrivateMariaDb.start();
    }
    return db;
  }

  private void sql(String... statements) throws SQLException {
    try (Connection c = db().connect("yardage");
        Statement s = c.createStatement()) {
      for (String statement : statements) {
        s.execute(statement);
      }
    }
  }

  // ---- text
  // ----------------------------------------------------------------------------------------------------------

  private static final List<FieldRule> RULES =
      List.of(
          new FieldRule("roll_id", Type.VARCHAR, true, List.of(""), Optional.empty()),
          FieldRule.of("loom_code", Type.VARCHAR),
          FieldRule.of("pattern_code", Type.VARCHAR),
          FieldRule.of("woven_on", Type.DATE),
          FieldRule.of("woven_at", Type.TIMESTAMP),
          FieldRule.of("metres", Type.decimal(9, 2)),
          FieldRule.of("weight_kg", Type.DOUBLE),
          FieldRule.of("width_cm", Type.INT),
          FieldRule.of("picks", Type.BIGINT),
          FieldRule.of("note", Type.VARCHAR));

  private static final DelimitedLayout LAYOUT = new DelimitedLayout("|", '"', true);

  private List<Path> textFiles() {
    return java.util.stream.IntStream.range(0, FILES)
        .mapToObj(f -> lake.lake().inbox().resolve("rolls/rolls-" + f + ".txt"))
        .toList();
  }

  private void writeText() throws IOException {
    Files.createDirectories(lake.lake().inbox().resolve("rolls"));
    SplittableRandom random = new SplittableRandom(1);
    long number = 0;
    for (Path file : textFiles()) {
      try (var out = Files.newBufferedWriter(file)) {
        out.write(String.join("|", RULES.stream().map(FieldRule::name).toList()) + "\n");
        for (int i = 0; i < ROWS_PER_FILE; i++) {
          LocalDate day =
              LocalDate.of(2026, 1, 1)
                  .plusDays((int) (number * 180 / ((long) FILES * ROWS_PER_FILE)));
          out.write(
              "R%09d|L-%04d|P%03d|%s|%s %02d:%02d:00|%d.%02d|%d.%03d|%d|%d|%s\n"
                  .formatted(
                      number++,
                      random.nextInt(212),
                      random.nextInt(40),
                      day,
                      day,
                      random.nextInt(24),
                      random.nextInt(60),
                      random.nextInt(20, 110),
                      random.nextInt(100),
                      random.nextInt(5, 40),
                      random.nextInt(1000),
                      140 + 20 * random.nextInt(5),
                      random.nextLong(100_000_000L),
                      random.nextInt(4) == 0 ? "edge frayed" : ""));
        }
      }
      textBytes += Files.size(file);
    }
  }

  private void parse() throws Exception {
    double ours = Measure.seconds(2, 5, () -> eachFile(file -> parseFile(file)));
    double newlines = Measure.seconds(2, 5, () -> eachFile(Main::countNewlines));
    double plain = Measure.seconds(0, 3, () -> eachFile(Main::splitLines));
    double mb = textBytes / 1e6;
    Measure.print(
        "typed parse of delimited text, 10 columns",
        "MB/s",
        mb / ours,
        "finding line ends in the same bytes, 8 at a time",
        mb / newlines,
        "readLine, split and parse, as plain Java does",
        mb / plain);
  }

  private Object eachFile(Work work) throws Exception {
    ExecutorService pool = Executors.newFixedThreadPool(WORKERS);
    try {
      List<Future<Long>> all = new ArrayList<>();
      for (Path file : textFiles()) {
        all.add(pool.submit((Callable<Long>) () -> work.apply(file)));
      }
      long sum = 0;
      for (Future<Long> f : all) {
        sum += f.get();
      }
      return sum;
    } finally {
      pool.shutdown();
    }
  }

  /** Something done with a file. */
  private interface Work {
    long apply(Path file) throws Exception;
  }

  private static long parseFile(Path file) throws IOException {
    long[] rows = {0};
    try (InputStream in = Files.newInputStream(file)) {
      new DelimitedReader(
              file.toString(),
              LAYOUT,
              RULES,
              new DelimitedReader.Output() {
                @Override
                public void batch(Batch batch) {
                  rows[0] += batch.rowCount();
                }

                @Override
                public void reject(RejectedRecord record) {
                  throw new IllegalStateException(record.toString());
                }
              })
          .read(in);
    }
    if (rows[0] != ROWS_PER_FILE) {
      throw new IllegalStateException("%d rows".formatted(rows[0]));
    }
    return rows[0];
  }

  private static long countNewlines(Path file) throws IOException {
    java.lang.invoke.VarHandle words =
        java.lang.invoke.MethodHandles.byteArrayViewVarHandle(
            long[].class, java.nio.ByteOrder.LITTLE_ENDIAN);
    byte[] buffer = new byte[1 << 20];
    long count = 0;
    try (InputStream in = Files.newInputStream(file)) {
      int n;
      while ((n = in.readNBytes(buffer, 0, buffer.length)) > 0) {
        for (int i = 0; i + 8 <= n; i += 8) {
          long x = (long) words.get(buffer, i) ^ 0x0a0a0a0a0a0a0a0aL;
          count +=
              Long.bitCount(
                  ~(((x & 0x7f7f7f7f7f7f7f7fL) + 0x7f7f7f7f7f7f7f7fL) | x) & 0x8080808080808080L);
        }
      }
    }
    return count;
  }

  private static long splitLines(Path file) throws IOException {
    long sum = 0;
    try (BufferedReader in = Files.newBufferedReader(file, StandardCharsets.UTF_8)) {
      in.readLine();
      String line;
      while ((line = in.readLine()) != null) {
        String[] f = line.split("\\|", -1);
        sum +=
            LocalDate.parse(f[3]).toEpochDay()
                + new BigDecimal(f[5]).unscaledValue().longValue()
                + (long) Double.parseDouble(f[6])
                + Integer.parseInt(f[7])
                + Long.parseLong(f[8])
                + f[0].length()
                + f[1].length()
                + f[2].length()
                + f[4].length()
                + f[9].length();
      }
    }
    return sum;
  }

  // ---- tables
  // --------------------------------------------------------------------------------------------------------

  private void transcode(boolean scan) throws Exception {
    StringBuilder feed =
        new StringBuilder(
            "feed: rolls\nfiles: rolls/*.txt\ntake: all\ntext: {separator: \"|\", header: true}\ncolumns:\n");
    RULES.forEach(
        r -> feed.append("  ").append(r.name()).append(": \"").append(r.type()).append("\"\n"));
    lake.declare(feed.toString());
    String pipeline =
        "pipeline: rolls\nsteps:\n  rolls: {read: {feed: rolls}}\n  keep: {from: rolls, write: {table: raw.rolls, mode: replace, partition: [year(woven_on), month(woven_on)]}}\n";
    double ours = Measure.seconds(1, 3, () -> lake.run(pipeline, 4L << 30));
    double parse = Measure.seconds(1, 3, () -> eachFile(file -> parseFile(file)));
    String columns =
        "roll_id VARCHAR(20), loom_code VARCHAR(20), pattern_code VARCHAR(20), woven_on DATE, woven_at DATETIME, metres DECIMAL(9,2), weight_kg DOUBLE, width_cm INT, picks BIGINT, note VARCHAR(40)";
    sql("SET GLOBAL innodb_flush_log_at_trx_commit = 2");
    double load =
        Measure.seconds(
            0,
            1,
            () -> {
              sql("DROP TABLE IF EXISTS rolls", "CREATE TABLE rolls (" + columns + ")");
              for (Path file : textFiles().subList(0, MARIADB_ROWS / ROWS_PER_FILE)) {
                sql(
                    "LOAD DATA LOCAL INFILE '"
                        + file
                        + "' INTO TABLE rolls FIELDS TERMINATED BY '|' IGNORE 1 LINES");
              }
              return null;
            });
    double mb = textBytes / 1e6;
    Measure.print(
        "text to partitioned Parquet, published",
        "MB/s",
        mb / ours,
        "the typed parse alone",
        mb / parse,
        "MariaDB LOAD DATA into a table, one run over half of the files",
        mb * MARIADB_ROWS / (FILES * ROWS_PER_FILE) / load);
    if (scan) {
      String query =
          "select count(*), sum(metres), max(weight_kg) from %s where woven_on >= date '2026-04-01' and woven_on < date '2026-05-01'";
      double three = Measure.seconds(2, 5, () -> lake.query(query.formatted("raw.rolls")));
      lake.run(
          "pipeline: april\nsteps:\n  rolls: {read: {table: raw.rolls}}\n  april: {from: rolls, sql: \"select metres, weight_kg from rolls where woven_on between date '2026-04-01' and date '2026-04-30'\"}\n  keep: {from: april, write: {table: raw.april, mode: replace}}\n",
          4L << 30);
      double least =
          Measure.seconds(
              2,
              5,
              () -> lake.query("select count(*), sum(metres), max(weight_kg) from raw.april"));
      sql("ANALYZE TABLE rolls");
      double other =
          Measure.seconds(
              1,
              3,
              () -> {
                sql(query.formatted("rolls"));
                return null;
              });
      double rows = FILES * ROWS_PER_FILE / 1e6;
      Measure.print(
          "scan of 3 of 10 columns, one month of six",
          "M rows/s",
          rows / three,
          "a table that holds nothing but these columns of that month",
          20 * rows / least,
          "the same SQL in MariaDB, on half of the rows",
          MARIADB_ROWS / 1e6 / other);
    }
  }

  // ---- operators
  // -----------------------------------------------------------------------------------------------------

  /** Batches made once and read again and again: what the operators cost without files. */
  private static ScanSource cycle(List<Batch> batches, int rounds) {
    return () -> {
      List<ScanSource.Split> splits = new ArrayList<>();
      for (int r = 0; r < rounds; r++) {
        splits.add((worker, out) -> batches.forEach(out::accept));
      }
      return splits;
    };
  }

  private static List<Batch> keyed(int rows, int keys, long seed) {
    SplittableRandom random = new SplittableRandom(seed);
    List<Batch> out = new ArrayList<>();
    for (int at = 0; at < rows; at += Batch.TARGET_ROWS) {
      int n = Math.min(Batch.TARGET_ROWS, rows - at);
      long[] k = new long[n];
      long[] v = new long[n];
      for (int i = 0; i < n; i++) {
        k[i] = random.nextInt(keys) * 7L;
        v[i] = random.nextInt(1000);
      }
      out.add(
          new Batch(
              List.of(
                  new LongColumn(Type.BIGINT, k, null, n), new LongColumn(Type.BIGINT, v, null, n)),
              n,
              out.size()));
    }
    return out;
  }

  private static final Schema KEYED =
      Schema.of(new Schema.Field("k", Type.BIGINT), new Schema.Field("v", Type.BIGINT));

  private static Object run(PhysicalNode plan) {
    StepTally tally = new StepTally("bench", "sql");
    try (Executor executor =
        new Executor(
            new ExecutionContext(MemoryPool.root("bench", 8L << 30), new CancelToken(), WORKERS))) {
      long[] rows = {0};
      executor.run(
          plan,
          worker ->
              batch -> {
                synchronized (rows) {
                  rows[0] += batch.rowCount();
                }
              },
          tally);
      return rows[0];
    }
  }

  private void aggregate(int groups) throws Exception {
    int rows = 4_000_000;
    int rounds = 5;
    List<Batch> batches = keyed(rows, groups, 3);
    PhysicalNode.Aggregate plan =
        new PhysicalNode.Aggregate(
            new PhysicalNode.Scan(cycle(batches, rounds), KEYED, new StepTally("scan", "read")),
            new int[] {0},
            List.of(
                new AggregateCall(AggregateCall.Function.SUM, 1, false, -1, Type.BIGINT),
                new AggregateCall(AggregateCall.Function.COUNT, -1, false, -1, Type.BIGINT)),
            Schema.of(
                new Schema.Field("k", Type.BIGINT),
                new Schema.Field("s", Type.BIGINT),
                new Schema.Field("n", Type.BIGINT)),
            new StepTally("bench", "aggregate"));
    double ours = Measure.seconds(2, 5, () -> run(plan));
    double hand = Measure.seconds(2, 5, () -> handAggregate(batches, rounds, groups));
    loadKeyed(groups);
    double other =
        Measure.seconds(
            1,
            3,
            () -> {
              sql("SELECT COUNT(*) FROM (SELECT k, SUM(v), COUNT(*) FROM keyed GROUP BY k) t");
              return null;
            });
    double m = (double) rows * rounds / 1e6;
    Measure.print(
        "hash aggregate, %,d groups".formatted(groups),
        "M rows/s",
        m / ours,
        "a hand-written loop over primitive arrays, two threads",
        m / hand,
        "the same SQL in MariaDB on 2 M rows",
        MARIADB_ROWS / 1e6 / other);
  }

  /**
   * Open addressing with key and sums side by side, one table per thread, merged: nothing general
   * about it.
   */
  private static Object handAggregate(List<Batch> batches, int rounds, int groups)
      throws Exception {
    int size = Integer.highestOneBit(groups * 2) * 2;
    ExecutorService pool = Executors.newFixedThreadPool(WORKERS);
    try {
      List<Future<long[]>> parts = new ArrayList<>();
      for (int w = 0; w < WORKERS; w++) {
        int worker = w;
        parts.add(
            pool.submit(
                () -> {
                  long[] table = new long[size * 4];
                  for (int b = worker; b < batches.size() * rounds; b += WORKERS) {
                    Batch batch = batches.get(b % batches.size());
                    add(
                        table,
                        ((LongColumn) batch.column(0)).values(),
                        ((LongColumn) batch.column(1)).values(),
                        batch.rowCount());
                  }
                  return table;
                }));
      }
      long[] all = parts.get(0).get();
      long[] other = parts.get(1).get();
      for (int at = 0; at < other.length; at += 4) {
        if (other[at + 2] != 0) {
          int slot = slot(all, other[at]);
          all[slot] = other[at];
          all[slot + 1] += other[at + 1];
          all[slot + 2] += other[at + 2];
        }
      }
      return all;
    } finally {
      pool.shutdown();
    }
  }

  private static void add(long[] table, long[] keys, long[] values, int rows) {
    for (int i = 0; i < rows; i++) {
      int slot = slot(table, keys[i]);
      table[slot] = keys[i];
      table[slot + 1] += values[i];
      table[slot + 2]++;
    }
  }

  private static int slot(long[] table, long key) {
    int mask = table.length / 4 - 1;
    int at = (int) ((key * 0x9E3779B97F4A7C15L) >>> 40) & mask;
    while (table[at * 4 + 2] != 0 && table[at * 4] != key) {
      at = (at + 1) & mask;
    }
    return at * 4;
  }

  private void loadKeyed(int groups) throws Exception {
    Path file = folder.resolve("keyed.txt");
    try (var out = Files.newBufferedWriter(file)) {
      for (Batch b : keyed(MARIADB_ROWS, groups, 3)) {
        for (int i = 0; i < b.rowCount(); i++) {
          out.write(
              ((LongColumn) b.column(0)).values()[i]
                  + "|"
                  + ((LongColumn) b.column(1)).values()[i]
                  + "\n");
        }
      }
    }
    sql(
        "DROP TABLE IF EXISTS keyed",
        "CREATE TABLE keyed (k BIGINT, v BIGINT)",
        "LOAD DATA LOCAL INFILE '" + file + "' INTO TABLE keyed FIELDS TERMINATED BY '|'");
  }

  private void join() throws Exception {
    int right = 1_000_000;
    int left = 5_000_000;
    int rounds = 10;
    List<Batch> probe = keyed(left, right, 5);
    List<Batch> build = new ArrayList<>();
    for (int at = 0; at < right; at += Batch.TARGET_ROWS) {
      int n = Math.min(Batch.TARGET_ROWS, right - at);
      long[] k = new long[n];
      long[] v = new long[n];
      for (int i = 0; i < n; i++) {
        k[i] = (at + i) * 7L;
        v[i] = at + i;
      }
      build.add(
          new Batch(
              List.of(
                  new LongColumn(Type.BIGINT, k, null, n), new LongColumn(Type.BIGINT, v, null, n)),
              n,
              build.size()));
    }
    Schema joined =
        Schema.of(
            new Schema.Field("k", Type.BIGINT),
            new Schema.Field("v", Type.BIGINT),
            new Schema.Field("rk", Type.BIGINT),
            new Schema.Field("rv", Type.BIGINT));
    PhysicalNode.HashJoin plan =
        new PhysicalNode.HashJoin(
            new PhysicalNode.Scan(cycle(probe, rounds), KEYED, new StepTally("l", "read")),
            new PhysicalNode.Scan(cycle(build, 1), KEYED, new StepTally("r", "read")),
            PhysicalNode.JoinKind.INNER,
            new int[] {0},
            new int[] {0},
            Optional.empty(),
            joined,
            new StepTally("bench", "join"));
    double ours = Measure.seconds(1, 3, () -> run(plan));
    double hand = Measure.seconds(1, 3, () -> handJoin(probe, build, rounds, right));
    loadKeyed(right);
    sql(
        "DROP TABLE IF EXISTS looms",
        "CREATE TABLE looms (k BIGINT, v BIGINT)",
        "INSERT INTO looms SELECT DISTINCT k, k FROM keyed",
        "SET GLOBAL join_buffer_size = 268435456");
    double other =
        Measure.seconds(
            0,
            1,
            () -> {
              sql("SET SESSION join_cache_level = 4", "SET join_cache_level = 4");
              sqlJoin();
              return null;
            });
    double m = (double) left * rounds / 1e6;
    Measure.print(
        "hash join, 50 M by 1 M",
        "M rows/s",
        m / ours,
        "a hand-written loop over primitive arrays, two threads",
        m / hand,
        "the same SQL in MariaDB (its hash join), 2 M rows by the keys they have",
        MARIADB_ROWS / 1e6 / other);
  }

  private void sqlJoin() throws SQLException {
    try (Connection c = db().connect("yardage");
        Statement s = c.createStatement()) {
      s.execute(
          "SET join_cache_level = 4, join_buffer_size = 268435456, join_buffer_space_limit = 536870912");
      s.executeQuery("SELECT COUNT(*), SUM(l.v), SUM(r.v) FROM keyed l JOIN looms r ON l.k = r.k")
          .next();
    }
  }

  private static Object handJoin(List<Batch> probe, List<Batch> build, int rounds, int right)
      throws Exception {
    long[] table = new long[Integer.highestOneBit(right * 2) * 2 * 4];
    for (Batch b : build) {
      add(
          table,
          ((LongColumn) b.column(0)).values(),
          ((LongColumn) b.column(1)).values(),
          b.rowCount());
    }
    ExecutorService pool = Executors.newFixedThreadPool(WORKERS);
    try {
      List<Future<Long>> parts = new ArrayList<>();
      for (int w = 0; w < WORKERS; w++) {
        int worker = w;
        parts.add(
            pool.submit(
                () -> {
                  long sum = 0;
                  long[] outKey = new long[Batch.TARGET_ROWS];
                  long[] outValue = new long[Batch.TARGET_ROWS];
                  for (int b = worker; b < probe.size() * rounds; b += WORKERS) {
                    Batch batch = probe.get(b % probe.size());
                    long[] keys = ((LongColumn) batch.column(0)).values();
                    for (int i = 0; i < batch.rowCount(); i++) {
                      int slot = slot(table, keys[i]);
                      outKey[i] = table[slot];
                      outValue[i] = table[slot + 1];
                    }
                    sum += outKey[0] + outValue[batch.rowCount() - 1];
                  }
                  return sum;
                }));
      }
      Map<Integer, Long> sums = new HashMap<>();
      for (Future<Long> f : parts) {
        sums.put(sums.size(), f.get());
      }
      return sums;
    } finally {
      pool.shutdown();
    }
  }
}
