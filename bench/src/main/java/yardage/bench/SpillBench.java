package yardage.bench;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.function.Function;
import yardage.core.column.*;
import yardage.core.exec.*;
import yardage.core.exec.PhysicalNode.AggregateCall;
import yardage.core.exec.PhysicalNode.JoinKind;
import yardage.core.exec.PhysicalNode.SortKey;

/**
 * What it costs when rows do not fit: each operator with plenty of memory, and with a twentieth of
 * what its rows take.
 */
final class SpillBench {
  private static final int ROWS = 6_000_000;
  private static final Schema TABLE =
      Schema.of(
          new Schema.Field("k", Type.BIGINT),
          new Schema.Field("v", Type.BIGINT),
          new Schema.Field("t", Type.VARCHAR));

  private static List<Batch> table(int rows, int keys, long seed) {
    SplittableRandom random = new SplittableRandom(seed);
    List<Batch> out = new ArrayList<>();
    for (int at = 0; at < rows; at += Batch.TARGET_ROWS) {
      int n = Math.min(Batch.TARGET_ROWS, rows - at);
      long[] k = new long[n];
      long[] v = new long[n];
      String[] t = new String[n];
      for (int i = 0; i < n; i++) {
        k[i] = random.nextInt(keys) * 7L;
        v[i] = random.nextInt(100_000);
        t[i] = "roll " + Integer.toHexString(random.nextInt());
      }
      out.add(
          new Batch(
              List.of(
                  new LongColumn(Type.BIGINT, k, null, n),
                  new LongColumn(Type.BIGINT, v, null, n),
                  TextColumn.of(t)),
              n,
              0));
    }
    return out;
  }

  private static PhysicalNode scan(List<Batch> batches) {
    return new PhysicalNode.Scan(
        () -> batches.stream().<ScanSource.Split>map(b -> (worker, out) -> out.accept(b)).toList(),
        TABLE,
        new StepTally("scan", "read"));
  }

  private static Object run(Function<StepTally, PhysicalNode> plan, long memory, long[] spilled) {
    StepTally tally = new StepTally("bench", "sql");
    long[] rows = {0};
    try (Executor executor =
        new Executor(
            new ExecutionContext(
                MemoryPool.root("bench", memory),
                Scratch.temporary(1L << 40),
                new CancelToken(),
                Main.WORKERS))) {
      executor.run(
          plan.apply(tally),
          worker ->
              batch -> {
                synchronized (rows) {
                  rows[0] += batch.rowCount();
                }
              },
          tally);
    }
    spilled[0] = tally.bytesSpilled.sum();
    return rows[0];
  }

  private static void compare(String what, long rowBytes, Function<StepTally, PhysicalNode> plan)
      throws Exception {
    long[] spilled = {0};
    double plenty = Measure.seconds(1, 3, () -> run(plan, 16L << 30, spilled));
    if (spilled[0] > 0) {
      throw new IllegalStateException("it spilled with plenty of memory");
    }
    double little = Measure.seconds(1, 3, () -> run(plan, rowBytes / 20, spilled));
    System.out.printf(
        Locale.ROOT,
        "%-34s in memory %5.2f s  with a twentieth %5.2f s (%.1fx)  %,d MB to disk for rows of %,d MB%n",
        what,
        plenty,
        little,
        little / plenty,
        spilled[0] / 1_000_000,
        rowBytes / 1_000_000);
  }

  void spill() throws Exception {
    List<Batch> rows = table(ROWS, ROWS / 2, 5);
    List<Batch> others = table(ROWS / 2, ROWS / 2, 6);
    long bytes = rows.stream().mapToLong(Batch::sizeBytes).sum();
    long otherBytes = others.stream().mapToLong(Batch::sizeBytes).sum();
    compare(
        "aggregate, %,d groups".formatted(ROWS / 2),
        bytes,
        tally ->
            new PhysicalNode.Aggregate(
                scan(rows),
                new int[] {0},
                List.of(
                    new AggregateCall(AggregateCall.Function.SUM, 1, false, -1, Type.BIGINT),
                    new AggregateCall(AggregateCall.Function.MAX, 2, false, -1, Type.VARCHAR)),
                Schema.of(
                    TABLE.field(0),
                    new Schema.Field("s", Type.BIGINT),
                    new Schema.Field("m", Type.VARCHAR)),
                tally));
    compare(
        "dedupe, %,d keys".formatted(ROWS / 2),
        bytes,
        tally ->
            new PhysicalNode.Deduplicate(
                scan(rows), new int[] {0}, List.of(SortKey.of(1, true)), false, tally));
    compare(
        "sort, %,d rows".formatted(ROWS),
        bytes,
        tally ->
            new PhysicalNode.Sort(
                scan(rows), List.of(SortKey.of(1, false), SortKey.of(2, false)), 0, -1, tally));
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    TABLE.fields().forEach(f -> fields.add(new Schema.Field("r_" + f.name(), f.type())));
    compare(
        "join, %,d by %,d".formatted(ROWS, ROWS / 2),
        otherBytes,
        tally ->
            new PhysicalNode.HashJoin(
                scan(rows),
                scan(others),
                JoinKind.INNER,
                new int[] {0},
                new int[] {0},
                Optional.empty(),
                new Schema(fields),
                tally));
    System.out.println();
  }
}
