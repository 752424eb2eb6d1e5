package yardage.core.testing;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.math.RoundingMode;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.exec.WindowStep;
import yardage.core.expr.Expression;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateSpec;
import yardage.core.plan.GivenRows;
import yardage.core.plan.JoinKind;
import yardage.core.plan.JoinSpec;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;
import yardage.core.plan.SortSpec;

/**
 * Runs plans row by row, in the plainest way that says what they mean: an oracle for the engine.
 * Expressions are the engine's own.
 */
public final class NaivePlans implements PlanNode.Visitor<List<List<Object>>> {
  /** More rows than this are not worth an oracle's time. */
  private static final int MOST_ROWS = 30_000;

  /** Thrown when a plan gives too many rows, or sums that are too large. */
  public static final class TooManyException extends RuntimeException {}

  private final Map<String, Long> rowsOut = new HashMap<>();
  private final Map<String, List<List<Object>>> kept = new HashMap<>();

  public List<List<Object>> rows(PlanNode plan) {
    List<List<Object>> out = plan.accept(this);
    if (out.size() > MOST_ROWS) {
      throw new TooManyException();
    }
    return out;
  }

  /** How many rows went out of each step. */
  public Map<String, Long> rowsOut() {
    return rowsOut;
  }

  private static List<List<Object>> evaluated(
      List<Expression> expressions, Schema schema, List<List<Object>> rows) {
    Batch batch = Rows.batch(schema, IntStream.range(0, schema.size()).toArray(), rows);
    List<Column> columns = expressions.stream().map(e -> e.evaluate(batch)).toList();
    List<List<Object>> out = new ArrayList<>();
    for (int r = 0; r < rows.size(); r++) {
      List<Object> row = new ArrayList<>();
      for (Column c : columns) {
        row.add(c.value(r));
      }
      out.add(row);
    }
    return out;
  }

  @Override
  public List<List<Object>> scan(PlanNode.Scan scan) {
    GivenRows given = (GivenRows) scan.source();
    return Rows.rows(IntStream.range(0, given.frames().size()).mapToObj(given::batch).toList());
  }

  @Override
  public List<List<Object>> filter(PlanNode.Filter filter) {
    List<List<Object>> rows = rows(filter.input());
    List<List<Object>> met = evaluated(List.of(filter.condition()), filter.input().schema(), rows);
    List<List<Object>> out = new ArrayList<>();
    for (int r = 0; r < rows.size(); r++) {
      if (Boolean.TRUE.equals(met.get(r).get(0))) {
        out.add(rows.get(r));
      }
    }
    return out;
  }

  @Override
  public List<List<Object>> project(PlanNode.Project project) {
    return evaluated(project.expressions(), project.input().schema(), rows(project.input()));
  }

  private static List<Object> key(List<Object> row, int[] columns) {
    return Arrays.asList(Arrays.stream(columns).mapToObj(row::get).toArray());
  }

  private static List<Object> both(List<Object> left, List<Object> right) {
    List<Object> out = new ArrayList<>(left);
    out.addAll(right);
    return out;
  }

