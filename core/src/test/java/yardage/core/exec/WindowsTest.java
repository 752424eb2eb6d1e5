package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.NumberTypes;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.WindowStep.Before;
import yardage.core.exec.WindowStep.Edge;
import yardage.core.exec.WindowStep.Frame;
import yardage.core.exec.WindowStep.Nth;
import yardage.core.exec.WindowStep.Rank;
import yardage.core.exec.WindowStep.Ranking;
import yardage.core.exec.WindowStep.Reach;
import yardage.core.exec.WindowStep.Steps;
import yardage.core.exec.WindowStep.Total;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;
import yardage.core.plan.SortSpec;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/**
 * Windows beside what the standard says of each row's frame, computed row by row; in memory, and
 * with so little of it that rows are sorted on disk.
 */
class WindowsTest {
  private static final int PARTITION = 1;
  private static final int KEY = 2;
  private static final int VALUE = 3;
  private static final int DOUBLE = 4;
  private static final int TEXT = 5;
  private static final Schema TABLE =
      Schema.of(
          new Schema.Field("id", Type.BIGINT),
          new Schema.Field("p", Type.INT),
          new Schema.Field("k", Type.INT),
          new Schema.Field("v", Type.decimal(9, 2)),
          new Schema.Field("x", Type.DOUBLE),
          new Schema.Field("s", Type.VARCHAR),
          // The key less three, and the key and two.
          new Schema.Field("low", Type.INT),
          new Schema.Field("high", Type.INT));

  private static List<List<Object>> rows(SplittableRandom random, int count, int partitions) {
    List<List<Object>> out = new ArrayList<>();
    double[] odd = {Double.NaN, Double.POSITIVE_INFINITY, Double.NEGATIVE_INFINITY, 1e17};
    for (int i = 0; i < count; i++) {
      Integer key = random.nextInt(12) == 0 ? null : random.nextInt(40);
      out.add(
          Arrays.asList(
              (long) i,
              random.nextInt(9) == 0 ? null : random.nextInt(partitions),
              key,
              random.nextInt(6) == 0 ? null : BigDecimal.valueOf(random.nextInt(-900, 900), 2),
              random.nextInt(9) == 0
                  ? null
                  : random.nextInt(40) == 0 ? odd[random.nextInt(4)] : random.nextInt(100) / 4.0,
              random.nextInt(5) == 0 ? null : "text " + random.nextInt(30),
              key == null ? null : key - 3,
              key == null ? null : key + 2));
    }
    return out;
  }

  private static List<Frame> frames(SplittableRandom random) {
    int a = random.nextInt(30);
    int b = random.nextInt(30);
    return List.of(
        Frame.WHOLE,
        new Frame(true, Edge.START, Edge.HERE),
        new Frame(false, Edge.START, new Steps(a)),
        new Frame(false, new Steps(-a), new Steps(b)),
        // Both edges on one side; perhaps nothing between them.
        new Frame(false, new Steps(-a), new Steps(-b)),
        new Frame(false, new Steps(a), Edge.END),
        new Frame(true, new Steps(-random.nextInt(4)), new Steps(random.nextInt(3))),
        new Frame(true, new Steps(2), Edge.END),
        new Frame(true, Edge.HERE, new Steps(-1)),
        new Frame(true, new Reach(KEY, 6), new Reach(KEY, 7)),
        new Frame(true, Edge.START, new Reach(KEY, 6)),
        new Frame(true, Edge.HERE, new Reach(KEY, 7)));
  }

  private static Total total(AggregateFunction f, int argument, boolean distinct, Frame frame) {
    Type of = argument < 0 ? Type.BIGINT : TABLE.field(argument).type();
    Type type =
        switch (f) {
          case COUNT -> Type.BIGINT;
          case SUM -> of.isApproximate() ? Type.DOUBLE : Type.decimal(38, 2);
          case AVG -> NumberTypes.average(of);
          case PERCENTILE -> Type.DOUBLE;
          case JOINED -> Type.VARCHAR;
          default -> of;
        };
    String constant = f == AggregateFunction.PERCENTILE ? "0.25" : "-";
    return new Total(
        new AggregateCall(f, argument, distinct, -1, type, List.of(), constant), frame);
  }

