package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertTrue;

import java.lang.management.ManagementFactory;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import javax.management.JMException;
import javax.management.ObjectName;
import org.junit.jupiter.api.Named;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import yardage.core.column.*;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.JoinKind;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;
import yardage.core.step.LikenessStep;
import yardage.core.testing.LivePlans;

/**
 * What the pool says that an operator holds is what the heap has of it: the heap is looked at when
 * all rows have come, and again when the first comes out.
 */
class HeapTest {
  private static final int ROWS = 300_000;
  private static final long SLACK_BYTES = 1 << 20;
  private static final double MORE = 1.15;

  private static final Schema TABLE =
      Schema.of(
          new Schema.Field("k", Type.BIGINT),
          new Schema.Field("t", Type.VARCHAR),
          new Schema.Field("n", Type.INT),
          new Schema.Field("v", Type.decimal(9, 2)));

  /** Made when it is read, so that nobody else holds it. */
  private static Batch batch(int number) {
    SplittableRandom random = new SplittableRandom(number);
    int n = Batch.TARGET_ROWS;
    long[] k = new long[n];
    String[] t = new String[n];
    int[] i = new int[n];
    long[] v = new long[n];
    for (int r = 0; r < n; r++) {
      k[r] = random.nextInt(ROWS / 2) * 11L;
      t[r] = "roll " + Integer.toHexString(random.nextInt());
      i[r] = random.nextInt(1000);
      v[r] = random.nextInt(1_000_000);
    }
    return new Batch(
        List.of(
            new LongColumn(Type.BIGINT, k, null, n),
            TextColumn.of(t),
            new IntColumn(Type.INT, i, null, n),
            new LongColumn(Type.decimal(9, 2), v, null, n)),
        n,
        0);
  }

  private static PlanNode scan(int rows) {
    ScanSource source =
        () -> {
          List<ScanSource.Split> out = new ArrayList<>();
          for (int b = 0; b < rows / Batch.TARGET_ROWS; b++) {
            int number = b;
            out.add((worker, next) -> next.accept(batch(number)));
          }
          return out;
        };
    return new PlanNode.Scan(LivePlans.source(source), TABLE, "scan");
  }

  /** All objects that somebody can reach, with their headers; collects before it counts. */
  private static long heapBytes() {
    try {
      String histogram =
          (String)
              ManagementFactory.getPlatformMBeanServer()
                  .invoke(
                      new ObjectName("com.sun.management:type=DiagnosticCommand"),
                      "gcClassHistogram",
                      new Object[] {new String[0]},
                      new String[] {String[].class.getName()});
      String total = histogram.substring(histogram.lastIndexOf("Total")).strip();
      return Long.parseLong(total.split("\\s+")[2]);
    } catch (JMException e) {
      throw new AssertionError(e);
    }
  }

  /** As {@link #heapBytes}, once what tests before this one have left is gone. */
  private static long settledBytes() {
    long last = heapBytes();
    for (int i = 0; i < 20; i++) {
      long now = heapBytes();
      if (Math.abs(now - last) < SLACK_BYTES / 8) {
        return now;
      }
      last = now;
    }
    return last;
  }

  /** Looks once, at a row that comes by. */
  private static final class Look {
    private final String when;
    private final MemoryPool pool;
    private final long before;
    private boolean looked;
    private long seen;
    private long claimed;

    Look(String when, MemoryPool pool, long before) {
      this.when = when;
      this.pool = pool;
      this.before = before;
    }

    void look() {
      if (!looked) {
        looked = true;
        seen = heapBytes() - before;
        claimed = pool.usedBytes();
      }
    }

    void check() {
      assertTrue(looked, "nobody looked " + when);
      assertTrue(
          seen <= MORE * claimed + SLACK_BYTES,
          "%s: %,d kB in the heap, and %,d kB claimed".formatted(when, seen >> 10, claimed >> 10));
    }
  }

  private static Arguments of(String name, UnaryOperator<PlanNode> over) {
    return Arguments.of(Named.of(name, over));
  }