  @Override
  public List<List<Object>> join(PlanNode.Join join) {
    JoinSpec spec = join.spec();
    List<List<Object>> left = rows(join.left());
    List<List<Object>> right = rows(join.right());
    Map<List<Object>, List<Integer>> byKey = new HashMap<>();
    for (int r = 0; r < right.size(); r++) {
      byKey.computeIfAbsent(key(right.get(r), spec.rightKeys()), k -> new ArrayList<>()).add(r);
    }
    List<Schema.Field> fields = new ArrayList<>();
    for (Schema.Field f : spec.left().fields()) {
      fields.add(new Schema.Field("l" + fields.size(), f.type()));
    }
    for (Schema.Field f : spec.right().fields()) {
      fields.add(new Schema.Field("r" + fields.size(), f.type()));
    }
    Schema wide = new Schema(fields);
    List<Object> noLeft = Collections.nCopies(spec.left().size(), null);
    List<Object> noRight = Collections.nCopies(spec.right().size(), null);
    boolean[] hit = new boolean[right.size()];
    List<List<Object>> out = new ArrayList<>();
    for (List<Object> l : left) {
      List<Object> key = key(l, spec.leftKeys());
      List<Integer> candidates =
          key.contains(null) ? List.of() : byKey.getOrDefault(key, List.of());
      List<List<Object>> pairs = candidates.stream().map(r -> both(l, right.get(r))).toList();
      List<List<Object>> met =
          spec.residual()
              .map(e -> evaluated(List.of(e), wide, pairs))
              .orElse(Collections.nCopies(pairs.size(), List.of(true)));
      boolean any = false;
      for (int p = 0; p < pairs.size(); p++) {
        if (Boolean.TRUE.equals(met.get(p).get(0))) {
          any = true;
          hit[candidates.get(p)] = true;
          if (spec.kind().givesLeft() && spec.kind().givesRight()) {
            out.add(pairs.get(p));
          }
        }
      }
      if (spec.kind() == JoinKind.SEMI && any || spec.kind() == JoinKind.ANTI && !any) {
        out.add(l);
      } else if (!any && spec.kind().keepsLeft()) {
        out.add(both(l, noRight));
      }
      if (out.size() > MOST_ROWS) {
        throw new TooManyException();
      }
    }
    if (spec.kind().keepsRight()) {
      for (int r = 0; r < right.size(); r++) {
        if (!hit[r]) {
          out.add(both(noLeft, right.get(r)));
        }
      }
    }
    if (!spec.kind().givesLeft()) {
      for (int r = 0; r < right.size(); r++) {
        if (hit[r] == (spec.kind() == JoinKind.RIGHT_SEMI)) {
          out.add(right.get(r));
        }
      }
    }
    return out;
  }

  private static int compare(Object a, Object b) {
    if (a instanceof java.util.UUID) {
      return a.toString().compareTo(b.toString());
    }
    if (a instanceof String x) {
      return Arrays.compareUnsigned(
          x.getBytes(StandardCharsets.UTF_8), ((String) b).getBytes(StandardCharsets.UTF_8));
    }
    @SuppressWarnings("unchecked")
    Comparable<Object> x = (Comparable<Object>) a;
    return x.compareTo(b);
  }

  private static Comparator<List<Object>> order(List<SortKey> keys) {
    return (x, y) -> {
      for (SortKey k : keys) {
        Object a = x.get(k.ordinal());
        Object b = y.get(k.ordinal());
        int c;
        if (a == null || b == null) {
          c = a == b ? 0 : (a == null) == k.nullsFirst() ? -1 : 1;
        } else {
          c = k.descending() ? compare(b, a) : compare(a, b);
        }
        if (c != 0) {
          return c;
        }
      }
      return 0;
    };
  }

  @Override
  public List<List<Object>> aggregate(PlanNode.Aggregate aggregate) {
    AggregateSpec spec = aggregate.spec();
    Map<List<Object>, List<List<Object>>> groups = new LinkedHashMap<>();
    if (spec.keys().length == 0) {
      groups.put(List.of(), new ArrayList<>());
    }
    for (List<Object> row : rows(aggregate.input())) {
      groups.computeIfAbsent(key(row, spec.keys()), k -> new ArrayList<>()).add(row);
    }
    List<List<Object>> out = new ArrayList<>();
    groups.forEach(
        (key, rows) -> {
          List<Object> row = new ArrayList<>(key);
          spec.calls().forEach(call -> row.add(value(call, rows)));
          out.add(row);
        });
    return out;
  }

  private static Object value(AggregateCall call, List<List<Object>> all) {
    List<List<Object>> rows =
        all.stream()
            .filter(r -> call.filter() < 0 || Boolean.TRUE.equals(r.get(call.filter())))
            .filter(r -> call.argument() < 0 || r.get(call.argument()) != null)
            .sorted(order(call.order()))
            .toList();
    List<Object> values =
        call.argument() < 0
            ? new ArrayList<>(rows)
            : new ArrayList<>(rows.stream().map(r -> r.get(call.argument())).toList());
    if (call.distinct()) {
      values = new ArrayList<>(new LinkedHashSet<>(values));
    }
    if (values.isEmpty()) {
      return call.function() == yardage.core.plan.AggregateFunction.COUNT ? (Object) 0L : null;
    }
    return switch (call.function()) {
      case COUNT -> (long) values.size();
      case SUM ->
          values.get(0) instanceof BigDecimal
              ? values.stream().map(BigDecimal.class::cast).reduce(BigDecimal::add).get()
              : (Object) sum(values);
      case AVG ->
          values.get(0) instanceof BigDecimal
              ? values.stream()
                  .map(BigDecimal.class::cast)
                  .reduce(BigDecimal::add)
                  .get()
                  .divide(
                      BigDecimal.valueOf(values.size()), call.type().scale(), RoundingMode.HALF_UP)
              : (Object)
                  values.stream().mapToLong(v -> ((Number) v).longValue()).average().getAsDouble();
      case MIN -> Collections.min(values, NaivePlans::compare);
      case MAX -> Collections.max(values, NaivePlans::compare);
      case FIRST -> values.get(0);
      case LAST -> values.get(values.size() - 1);
      case LIST -> values;
      case MODE -> {
        List<Object> counted = values;
        yield values.stream()
            .min(
                Comparator.<Object>comparingInt(v -> -Collections.frequency(counted, v))
                    .thenComparing(NaivePlans::compare))
            .get();
      }
      default -> throw new UnsupportedOperationException(call.function().toString());
    };
  }

