package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.Function;
import java.util.regex.Matcher;
import java.util.stream.IntStream;
import org.apache.calcite.sql.SqlNode;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.pipeline.read.ColumnChoice;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.sql.PlanSession;
import yardage.core.step.CastStep;

/**
 * Shape steps: clean texts and rename; cut and join texts; cast; then set, drop and put in order.
 */
final class ShapeCompiler {
  private final StepTools tools;
  private final PipelineDocument.Step step;
  private final Verb.Shape shape;

  ShapeCompiler(StepTools tools, PipelineDocument.Step step, Verb.Shape shape) {
    this.tools = tools;
    this.step = step;
    this.shape = shape;
  }

  Optional<StepBody> compile(Schema input) {
    return cleaned(input)
        .flatMap(clean -> then(clean, this::split))
        .flatMap(split -> then(split, this::combined))
        .flatMap(whole -> then(whole, this::cast))
        .flatMap(cast -> then(cast, this::finished));
  }

  private static Optional<StepBody> then(
      StepBody before, Function<Schema, Optional<StepBody>> next) {
    return next.apply(before.schema()).map(after -> StepTools.then(before, after));
  }

  private static StepBody same(Schema input) {
    return new StepBody(input, rels -> rels.get(0));
  }

  /** Adds columns for the parts of texts; the last one has what is left. */
  private Optional<StepBody> split(Schema input) {
    List<SqlNode> items = StepTools.columns(input);
    Schema known = input;
    for (Map.Entry<Located, Verb.Shape.Split> e : shape.split().entrySet()) {
      int at = tools.problems.column(step, e.getKey(), input);
      if (at < 0) {
        return Optional.empty();
      }
      Schema.Field f = input.field(at);
      if (f.type().kind() != Type.Kind.VARCHAR) {
        tools.problems.problem(
            step,
            e.getKey(),
            "wrong-type",
            "[%s] is %s; only varchar can be split".formatted(f.name(), f.type()));
        return Optional.empty();
      }
      List<Located> into = e.getValue().into();
      for (int i = 0; i < into.size(); i++) {
        Optional<Schema> more = added(into.get(i), known);
        if (more.isEmpty()) {
          return Optional.empty();
        }
        known = more.get();
        items.add(
            StepTools.as(
                tools.session.parseExpression(
                    "SPLIT_TEXT(%s, %s, %d)[%d]"
                        .formatted(
                            StepTools.quoted(f.name()),
                            PlanSession.constant(e.getValue().by().text()),
                            into.size(),
                            i + 1),
                    1,
                    1),
                into.get(i).text()));
      }
    }
    return shape.split().isEmpty() ? Optional.of(same(input)) : tools.select(step, items, input);
  }

  /** Adds columns that are made of others, with something between them; nulls are skipped. */
  private Optional<StepBody> combined(Schema input) {
    List<SqlNode> items = StepTools.columns(input);
    Schema known = input;
    for (Map.Entry<Located, Verb.Shape.Combine> e : shape.combine().entrySet()) {
      Optional<Schema> more = added(e.getKey(), known);
      if (more.isEmpty()) {
        return Optional.empty();
      }
      known = more.get();
      List<String> parts = new ArrayList<>();
      parts.add(PlanSession.constant(e.getValue().between()));
      for (Located c : e.getValue().columns()) {
        int at = tools.problems.column(step, c, input);
        if (at < 0) {
          return Optional.empty();
        }
        parts.add(StepTools.quoted(input.field(at).name()));
      }
      items.add(
          StepTools.as(
              tools.session.parseExpression("JOIN_TEXT(" + String.join(", ", parts) + ")", 1, 1),
              e.getKey().text()));
    }
    return shape.combine().isEmpty() ? Optional.of(same(input)) : tools.select(step, items, input);
  }

  /** The columns with one more; empty, with the problem noted, when it is there already. */
  private Optional<Schema> added(Located name, Schema known) {
    if (!tools.isNew(step, name, known)) {
      return Optional.empty();
    }
    List<Schema.Field> all = new ArrayList<>(known.fields());
    all.add(new Schema.Field(name.text(), Type.VARCHAR));
    return Optional.of(new Schema(all));
  }