  private static PlanNode aggregate(PlanNode input, AggregateFunction function, Type type) {
    return new PlanNode.Aggregate(
        input,
        new int[] {0},
        List.of(
            new AggregateCall(
                function, 1, function == AggregateFunction.COUNT, -1, type, List.of(), ",")),
        Schema.of(TABLE.field(0), new Schema.Field("a", type)),
        "op");
  }

  static Stream<Arguments> operators() {
    Schema wide =
        new Schema(
            Stream.concat(
                    TABLE.fields().stream(),
                    Stream.of(new Schema.Field("w", Type.BIGINT), new Schema.Field("x", Type.INT)))
                .toList());
    WindowStep window =
        new WindowStep(
            new int[] {2},
            List.of(SortKey.of(0, false)),
            List.of(new WindowStep.Rank(WindowStep.Ranking.ROW_NUMBER, 0)));
    Schema windowed = new Schema(wide.fields().subList(0, 5));
    Schema alike =
        new Schema(
            Stream.concat(
                    TABLE.fields().stream(),
                    Stream.of(new Schema.Field("g", Type.INT), new Schema.Field("s", Type.DOUBLE)))
                .toList());
    List<Schema.Field> joined = new ArrayList<>(TABLE.fields());
    TABLE.fields().forEach(f -> joined.add(new Schema.Field("r" + f.name(), f.type())));
    return Stream.of(
        of("sums of groups", in -> aggregate(in, AggregateFunction.COUNT, Type.BIGINT)),
        of("texts of groups", in -> aggregate(in, AggregateFunction.MAX, Type.VARCHAR)),
        of("lists of groups", in -> aggregate(in, AggregateFunction.LIST, Type.list(Type.VARCHAR))),
        of(
            "dedupe by key",
            in ->
                new PlanNode.Deduplicate(
                    in, new int[] {0}, List.of(SortKey.of(3, true)), false, "op")),
        of(
            "dedupe by text",
            in -> new PlanNode.Deduplicate(in, new int[] {1}, List.of(), false, "op")),
        of(
            "sort",
            in ->
                new PlanNode.Sort(
                    in, List.of(SortKey.of(2, false), SortKey.of(1, true)), 0, -1, "op")),
        of("a step that several read", in -> new PlanNode.Kept(in, "kept", "op")),
        of("windows", in -> new PlanNode.Whole(in, window, "rows in windows", windowed, "op")),
        of(
            "likeness",
            in ->
                new PlanNode.Whole(
                    in,
                    new LikenessStep(new int[] {2}, 1, LikenessStep.Measure.TRIGRAMS, 0.9),
                    "rows to compare",
                    alike,
                    "op")),
        of(
            "the right side of a join",
            in ->
                new PlanNode.Join(
                    scan(Batch.TARGET_ROWS),
                    in,
                    JoinKind.INNER,
                    new int[] {0},
                    new int[] {0},
                    Optional.empty(),
                    new Schema(joined),
                    "op")));
  }

  @ParameterizedTest
  @MethodSource("operators")
  void theHeapHasWhatThePoolSays(UnaryOperator<PlanNode> over) {
    MemoryPool pool = MemoryPool.root("test", 1L << 32);
    ExecutionContext context =
        new ExecutionContext(pool, Scratch.temporary(1L << 32), new CancelToken(), 1);
    // Classes and buffers that stay are there before anything is measured.
    LivePlans.executor(context).run(over.apply(scan(8 * Batch.TARGET_ROWS)), w -> b -> {}, "end");
    long before = settledBytes();
    Look gathered = new Look("when all rows have come", pool, before);
    Look given = new Look("when the first row comes out", pool, before);
    int[] batches = {0};
    PlanNode watched =
        new PlanNode.Apply(
            scan(ROWS),
            LivePlans.step(
                (tally, next) ->
                    batch -> {
                      if (++batches[0] == ROWS / Batch.TARGET_ROWS) {
                        gathered.look();
                      }
                      next.accept(batch);
                    }),
            TABLE,
            "watch");

    LivePlans.executor(context).run(over.apply(watched), worker -> batch -> given.look(), "end");

    gathered.check();
    given.check();
  }
}
