package yardage.bench;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.exec.*;
import yardage.core.expr.Literal;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.JoinKind;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;
import yardage.core.star.DimensionLayout;
import yardage.core.star.DimensionStep;
import yardage.core.testing.LivePlans;

/** One plan for each operator that gathers rows, over rows that are made once. */
final class GatheringPlans {
  private static final Schema TABLE =
      Schema.of(
          new Schema.Field("k", Type.BIGINT),
          new Schema.Field("v", Type.BIGINT),
          new Schema.Field("t", Type.VARCHAR));

  private GatheringPlans() {}

  /**
   * A plan to be measured.
   *
   * @param rowBytes what the rows take that it gathers
   */
  record Plan(String what, PlanNode node, long rowBytes) {}

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

  private static PlanNode scan(List<Batch> batches) {
    ScanSource source =
        () -> batches.stream().<ScanSource.Split>map(b -> (worker, out) -> out.accept(b)).toList();
    return new PlanNode.Scan(LivePlans.source(source), TABLE, "scan");
  }

  /** Aggregate, dedupe, sort, join and dimension, by their names; half as many keys as rows. */
  static Map<String, Plan> over(int rows) {
    List<Batch> left = table(rows, rows / 2, 5);
    List<Batch> right = table(rows / 2, rows / 2, 6);
    long bytes = left.stream().mapToLong(Batch::sizeBytes).sum();
    long rightBytes = right.stream().mapToLong(Batch::sizeBytes).sum();
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    TABLE.fields().forEach(f -> fields.add(new Schema.Field("r_" + f.name(), f.type())));
    Map<String, Plan> out = new LinkedHashMap<>();
    out.put(
        "aggregate",
        new Plan(
            "aggregate, %,d groups".formatted(rows / 2),
            new PlanNode.Aggregate(
                scan(left),
                new int[] {0},
                List.of(
                    new AggregateCall(AggregateFunction.SUM, 1, false, -1, Type.BIGINT),
                    new AggregateCall(AggregateFunction.MAX, 2, false, -1, Type.VARCHAR)),
                Schema.of(
                    TABLE.field(0),
                    new Schema.Field("s", Type.BIGINT),
                    new Schema.Field("m", Type.VARCHAR)),
                "bench"),
            bytes));
    out.put(
        "dedupe",
        new Plan(
            "dedupe, %,d keys".formatted(rows / 2),
            new PlanNode.Deduplicate(
                scan(left), new int[] {0}, List.of(SortKey.of(1, true)), false, "bench"),
            bytes));
    out.put(
        "sort",
        new Plan(
            "sort, %,d rows".formatted(rows),
            new PlanNode.Sort(
                scan(left), List.of(SortKey.of(1, false), SortKey.of(2, false)), 0, -1, "bench"),
            bytes));
    out.put(
        "join",
        new Plan(
            "join, %,d by %,d".formatted(rows, rows / 2),
            new PlanNode.Join(
                scan(left),
                scan(right),
                JoinKind.INNER,
                new int[] {0},
                new int[] {0},
                Optional.empty(),
                new Schema(fields),
                "bench"),
            rightBytes));
    out.put("dimension", dimension(rows, 100));
    return out;
  }

  /**
   * A dimension whose members all come again; its rows are made as they are read.
   *
   * @param changed one in so many has changed
   */
  static Plan dimension(int members, int changed) {
    DimensionLayout layout =
        new DimensionLayout(
            "s", List.of(TABLE.field(0)), TABLE.fields().subList(1, 3), List.of("v"), false, false);
    int blocks = members / Batch.TARGET_ROWS;
    ScanSource source =
        () ->
            IntStream.range(0, 2 * blocks)
                .<ScanSource.Split>mapToObj(
                    b ->
                        (worker, out) ->
                            out.accept(
                                b < blocks
                                    ? members(b, Integer.MAX_VALUE, b)
                                    : coming(members(b - blocks, changed, b))))
                .toList();
    return new Plan(
        "dimension, %,d members".formatted(members),
        new PlanNode.Whole(
            new PlanNode.Scan(LivePlans.source(source), layout.input(), "scan"),
            new DimensionStep(layout, 0),
            "a dimension's rows",
            layout.schema(),
            "bench"),
        members(0, 1, 0).sizeBytes() * 2 * blocks);
  }

  private static Batch coming(Batch members) {
    List<Column> columns = new ArrayList<>(members.columns());
    columns.set(0, Literal.of(Type.BIGINT, null).column(members.rowCount()));
    return members.withColumns(columns);
  }

  private static Batch members(int block, int changed, long sequence) {
    int n = Batch.TARGET_ROWS;
    SplittableRandom random = new SplittableRandom(block);
    long[] s = new long[n];
    long[] k = new long[n];
    long[] v = new long[n];
    String[] t = new String[n];
    for (int i = 0; i < n; i++) {
      s[i] = (long) block * n + i + 1;
      // Every number once, in no order.
      k[i] = Long.reverse(s[i]) >>> 1;
      v[i] = random.nextInt(100_000) + (s[i] % changed == 0 ? 1 : 0);
      t[i] = "roll " + Integer.toHexString(random.nextInt());
    }
    Column none = Literal.of(Type.TIMESTAMP, null).column(n);
    Column no = Literal.of(Type.BOOLEAN, false).column(n);
    return new Batch(
        List.of(
            new LongColumn(Type.BIGINT, s, null, n),
            new LongColumn(Type.BIGINT, k, null, n),
            new LongColumn(Type.BIGINT, v, null, n),
            TextColumn.of(t),
            none,
            none,
            no,
            no),
        n,
        sequence);
  }

  /** Runs a plan, and gives how many bytes went to disk. */
  static long run(Plan plan, long memoryBytes, int workers) {
    StepTally tally = new StepTally("bench", "sql");
    long[] rows = {0};
    LivePlans.executor(
            new ExecutionContext(
                MemoryPool.root("bench", memoryBytes),
                Scratch.temporary(1L << 40),
                new CancelToken(),
                workers),
            tally)
        .run(
            plan.node(),
            worker ->
                batch -> {
                  synchronized (rows) {
                    rows[0] += batch.rowCount();
                  }
                },
            "bench");
    if (rows[0] == 0) {
      throw new IllegalStateException("no rows came out");
    }
    return tally.bytesSpilled.sum();
  }
}