  /** Ordinals of text columns; others chosen by name are a problem, by rule they are skipped. */
  private Set<Integer> texts(Optional<ColumnChoice> choice, Schema input, String what) {
    Set<Integer> out = new TreeSet<>();
    if (choice.isEmpty()) {
      return out;
    }
    for (int c : tools.problems.choose(step, choice.get(), input)) {
      if (input.field(c).type().kind() == Type.Kind.VARCHAR) {
        out.add(c);
      } else {
        choice.get().names().stream()
            .filter(n -> n.text().equalsIgnoreCase(input.field(c).name()))
            .findFirst()
            .ifPresent(
                n ->
                    tools.problems.problem(
                        step,
                        n,
                        "wrong-type",
                        "[%s] is %s; only varchar can be %s"
                            .formatted(input.field(c).name(), input.field(c).type(), what)));
      }
    }
    return out;
  }

  private Map<Integer, Located> renamed(Schema input) {
    Map<Integer, Located> out = new LinkedHashMap<>();
    shape
        .rename()
        .forEach(
            (from, to) -> {
              if (!from.text().contains("*")) {
                int at = tools.problems.column(step, from, input);
                if (at >= 0) {
                  out.put(at, to);
                }
                return;
              }
              boolean any = false;
              for (int i = 0; i < input.size(); i++) {
                Matcher m = ColumnChoice.pattern(from.text()).matcher(input.field(i).name());
                if (m.matches()) {
                  any = true;
                  String name = to.text();
                  for (int g = 1; g <= m.groupCount(); g++) {
                    name = name.replaceFirst("\\*", Matcher.quoteReplacement(m.group(g)));
                  }
                  out.put(i, new Located(to.value().withText(name), to.field()));
                }
              }
              if (!any) {
                tools.problems.problem(
                    step,
                    from,
                    "unknown-column",
                    "No column has a name like [%s]; there are %s"
                        .formatted(from.text(), String.join(", ", input.names())));
              }
            });
    return out;
  }

  private Optional<StepBody> cleaned(Schema input) {
    Set<Integer> trim = texts(shape.trim(), input, "trimmed");
    Set<Integer> collapse = texts(shape.collapse(), input, "collapsed");
    Set<Integer> upper = texts(shape.upper(), input, "put into upper case");
    Set<Integer> lower = texts(shape.lower(), input, "put into lower case");
    Map<Integer, Located> renamed = renamed(input);
    List<SqlNode> items = new ArrayList<>();
    Set<String> seen = new TreeSet<>();
    boolean changes = !renamed.isEmpty();
    for (int i = 0; i < input.size(); i++) {
      String from = input.field(i).name();
      String name = renamed.containsKey(i) ? renamed.get(i).text() : from;
      if (!seen.add(name.toLowerCase(Locale.ROOT))) {
        renamed.values().stream()
            .filter(v -> v.text().equalsIgnoreCase(name))
            .findFirst()
            .ifPresent(
                at ->
                    tools.problems.problem(
                        step,
                        at,
                        "duplicate-column",
                        "There is a column [%s] already; choose another name or drop that one first"
                            .formatted(name)));
        return Optional.empty();
      }
      String column = StepTools.quoted(from);
      String value = collapse.contains(i) ? "COLLAPSE_BLANKS(" + column + ")" : column;
      value = trim.contains(i) ? "TRIM(BOTH ' ' FROM " + value + ")" : value;
      value = upper.contains(i) ? "UPPER(" + value + ")" : value;
      value = lower.contains(i) ? "LOWER(" + value + ")" : value;
      boolean plain = value.equals(column);
      changes |= !plain;
      items.add(
          StepTools.as(
              plain ? StepTools.identifier(from) : tools.session.parseExpression(value, 1, 1),
              name));
    }
    return changes ? tools.select(step, items, input) : Optional.of(same(input));
  }