  /** Whether a sum that is too large on its way is refused depends on the order. */
  private static long sum(List<Object> values) {
    BigInteger all = BigInteger.ZERO;
    for (Object v : values) {
      all = all.add(BigInteger.valueOf(((Number) v).longValue()).abs());
    }
    if (all.bitLength() > 63) {
      throw new TooManyException();
    }
    return values.stream().mapToLong(v -> ((Number) v).longValue()).sum();
  }

  @Override
  public List<List<Object>> dedupe(PlanNode.Deduplicate dedupe) {
    Comparator<List<Object>> order = order(dedupe.spec().order());
    List<List<Object>> rows = rows(dedupe.input());
    Map<List<Object>, Integer> winner = new HashMap<>();
    for (int r = 0; r < rows.size(); r++) {
      List<Object> key = key(rows.get(r), dedupe.spec().keys());
      Integer best = winner.get(key);
      int c = best == null ? 0 : order.compare(rows.get(r), rows.get(best));
      if (best == null || (dedupe.spec().keepLast() ? c >= 0 : c < 0)) {
        winner.put(key, r);
      }
    }
    return winner.values().stream().sorted().map(rows::get).toList();
  }

  @Override
  public List<List<Object>> union(PlanNode.Union union) {
    return new ArrayList<>(union.inputs().stream().flatMap(i -> rows(i).stream()).toList());
  }

  @Override
  public List<List<Object>> sort(PlanNode.Sort sort) {
    SortSpec spec = sort.spec();
    return rows(sort.input()).stream()
        .sorted(order(spec.keys()))
        .skip(spec.offset())
        .limit(spec.fetch() < 0 ? Long.MAX_VALUE : spec.fetch())
        .toList();
  }

  @Override
  public List<List<Object>> border(PlanNode.Border border) {
    List<List<Object>> rows = rows(border.input());
    border.outOf().ifPresent(step -> rowsOut.put(step, (long) rows.size()));
    return rows;
  }

  @Override
  public List<List<Object>> kept(PlanNode.Kept node) {
    List<List<Object>> there = kept.get(node.name());
    if (there == null) {
      there = rows(node.input());
      kept.put(node.name(), there);
    }
    return there;
  }

  @Override
  public List<List<Object>> apply(PlanNode.Apply apply) {
    throw new UnsupportedOperationException();
  }

  /** Windows over whole partitions, and numbers by a total order. */
  @Override
  public List<List<Object>> whole(PlanNode.Whole whole) {
    List<List<Object>> rows = rows(whole.input());
    List<List<Object>> out = new ArrayList<>(rows.stream().map(ArrayList::new).toList());
    WindowStep window = (WindowStep) whole.spec().what();
    for (WindowStep.Call call : window.calls()) {
      Map<List<Object>, List<Integer>> partitions = new HashMap<>();
      for (int r = 0; r < rows.size(); r++) {
        partitions
            .computeIfAbsent(key(rows.get(r), window.partition()), k -> new ArrayList<>())
            .add(r);
      }
      for (List<Integer> part : partitions.values()) {
        part.sort(Comparator.comparing(rows::get, order(window.order())));
        for (int i = 0; i < part.size(); i++) {
          out.get(part.get(i)).add(call instanceof WindowStep.Rank ? i + 1L : (long) part.size());
        }
      }
    }
    return out;
  }
}