  private static List<WindowStep.Call> calls(Frame frame) {
    List<WindowStep.Call> out = new ArrayList<>();
    for (Ranking ranking : Ranking.values()) {
      out.add(new Rank(ranking, 7));
    }
    for (boolean skips : new boolean[] {false, true}) {
      out.add(new Before(TEXT, 3, skips, Type.VARCHAR));
      out.add(new Before(TEXT, -2, skips, Type.VARCHAR));
      for (int at : new int[] {1, -1, 4, -3}) {
        out.add(new Nth(TEXT, at, skips, frame, Type.VARCHAR));
      }
      out.add(total(AggregateFunction.COUNT, TEXT, skips, frame));
      out.add(total(AggregateFunction.SUM, VALUE, skips, frame));
    }
    out.add(total(AggregateFunction.COUNT, -1, false, frame));
    out.add(total(AggregateFunction.AVG, VALUE, false, frame));
    out.add(total(AggregateFunction.SUM, DOUBLE, false, frame));
    out.add(total(AggregateFunction.MIN, VALUE, false, frame));
    out.add(total(AggregateFunction.MAX, TEXT, false, frame));
    out.add(total(AggregateFunction.PERCENTILE, VALUE, false, frame));
    out.add(total(AggregateFunction.JOINED, TEXT, true, frame));
    return out;
  }

  @ParameterizedTest
  @ValueSource(ints = {1, 2, 3})
  void areAsTheStandardSays(int seed) {
    SplittableRandom random = new SplittableRandom(seed);
    int[] partition = seed % 3 == 0 ? new int[0] : new int[] {PARTITION};
    List<List<Object>> rows = rows(random, 250 + random.nextInt(150), seed % 3 == 1 ? 150 : 2);
    SortKey key = new SortKey(KEY, random.nextBoolean(), random.nextBoolean());
    if (key.descending()) {
      // The bounds of a frame lie in its direction.
      rows.forEach(
          r -> {
            Integer k = (Integer) r.get(KEY);
            r.set(6, k == null ? null : k + 3);
            r.set(7, k == null ? null : k - 2);
          });
    }
    for (Frame frame : frames(random)) {
      WindowStep step = new WindowStep(partition, List.of(key), calls(frame));
      Map<Long, List<Object>> expected = naive(step, rows);
      assertSame(expected, held(step, rows), step, "seed %d, in memory".formatted(seed));
      assertSame(expected, sorted(step, rows), step, "seed %d, on disk".formatted(seed));
    }
  }

  private static void assertSame(
      Map<Long, List<Object>> expected, List<List<Object>> given, WindowStep step, String where) {
    assertEquals(expected.size(), given.size());
    for (List<Object> row : given) {
      List<Object> wanted = expected.get((Long) row.get(0));
      for (int c = 0; c < wanted.size(); c++) {
        Object value = row.get(TABLE.size() + c);
        String what = "%s, %s, row %s".formatted(where, step.calls().get(c), row);
        if (wanted.get(c) instanceof Double d && !d.isNaN() && !d.isInfinite()) {
          assertEquals(d, (Double) value, 1e-9 * Math.max(1, Math.abs(d)), what);
        } else if (wanted.get(c) instanceof BigDecimal d) {
          assertEquals(0, d.compareTo((BigDecimal) value), what);
        } else {
          assertEquals(wanted.get(c), value, what);
        }
      }
    }
  }

  private static List<Batch> batches(List<List<Object>> rows) {
    List<Batch> out = new ArrayList<>();
    for (int at = 0; at < rows.size(); at += 90) {
      int to = Math.min(rows.size(), at + 90);
      int[] all = IntStream.range(0, TABLE.size()).toArray();
      Batch batch = Rows.batch(TABLE, all, rows.subList(at, to));
      out.add(new Batch(batch.columns(), batch.rowCount(), at));
    }
    return out;
  }

  private static List<List<Object>> held(WindowStep step, List<List<Object>> rows) {
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    for (int i = 0; i < step.calls().size(); i++) {
      fields.add(new Schema.Field("w" + i, step.calls().get(i).type()));
    }
    PlanNode plan =
        new PlanNode.Whole(
            new PlanNode.Scan(GivenRows.of(TABLE, batches(rows)), TABLE, "scan"),
            step,
            "rows in windows",
            new Schema(fields),
            "op");
    StepTally tally = new StepTally("op", "test");
    ExecutionContext context = context(MemoryPool.root("test", 1L << 30));
    return Rows.rows(LivePlans.executor(context, tally).collect(plan, "op"));
  }

