package yardage.core.testing;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.exec.WindowStep;
import yardage.core.expr.CaseWhen;
import yardage.core.expr.Comparison;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.expr.Logic;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.GivenRows;
import yardage.core.plan.JoinKind;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;

/**
 * Random plans over random rows, each of whose steps has a name and borders. What they give does
 * not depend on an order that nobody has defined.
 */
public final class RandomPlans {
  private final SplittableRandom random;
  private final RandomColumns columns;
  private int steps;

  /**
   * A plan as far as it is made.
   *
   * @param ordered whether the order of its rows is defined
   */
  private record Made(PlanNode node, String step, boolean ordered) {
    Schema schema() {
      return node.schema();
    }
  }

  public RandomPlans(long seed) {
    random = new SplittableRandom(seed);
    columns = new RandomColumns(seed);
  }

  public PlanNode plan() {
    return out(made(1 + random.nextInt(4)));
  }

  private String step() {
    return "s" + steps++;
  }

  private static PlanNode out(Made made) {
    return new PlanNode.Border(made.node(), Optional.of(made.step()), Optional.empty(), false);
  }

  /** The rows of one step on their way into another. */
  private static PlanNode into(Made from, String step, boolean right) {
    return from.step().isEmpty()
        ? new PlanNode.Border(from.node(), Optional.empty(), Optional.of(step), right)
        : new PlanNode.Border(from.node(), Optional.of(from.step()), Optional.of(step), right);
  }

  private Made made(int depth) {
    if (depth == 0) {
      return scan();
    }
    Made input = made(depth - 1);
    return switch (random.nextInt(10)) {
      case 0 -> filter(input);
      case 1 -> project(input);
      case 2, 3 -> join(input, made(random.nextInt(depth)));
      case 4, 5 -> aggregate(input);
      case 6 -> dedupe(input);
      case 7 -> sort(input);
      case 8 -> window(input);
      default -> union(input);
    };
  }

  private Made scan() {
    String step = step();
    List<Schema.Field> fields = new ArrayList<>();
    fields.add(new Schema.Field("c0", Type.INT));
    fields.add(new Schema.Field("c1", Type.VARCHAR));
    for (int c = 2; c < 2 + random.nextInt(3); c++) {
      fields.add(
          new Schema.Field(
              "c" + c, RandomColumns.PLAIN.get(random.nextInt(RandomColumns.PLAIN.size()))));
    }
    Schema schema = new Schema(fields);
    int rows = random.nextInt(8) == 0 ? 0 : random.nextInt(random.nextInt(6) == 0 ? 6000 : 400);
    int keys = 1 + random.nextInt(Math.max(1, rows));
    List<Batch> batches = new ArrayList<>();
    for (int at = 0; at < rows; ) {
      int n = Math.min(rows - at, 1 + random.nextInt(random.nextInt(3) == 0 ? 3000 : 40));
      List<Column> all = new ArrayList<>();
      Object[] ints = new Object[n];
      Object[] texts = new Object[n];
      boolean heavy = random.nextInt(4) == 0;
      for (int i = 0; i < n; i++) {
        int k = heavy && random.nextBoolean() ? 7 : random.nextInt(keys);
        ints[i] = random.nextInt(12) == 0 ? null : k;
        texts[i] = random.nextInt(12) == 0 ? null : "key " + random.nextInt(keys);
      }
      all.add(Rows.column(Type.INT, Arrays.asList(ints)));
      all.add(Rows.column(Type.VARCHAR, Arrays.asList(texts)));
      for (int c = 2; c < schema.size(); c++) {
        all.add(columns.column(schema.field(c).type(), n));
      }
      batches.add(new Batch(all, n, 0));
      at += n;
    }
    return new Made(new PlanNode.Scan(GivenRows.of(schema, batches), schema, step), step, true);
  }

  private int column(Schema schema) {
    return random.nextInt(schema.size());
  }

  private static Expression input(Schema schema, int column) {
    return Expression.input(column, schema.field(column).type());
  }

  private Expression condition(Schema schema) {
    int c = column(schema);
    Expression value = input(schema, c);
    Expression test =
        switch (schema.field(c).type().kind()) {
          case INT ->
              new Comparison(
                  Comparison.Op.values()[random.nextInt(6)],
                  value,
                  Literal.of(Type.INT, random.nextInt(100)));
          case VARCHAR ->
              new Comparison(
                  Comparison.Op.values()[random.nextInt(6)],
                  value,
                  Literal.of(Type.VARCHAR, "key " + random.nextInt(50)));
          case BOOLEAN -> value;
          default -> new Logic.IsNull(value, true);
        };
    return random.nextInt(4) == 0
        ? new Logic.Junction(
            random.nextBoolean(), test, new Logic.IsNull(input(schema, column(schema)), false))
        : test;
  }

