package yardage.bench;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.stream.Stream;
import yardage.core.column.*;
import yardage.core.exec.*;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.text.DelimitedFormat;
import yardage.core.format.text.DelimitedLayout;
import yardage.core.testing.TestLake;

/**
 * Measures the engine, each figure beside a limit (the least that the work could cost) and an
 * alternative, in the same run. All on two workers. {@code Main [parse] [transcode] [scan] [feeds]
 * [aggregate] [join] [spill] [scale] [steps] [compaction] [profile] [queries] [sampler]}; all of
 * them without arguments.
 */
public final class Main {
  private static final java.lang.invoke.VarHandle WORDS =
      java.lang.invoke.MethodHandles.byteArrayViewVarHandle(
          long[].class, java.nio.ByteOrder.LITTLE_ENDIAN);

  private static final int FILES = 4;
  private static final int ROWS_PER_FILE = 1_000_000;
  static final int WORKERS = 2;
  static final int MARIADB_ROWS = 2_000_000;

  private final Path folder = Files.createTempDirectory("yardage-bench");
  private final TestLake lake = new TestLake(folder);
  private final BenchDb db = new BenchDb();
  private long textBytes;

  private Main() throws IOException {}

  public static void main(String[] args) throws Exception {
    List<String> wanted =
        args.length == 0
            ? List.of(
                "parse",
                "transcode",
                "scan",
                "feeds",
                "aggregate",
                "join",
                "spill",
                "scale",
                "steps",
                "compaction",
                "profile",
                "queries",
                "planner",
                "sampler")
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
      feeds(wanted, new FeedBench(main.lake.lake()));
      if (wanted.contains("aggregate")) {
        OperatorBench operators = new OperatorBench(main.db, main.folder);
        operators.aggregate(1_000);
        operators.aggregate(1_000_000);
      }
      if (wanted.contains("join")) {
        new OperatorBench(main.db, main.folder).join();
      }
      if (wanted.contains("spill")) {
        new SpillBench().spill();
      }
      if (wanted.contains("scale")) {
        new ScaleBench().scale();
      }
      steps(wanted, new StepBench());
      if (wanted.contains("compaction")) {
        new CompactionBench(main.folder).compaction();
      }
      if (wanted.contains("profile")) {
        new ProfileBench().profile();
      }
      if (wanted.contains("queries")) {
        new DecisionBench(main.folder, main.db).run();
      }
      if (wanted.contains("planner")) {
        new PlannerBench(main.folder).run();
      }
      if (wanted.contains("sampler")) {
        new SamplerBench(main.folder, main.db).run();
      }
    } finally {
      main.db.close();
      try (Stream<Path> files = Files.walk(main.folder)) {
        files.sorted(Comparator.reverseOrder()).forEach(f -> f.toFile().delete());
      }
    }
  }

  /** All steps, or those that are named. */
  private static void steps(List<String> wanted, StepBench steps) throws Exception {
    boolean all = wanted.contains("steps");
    if (all || wanted.contains("dedupe")) {
      steps.dedupe();
    }
    if (all || wanted.contains("likeness")) {
      steps.likeness();
    }
    if (all || wanted.contains("dimension")) {
      steps.dimension();
    }
    if (all || wanted.contains("fact")) {
      steps.fact();
    }
  }

  /** All kinds of feeds, or those that are named. */
  private static void feeds(List<String> wanted, FeedBench feeds) throws Exception {
    boolean all = wanted.contains("feeds");
    if (all || wanted.contains("delimited")) {
      feeds.delimited();
    }
    if (all || wanted.contains("json")) {
      feeds.json();
    }
    if (all || wanted.contains("lines")) {
      feeds.lines();
    }
    if (all || wanted.contains("xml")) {
      feeds.xml();
    }
    if (all || wanted.contains("small-files")) {
      feeds.smallFiles();
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
        .mapToObj(f -> lake.inbox().resolve("rolls/rolls-" + f + ".txt"))
        .toList();
  }

  private void writeText() throws IOException {
    Files.createDirectories(lake.inbox().resolve("rolls"));
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
      new DelimitedFormat(LAYOUT, RULES, (name, names) -> FieldMap.straight(RULES.size()))
          .read(
              file.toString(),
              in,
              new RecordOutput() {
                @Override
                public void records(ParsedRecords records) {
                  rows[0] += records.rowCount();
                }

                @Override
                public void reject(RejectedRecord record) {
                  throw new IllegalStateException(record.toString());
                }
              });
    }
    if (rows[0] != ROWS_PER_FILE) {
      throw new IllegalStateException("%d rows".formatted(rows[0]));
    }
    return rows[0];
  }

  static long countNewlines(Path file) throws IOException {
    byte[] buffer = new byte[1 << 20];
    long count = 0;
    try (InputStream in = Files.newInputStream(file)) {
      int n;
      while ((n = in.readNBytes(buffer, 0, buffer.length)) > 0) {
        for (int i = 0; i + 8 <= n; i += 8) {
          long x = (long) WORDS.get(buffer, i) ^ 0x0a0a0a0a0a0a0a0aL;
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
    db.sql("SET GLOBAL innodb_flush_log_at_trx_commit = 2");
    double load =
        Measure.seconds(
            0,
            1,
            () -> {
              db.sql("DROP TABLE IF EXISTS rolls", "CREATE TABLE rolls (" + columns + ")");
              for (Path file : textFiles().subList(0, MARIADB_ROWS / ROWS_PER_FILE)) {
                db.sql(
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
      List<List<Object>> wanted = lake.query(query.formatted("raw.rolls"));
      List<List<Object>> theirs =
          lake.query("select count(*), sum(metres), max(weight_kg) from raw.april");
      if (!wanted.equals(theirs)) {
        throw new IllegalStateException(
            "The limit's table holds other rows: " + theirs + " instead of " + wanted);
      }
      db.sql("ANALYZE TABLE rolls");
      double other =
          Measure.seconds(
              1,
              3,
              () -> {
                db.sql(query.formatted("rolls"));
                return null;
              });
      double rows = FILES * ROWS_PER_FILE / 1e6;
      Measure.print(
          "scan of 3 of 10 columns, one month of six",
          "M rows/s",
          rows / three,
          "a table that holds nothing but these columns of that month",
          rows / least,
          "the same SQL in MariaDB, on half of the rows",
          MARIADB_ROWS / 1e6 / other);
    }
  }
}
