package yardage.core.plan;

import java.lang.reflect.RecordComponent;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.Collection;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.CaseWhen;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;

/**
 * Computes once what stands in the expressions of a projection several times: a projection below
 * has it as a column. Something that only some rows reach, behind a condition of CASE, is not
 * computed for the others on that account, since it may fail on them; where all rows reach it
 * somewhere, the others take it from there.
 */
public final class SharedExpressions {
  private final Map<Expression, Seen> seen = new LinkedHashMap<>();

  private static final class Seen {
    private int times;
    private boolean always;
  }

  private SharedExpressions() {}

  /** A projection, over another of what it has several times. */
  public static PlanNode project(PlanNode input, List<Expression> expressions, Schema schema) {
    SharedExpressions counted = new SharedExpressions();
    expressions.forEach(e -> counted.count(e, true));
    List<Expression> shared =
        counted.seen.entrySet().stream()
            .filter(e -> e.getValue().times > 1 && e.getValue().always)
            .map(Map.Entry::getKey)
            .toList();
    if (shared.isEmpty()) {
      return new PlanNode.Project(input, expressions, schema);
    }
    // What is left of the input are the columns that somebody reads.
    BitSet read = new BitSet();
    expressions.forEach(e -> ExpressionInputs.add(e, read));
    List<Expression> below = new ArrayList<>();
    List<Schema.Field> fields = new ArrayList<>();
    Map<Expression, Expression> placed = new HashMap<>();
    read.stream()
        .forEach(
            column -> {
              Schema.Field field = input.schema().field(column);
              Expression own = Expression.input(column, field.type());
              placed.put(own, Expression.input(below.size(), field.type()));
              below.add(own);
              fields.add(field);
            });
    for (Expression e : shared) {
      placed.put(e, Expression.input(below.size(), e.type()));
      fields.add(new Schema.Field("shared " + below.size(), e.type()));
      below.add(e);
    }
    return new PlanNode.Project(
        project(input, below, new Schema(fields)),
        expressions.stream().map(e -> (Expression) placed(e, placed)).toList(),
        schema);
  }

  private void count(Object part, boolean always) {
    if (part instanceof Expression.Input || part instanceof Literal) {
      return;
    }
    if (part instanceof Expression e) {
      Seen known = seen.computeIfAbsent(e, x -> new Seen());
      known.always |= always;
      if (++known.times > 1) {
        // What is inside comes along, and is looked at with the projection below.
        return;
      }
    }
    if (part instanceof CaseWhen c) {
      count(c.conditions().get(0), always);
      count(c.conditions().subList(1, c.conditions().size()), false);
      count(c.results(), false);
      count(c.otherwise(), false);
    } else if (part instanceof Optional<?> held) {
      held.ifPresent(v -> count(v, always));
    } else if (part instanceof Collection<?> many) {
      many.forEach(v -> count(v, always));
    } else if (part instanceof Record r) {
      for (RecordComponent c : RecordCodec.components(r)) {
        count(RecordCodec.component(c, r), always);
      }
    }
  }

  /** The same with columns of the projection below in place of what that has. */
  private static Object placed(Object part, Map<Expression, Expression> places) {
    if (part instanceof Expression e && places.containsKey(e)) {
      return places.get(e);
    } else if (part instanceof Literal || part instanceof Type) {
      return part;
    } else if (part instanceof Optional<?> held) {
      return held.map(v -> placed(v, places));
    } else if (part instanceof List<?> many) {
      return many.stream().map(v -> placed(v, places)).toList();
    } else if (part instanceof Record r) {
      RecordComponent[] components = RecordCodec.components(r);
      Object[] values = new Object[components.length];
      boolean changed = false;
      for (int c = 0; c < values.length; c++) {
        Object before = RecordCodec.component(components[c], r);
        values[c] = placed(before, places);
        changed |= !values[c].equals(before);
      }
      return changed ? RecordCodec.made(r, values) : r;
    }
    return part;
  }
}