  private Made filter(Made from) {
    String step = step();
    return new Made(
        new PlanNode.Filter(into(from, step, false), condition(from.schema()), List.of(), step),
        step,
        from.ordered());
  }

  private Made project(Made from) {
    String step = step();
    Schema in = from.schema();
    List<Expression> out = new ArrayList<>();
    List<Schema.Field> fields = new ArrayList<>();
    for (int c = 0; c < 1 + random.nextInt(in.size() + 1); c++) {
      int of = column(in);
      Expression value = input(in, of);
      if (random.nextInt(4) == 0) {
        value =
            new CaseWhen(
                List.of(condition(in)),
                List.of(value),
                Literal.of(value.type(), null),
                value.type());
      }
      out.add(value);
      fields.add(new Schema.Field("p" + c, value.type()));
    }
    return new Made(
        new PlanNode.Project(into(from, step, false), out, new Schema(fields)),
        step,
        from.ordered());
  }

  private Made join(Made left, Made right) {
    List<int[]> pairs = new ArrayList<>();
    for (int l = 0; l < left.schema().size(); l++) {
      for (int r = 0; r < right.schema().size(); r++) {
        Type type = left.schema().field(l).type();
        if (type.equals(right.schema().field(r).type())
            && !type.isNested()
            && type.kind() != Type.Kind.BOOLEAN) {
          pairs.add(new int[] {l, r});
        }
      }
    }
    if (pairs.isEmpty()) {
      return filter(left);
    }
    String step = step();
    int count = random.nextInt(3) == 0 ? Math.min(2, pairs.size()) : 1;
    int[] leftKeys = new int[count];
    int[] rightKeys = new int[count];
    for (int k = 0; k < count; k++) {
      int[] pair = pairs.get(random.nextInt(pairs.size()));
      leftKeys[k] = pair[0];
      rightKeys[k] = pair[1];
    }
    JoinKind kind = JoinKind.values()[random.nextInt(JoinKind.values().length)];
    List<Schema.Field> wide = new ArrayList<>();
    for (Schema.Field f : left.schema().fields()) {
      wide.add(new Schema.Field("j" + wide.size(), f.type()));
    }
    int leftSize = wide.size();
    for (Schema.Field f : right.schema().fields()) {
      wide.add(new Schema.Field("j" + wide.size(), f.type()));
    }
    Optional<Expression> residual =
        random.nextInt(3) == 0 ? Optional.of(condition(new Schema(wide))) : Optional.empty();
    boolean leftOnly = !kind.givesRight();
    Schema schema =
        new Schema(
            wide.subList(kind.givesLeft() ? 0 : leftSize, leftOnly ? leftSize : wide.size()));
    return new Made(
        new PlanNode.Join(
            into(left, step, false),
            into(right, step, true),
            kind,
            leftKeys,
            rightKeys,
            residual,
            schema,
            step),
        step,
        leftOnly && left.ordered());
  }

  private static List<SortKey> total(Schema schema, SplittableRandom random) {
    List<SortKey> out = new ArrayList<>();
    for (int c = 0; c < schema.size(); c++) {
      if (!schema.field(c).type().isNested()) {
        out.add(new SortKey(c, random.nextBoolean(), random.nextBoolean()));
      }
    }
    return out;
  }

  private static boolean isPlain(Schema schema) {
    return schema.fields().stream().noneMatch(f -> f.type().isNested());
  }

  private Made aggregate(Made from) {
    String step = step();
    Schema in = from.schema();
    int[] keys =
        IntStream.range(0, in.size())
            .filter(c -> random.nextInt(in.size()) == 0 && !in.field(c).type().isNested())
            .toArray();
    List<AggregateCall> calls = new ArrayList<>();
    List<Schema.Field> fields = new ArrayList<>();
    for (int k : keys) {
      fields.add(new Schema.Field("g" + fields.size(), in.field(k).type()));
    }
    for (int n = 1 + random.nextInt(3); n > 0; n--) {
      AggregateCall call = call(in);
      calls.add(call);
      fields.add(new Schema.Field("g" + fields.size(), call.type()));
    }
    return new Made(
        new PlanNode.Aggregate(into(from, step, false), keys, calls, new Schema(fields), step),
        step,
        false);
  }