  private static ExecutionContext context(MemoryPool pool) {
    return new ExecutionContext(pool, Scratch.temporary(1L << 30), new CancelToken(), 2);
  }

  /** As rows are gone through that do not fit in memory. */
  private static List<List<Object>> sorted(WindowStep step, List<List<Object>> rows) {
    StepTally tally = new StepTally("op", "test");
    MemoryPool pool = MemoryPool.root("test", 1L << 30);
    ExecutionContext context = context(pool);
    SortSpec order = new SortSpec("op", step.wholeOrder(), 0, -1, TABLE);
    SortSink sink = new SortSink(order, true, tally, context);
    batches(rows).forEach(sink.consumer(new Worker(0, context))::accept);
    sink.finish();
    List<List<Object>> out = new ArrayList<>();
    try (Exchange run = sink.run();
        MemoryPool.Reservation claim = pool.reservation(tally, "test")) {
      WindowRows.Run sorted = new WindowRows.Run(run, step, context.cancel());
      WindowBlock block =
          new WindowBlock(
              step, sorted, 0, 512, new WindowMemory(claim, new Turns()), context.cancel());
      assertTrue(run.frames(0) > 2, "frames");
      for (int f = 0; f < run.frames(0); f++) {
        Batch frame = sorted.frame(f);
        List<Column> columns = new ArrayList<>(frame.columns());
        columns.addAll(block.next(frame.rowCount()));
        out.addAll(Rows.rows(List.of(frame.withColumns(columns))));
      }
    }
    assertEquals(0, pool.usedBytes());
    return out;
  }

  /** What each row's calls give, by the row's number. */
  private static Map<Long, List<Object>> naive(WindowStep step, List<List<Object>> rows) {
    Map<List<Object>, List<List<Object>>> partitions = new LinkedHashMap<>();
    for (List<Object> row : rows) {
      List<Object> by = Arrays.stream(step.partition()).mapToObj(row::get).toList();
      partitions.computeIfAbsent(by, k -> new ArrayList<>()).add(row);
    }
    SortKey key = step.order().get(0);
    Map<Long, List<Object>> out = new LinkedHashMap<>();
    for (List<List<Object>> part : partitions.values()) {
      part.sort((a, b) -> compare(a.get(KEY), b.get(KEY), key));
      List<Object> distinct = part.stream().map(r -> r.get(KEY)).distinct().toList();
      int[] groups = part.stream().mapToInt(r -> distinct.indexOf(r.get(KEY))).toArray();
      for (int i = 0; i < part.size(); i++) {
        List<Object> values = new ArrayList<>();
        for (WindowStep.Call call : step.calls()) {
          values.add(value(call, part, groups, i, key));
        }
        out.put((Long) part.get(i).get(0), values);
      }
    }
    return out;
  }

  private static int compare(Object a, Object b, SortKey key) {
    if (a == null || b == null) {
      return a == b ? 0 : (a == null) == key.nullsFirst() ? -1 : 1;
    }
    int c = ((Integer) a).compareTo((Integer) b);
    return key.descending() ? -c : c;
  }

  private static Object value(
      WindowStep.Call call, List<List<Object>> part, int[] groups, int i, SortKey key) {
    if (call instanceof Rank rank) {
      return rank(rank, part, i, key);
    } else if (call instanceof Before before) {
      int left = Math.abs(before.rows());
      int step = before.rows() > 0 ? -1 : 1;
      for (int j = i + step; j >= 0 && j < part.size(); j += step) {
        Object value = part.get(j).get(before.argument());
        if ((!before.skipNulls() || value != null) && --left == 0) {
          return value;
        }
      }
      return null;
    } else if (call instanceof Nth nth) {
      List<Object> values = frame(nth.frame(), part, groups, i, key, nth.argument());
      values.removeIf(v -> nth.skipNulls() && v == null);
      int at = nth.at() > 0 ? nth.at() - 1 : values.size() + nth.at();
      return at >= 0 && at < values.size() ? values.get(at) : null;
    }
    Total total = (Total) call;
    int argument = total.call().argument();
    Collection<Object> values = frame(total.frame(), part, groups, i, key, Math.max(0, argument));
    values.removeIf(Objects::isNull);
    return total(total.call(), total.call().distinct() ? new LinkedHashSet<>(values) : values);
  }