  private Optional<StepBody> cast(Schema input) {
    Map<Integer, Type> casts = new TreeMap<>();
    shape
        .cast()
        .forEach(
            (column, type) -> {
              int at = tools.problems.column(step, column, input);
              if (at >= 0 && (input.field(at).type().isNested() || type.isNested())) {
                tools.problems.problem(
                    step,
                    column,
                    "wrong-type",
                    "[%s] is %s and cannot be cast to %s; PARSE_JSON and JSON_TEXT go between texts and nested columns"
                        .formatted(column.text(), input.field(at).type(), type));
              } else if (at >= 0) {
                casts.put(at, type);
              }
            });
    if (casts.isEmpty()) {
      return Optional.of(same(input));
    }
    List<Schema.Field> fields = new ArrayList<>();
    for (int i = 0; i < input.size(); i++) {
      Schema.Field f = input.field(i);
      boolean nullable = f.nullable() || shape.otherwise() == CastStep.Otherwise.NULL;
      fields.add(casts.containsKey(i) ? new Schema.Field(f.name(), casts.get(i), nullable) : f);
    }
    return Optional.of(
        StepTools.rowStep(
            "cast", new Schema(fields), new CastStep(input, casts, shape.otherwise())));
  }

  /** Whether each column is set once; names differ by more than case. */
  private boolean setsOnce() {
    Set<String> seen = new TreeSet<>(String.CASE_INSENSITIVE_ORDER);
    boolean once = true;
    for (Located name : shape.set().keySet()) {
      if (!seen.add(name.text())) {
        once = false;
        tools.problems.problem(
            step,
            name,
            "duplicate-column",
            "[%s] is set already; names of columns differ by more than case"
                .formatted(name.text()));
      }
    }
    return once;
  }

  private Optional<StepBody> finished(Schema input) {
    if (!setsOnce()) {
      return Optional.empty();
    }
    List<Schema.Field> all = new ArrayList<>(input.fields());
    shape.set().keySet().stream()
        .filter(n -> input.indexOf(n.text()) < 0)
        .forEach(n -> all.add(new Schema.Field(n.text(), Type.VARCHAR)));
    Schema after = new Schema(all);
    Set<Integer> dropped = new TreeSet<>();
    shape.drop().ifPresent(choice -> dropped.addAll(tools.problems.choose(step, choice, after)));
    List<Integer> order = new ArrayList<>();
    for (Located name : shape.order()) {
      int at = tools.problems.column(step, name, after);
      if (at >= 0 && !order.contains(at)) {
        order.add(at);
      }
    }
    for (int i = 0; i < after.size(); i++) {
      if (!order.contains(i)) {
        order.add(i);
      }
    }
    order.removeAll(dropped);
    if (order.isEmpty()) {
      tools.problems.problem(
          step,
          shape.drop().flatMap(d -> d.names().stream().findFirst()).orElse(null),
          "no-columns",
          "Step [%s] drops every column".formatted(step.name()));
      return Optional.empty();
    }
    // By ordinal, as the document spells them.
    Map<Integer, String> names = new LinkedHashMap<>();
    List<Located> set = new ArrayList<>();
    shape
        .set()
        .forEach(
            (name, expression) -> {
              int at = after.indexOf(name.text());
              if (dropped.contains(at)) {
                // It has to be sound all the same.
                tools.expression(step, expression, input);
              } else {
                names.put(at, name.text());
                set.add(expression);
              }
            });
    if (set.isEmpty() && order.equals(IntStream.range(0, input.size()).boxed().toList())) {
      return Optional.of(same(input));
    }
    List<Integer> ordinals = List.copyOf(names.keySet());
    return tools.query(
        step,
        set,
        input,
        values -> {
          List<SqlNode> items = new ArrayList<>();
          for (int i : order) {
            items.add(
                names.containsKey(i)
                    ? StepTools.as(values.get(ordinals.indexOf(i)), names.get(i))
                    : StepTools.identifier(after.field(i).name()));
          }
          return StepTools.select(items, "input", null, null);
        });
  }
}