  private AggregateCall call(Schema in) {
    int c = column(in);
    Type type = in.field(c).type();
    int filter =
        IntStream.range(0, in.size())
            .filter(b -> in.field(b).type().kind() == Type.Kind.BOOLEAN && random.nextBoolean())
            .findFirst()
            .orElse(-1);
    List<SortKey> order = total(in, random);
    boolean whole =
        type.kind() == Type.Kind.INT
            || type.kind() == Type.Kind.BIGINT
            || type.kind() == Type.Kind.DECIMAL;
    return switch (random.nextInt(type.isNested() ? 1 : 8)) {
      case 1 ->
          new AggregateCall(AggregateFunction.COUNT, c, random.nextBoolean(), filter, Type.BIGINT);
      case 2 ->
          whole
              ? new AggregateCall(
                  AggregateFunction.SUM, c, random.nextInt(4) == 0, filter, NumberTypes.sum(type))
              : new AggregateCall(AggregateFunction.MIN, c, false, filter, type);
      case 3 ->
          type.kind() == Type.Kind.INT || type.kind() == Type.Kind.DECIMAL
              ? new AggregateCall(
                  AggregateFunction.AVG, c, false, filter, NumberTypes.average(type))
              : new AggregateCall(AggregateFunction.MAX, c, false, filter, type);
      case 4 -> new AggregateCall(AggregateFunction.FIRST, c, false, filter, type, order, "");
      case 5 -> new AggregateCall(AggregateFunction.LAST, c, false, filter, type, order, "");
      case 7 -> new AggregateCall(AggregateFunction.MODE, c, false, filter, type);
      case 6 ->
          isPlain(in)
              ? new AggregateCall(
                  AggregateFunction.LIST, c, false, filter, Type.list(type), order, "")
              : new AggregateCall(AggregateFunction.MAX, c, false, filter, type);
      default -> new AggregateCall(AggregateFunction.COUNT, -1, false, filter, Type.BIGINT);
    };
  }

  private Made dedupe(Made from) {
    Schema in = from.schema();
    boolean byOrder = random.nextBoolean() || !from.ordered();
    int[] keys =
        IntStream.range(0, in.size())
            .filter(c -> random.nextInt(2) == 0 && !in.field(c).type().isNested())
            .toArray();
    if (keys.length == 0 || byOrder && !isPlain(in)) {
      return filter(from);
    }
    String step = step();
    return new Made(
        new PlanNode.Deduplicate(
            into(from, step, false),
            keys,
            byOrder ? total(in, random) : List.of(),
            random.nextBoolean(),
            step),
        step,
        from.ordered());
  }

  private Made sort(Made from) {
    Schema in = from.schema();
    if (!isPlain(in)) {
      return filter(from);
    }
    String step = step();
    List<SortKey> keys = total(in, random);
    if (from.ordered() && keys.size() > 1 && random.nextBoolean()) {
      // Ties stay as they came.
      keys = keys.subList(0, 1);
    }
    boolean cut = random.nextInt(3) == 0;
    return new Made(
        new PlanNode.Sort(
            into(from, step, false),
            keys,
            cut ? random.nextInt(50) : 0,
            cut ? random.nextInt(300) : -1,
            step),
        step,
        true);
  }

  private Made window(Made from) {
    Schema in = from.schema();
    if (!isPlain(in)) {
      return filter(from);
    }
    String step = step();
    int[] partition = random.nextInt(4) == 0 ? new int[0] : new int[] {column(in)};
    AggregateCall count = new AggregateCall(AggregateFunction.COUNT, -1, false, -1, Type.BIGINT);
    List<WindowStep.Call> calls =
        List.of(
            new WindowStep.Rank(WindowStep.Ranking.ROW_NUMBER, 0),
            new WindowStep.Total(count, WindowStep.Frame.WHOLE));
    List<Schema.Field> fields = new ArrayList<>(in.fields());
    fields.add(new Schema.Field("w" + steps, Type.BIGINT));
    fields.add(new Schema.Field("v" + steps, Type.BIGINT));
    return new Made(
        new PlanNode.Whole(
            into(from, step, false),
            new WindowStep(partition, total(in, random), calls),
            "rows in windows",
            new Schema(fields),
            step),
        step,
        from.ordered());
  }

  /** A step read twice, with something else in between. */
  private Made union(Made from) {
    String step = step();
    String name = "kept " + from.step();
    PlanNode kept = new PlanNode.Kept(out(from), name, from.step());
    Made again = new Made(kept, "", from.ordered());
    Made other = random.nextBoolean() ? filter(again) : again;
    return new Made(
        new PlanNode.Union(
            List.of(into(again, step, false), into(other, step, false)), from.schema()),
        step,
        from.ordered());
  }
}