  private static Object rank(Rank rank, List<List<Object>> part, int i, SortKey key) {
    Object here = part.get(i).get(KEY);
    List<Object> keys = part.stream().map(r -> r.get(KEY)).toList();
    long before = keys.stream().filter(k -> compare(k, here, key) < 0).count();
    long upTo = keys.stream().filter(k -> compare(k, here, key) <= 0).count();
    return switch (rank.ranking()) {
      case ROW_NUMBER -> i + 1L;
      case RANK -> before + 1;
      case DENSE_RANK ->
          1 + keys.stream().filter(k -> compare(k, here, key) < 0).distinct().count();
      case PERCENT_RANK -> part.size() == 1 ? 0.0 : (double) before / (part.size() - 1);
      case CUME_DIST -> (double) upTo / part.size();
      case NTILE -> {
        // Rows are dealt into the parts one after the other; the first ones get what is over.
        int given = 0;
        int parts = 0;
        while (given <= i) {
          given += part.size() / rank.parts() + (parts++ < part.size() % rank.parts() ? 1 : 0);
        }
        yield (long) parts;
      }
    };
  }

  private static List<Object> frame(
      Frame frame, List<List<Object>> part, int[] groups, int i, SortKey key, int argument) {
    List<Object> out = new ArrayList<>();
    for (int j = 0; j < part.size(); j++) {
      if (reaches(frame.from(), true, frame, part, i, j, key, groups)
          && reaches(frame.to(), false, frame, part, i, j, key, groups)) {
        out.add(part.get(j).get(argument));
      }
    }
    return out;
  }

  /** Whether a row lies on the inner side of an edge. */
  private static boolean reaches(
      Edge edge,
      boolean begins,
      Frame frame,
      List<List<Object>> part,
      int i,
      int j,
      SortKey key,
      int[] groups) {
    long distance;
    if (edge instanceof WindowStep.Far) {
      return true;
    } else if (edge instanceof Reach reach) {
      distance = compare(part.get(j).get(KEY), part.get(i).get(reach.bound()), key);
    } else if (frame.groups()) {
      distance = groups[j] - groups[i] - ((Steps) edge).by();
    } else {
      distance = j - i - ((Steps) edge).by();
    }
    return begins ? distance >= 0 : distance <= 0;
  }

  private static Object total(AggregateCall call, Collection<Object> values) {
    if (call.function() == AggregateFunction.COUNT) {
      return (long) values.size();
    } else if (values.isEmpty()) {
      return null;
    }
    return switch (call.function()) {
      case SUM -> call.type().isApproximate() ? doubles(values) : (Object) exactly(values);
      case AVG ->
          exactly(values)
              .divide(BigDecimal.valueOf(values.size()), call.type().scale(), RoundingMode.HALF_UP);
      case MIN -> values.stream().min(Comparator.comparing(v -> (BigDecimal) v)).get();
      case MAX -> values.stream().max(Comparator.comparing(v -> (String) v)).get();
      case PERCENTILE -> {
        double[] sorted =
            values.stream().mapToDouble(v -> ((BigDecimal) v).doubleValue()).sorted().toArray();
        double at = 0.25 * (sorted.length - 1);
        int low = (int) at;
        double next = sorted[Math.min(low + 1, sorted.length - 1)];
        yield sorted[low] + (at - low) * (next - sorted[low]);
      }
      case JOINED -> String.join("-", values.stream().map(v -> (String) v).sorted().toList());
      default -> throw new AssertionError(call);
    };
  }

  private static BigDecimal exactly(Collection<Object> values) {
    return values.stream().map(v -> (BigDecimal) v).reduce(BigDecimal.ZERO, BigDecimal::add);
  }

  /** Finite values are added without loss, so that a large one leaves nothing behind. */
  private static double doubles(Collection<Object> values) {
    double all = values.stream().mapToDouble(v -> (Double) v).sum();
    return Double.isFinite(all)
        ? values.stream()
            .map(v -> new BigDecimal((Double) v))
            .reduce(BigDecimal.ZERO, BigDecimal::add)
            .doubleValue()
        : all;
  }
}
