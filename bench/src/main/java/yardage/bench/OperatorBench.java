package yardage.bench;

import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import yardage.core.column.*;
import yardage.core.exec.*;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.JoinKind;
import yardage.core.plan.PlanNode;
import yardage.core.plan.ScanDescription;
import yardage.core.testing.LivePlans;

/** The executor's operators on batches in memory: what they cost without files. */
final class OperatorBench {
  private final BenchDb db;
  private final Path folder;

  OperatorBench(BenchDb db, Path folder) {
    this.db = db;
    this.folder = folder;
  }

  /** Batches made once and read again and again: what the operators cost without files. */
  private static ScanDescription cycle(List<Batch> batches, int rounds) {
    ScanSource source =
        () -> {
          List<ScanSource.Split> splits = new ArrayList<>();
          for (int r = 0; r < rounds; r++) {
            splits.add((worker, out) -> batches.forEach(out::accept));
          }
          return splits;
        };
    return LivePlans.source(source);
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

  /** Runs a plan and gives how many rows came out. */
  static Object run(PlanNode plan) {
    long[] rows = {0};
    LivePlans.executor(
            new ExecutionContext(
                MemoryPool.root("bench", 8L << 30),
                Scratch.temporary(1L << 40),
                new CancelToken(),
                Main.WORKERS))
        .run(
            plan,
            worker ->
                batch -> {
                  synchronized (rows) {
                    rows[0] += batch.rowCount();
                  }
                },
            "bench");
    return rows[0];
  }

  void aggregate(int groups) throws Exception {
    int rows = 4_000_000;
    int rounds = 5;
    List<Batch> batches = keyed(rows, groups, 3);
    PlanNode.Aggregate plan =
        new PlanNode.Aggregate(
            new PlanNode.Scan(cycle(batches, rounds), KEYED, "scan"),
            new int[] {0},
            List.of(
                new AggregateCall(AggregateFunction.SUM, 1, false, -1, Type.BIGINT),
                new AggregateCall(AggregateFunction.COUNT, -1, false, -1, Type.BIGINT)),
            Schema.of(
                new Schema.Field("k", Type.BIGINT),
                new Schema.Field("s", Type.BIGINT),
                new Schema.Field("n", Type.BIGINT)),
            "bench");
    double ours = Measure.seconds(2, 5, () -> run(plan));
    double hand = Measure.seconds(2, 5, () -> handAggregate(batches, rounds, groups));
    loadKeyed(groups);
    double other =
        Measure.seconds(
            1,
            3,
            () -> {
              db.sql("SELECT COUNT(*) FROM (SELECT k, SUM(v), COUNT(*) FROM keyed GROUP BY k) t");
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
        Main.MARIADB_ROWS / 1e6 / other);
  }

  /**
   * Open addressing with key and sums side by side, one table per thread, merged: nothing general
   * about it.
   */
  private static Object handAggregate(List<Batch> batches, int rounds, int groups)
      throws Exception {
    int size = Integer.highestOneBit(groups * 2) * 2;
    ExecutorService pool = Executors.newFixedThreadPool(Main.WORKERS);
    try {
      List<Future<long[]>> parts = new ArrayList<>();
      for (int w = 0; w < Main.WORKERS; w++) {
        int worker = w;
        parts.add(
            pool.submit(
                () -> {
                  long[] table = new long[size * 4];
                  for (int b = worker; b < batches.size() * rounds; b += Main.WORKERS) {
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
      for (Batch b : keyed(Main.MARIADB_ROWS, groups, 3)) {
        for (int i = 0; i < b.rowCount(); i++) {
          out.write(
              ((LongColumn) b.column(0)).values()[i]
                  + "|"
                  + ((LongColumn) b.column(1)).values()[i]
                  + "\n");
        }
      }
    }
    db.sql(
        "DROP TABLE IF EXISTS keyed",
        "CREATE TABLE keyed (k BIGINT, v BIGINT)",
        "LOAD DATA LOCAL INFILE '" + file + "' INTO TABLE keyed FIELDS TERMINATED BY '|'");
  }

  void join() throws Exception {
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
    PlanNode.Join plan =
        new PlanNode.Join(
            new PlanNode.Scan(cycle(probe, rounds), KEYED, "l"),
            new PlanNode.Scan(cycle(build, 1), KEYED, "r"),
            JoinKind.INNER,
            new int[] {0},
            new int[] {0},
            Optional.empty(),
            joined,
            "bench");
    double ours = Measure.seconds(1, 3, () -> run(plan));
    double hand = Measure.seconds(1, 3, () -> handJoin(probe, build, rounds, right));
    loadKeyed(right);
    db.sql(
        "DROP TABLE IF EXISTS looms",
        "CREATE TABLE looms (k BIGINT, v BIGINT)",
        "INSERT INTO looms SELECT DISTINCT k, k FROM keyed",
        "SET GLOBAL join_buffer_size = 268435456");
    double other =
        Measure.seconds(
            0,
            1,
            () -> {
              db.sql("SET SESSION join_cache_level = 4", "SET join_cache_level = 4");
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
        Main.MARIADB_ROWS / 1e6 / other);
  }

  private void sqlJoin() throws SQLException {
    try (Connection c = db.connect("yardage");
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
    ExecutorService pool = Executors.newFixedThreadPool(Main.WORKERS);
    try {
      List<Future<Long>> parts = new ArrayList<>();
      for (int w = 0; w < Main.WORKERS; w++) {
        int worker = w;
        parts.add(
            pool.submit(
                () -> {
                  long sum = 0;
                  long[] outKey = new long[Batch.TARGET_ROWS];
                  long[] outValue = new long[Batch.TARGET_ROWS];
                  for (int b = worker; b < probe.size() * rounds; b += Main.WORKERS) {
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
