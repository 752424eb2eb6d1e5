package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.apache.calcite.sql.SqlNode;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.pipeline.read.ColumnChoice;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.sql.PlanSession;
import yardage.core.sql.SqlProblemException;
import yardage.core.step.FillStep;
import yardage.core.step.SampleCount;
import yardage.core.step.SampleStep;
import yardage.core.step.StructStep;
import yardage.core.step.UnnestStep;
import yardage.core.step.UnpivotStep;

/** Steps that change which rows there are, or what stands in them: fill, sample, unnest, pivots. */
final class RowsCompiler {
  private final StepTools tools;
  private final PipelineDocument.Step step;

  RowsCompiler(StepTools tools, PipelineDocument.Step step) {
    this.tools = tools;
    this.step = step;
  }

  Optional<StepBody> fill(Verb.Fill fill, Schema input) {
    List<Integer> columns = tools.problems.choose(step, fill.columns(), input);
    columns = columns.stream().filter(c -> !input.field(c).type().isNested()).toList();
    if (columns.isEmpty()) {
      return nothingChosen(fill.columns(), "fill");
    }
    return fill.group().isPresent()
        ? fillFromGroup(fill, columns, input)
        : fillWith(fill, columns, input);
  }

  private Optional<StepBody> nothingChosen(ColumnChoice choice, String what) {
    tools.problems.problem(
        step,
        choice.names().stream().findFirst().orElse(null),
        "no-columns",
        "Step [%s] chooses no column to %s".formatted(step.name(), what));
    return Optional.empty();
  }

  /** Null, or one of the texts that mean it. */
  private String emptySql(Verb.Fill fill, Schema.Field field) {
    String name = StepTools.quoted(field.name());
    if (fill.tokens().isEmpty() || field.type().kind() != Type.Kind.VARCHAR) {
      return name + " IS NULL";
    }
    return "(%s IS NULL OR %s IN (%s))"
        .formatted(
            name,
            name,
            fill.tokens().stream()
                .map(t -> PlanSession.constant(t.text()))
                .collect(Collectors.joining(", ")));
  }

  private Optional<StepBody> fillWith(Verb.Fill fill, List<Integer> columns, Schema input) {
    Located with = fill.with().orElseThrow();
    Optional<Expression> compiled = tools.compiled(step, with, input);
    if (compiled.isEmpty()) {
      return Optional.empty();
    }
    Expression value = compiled.get();
    List<FillStep.Fill> fills = new ArrayList<>();
    for (int c : columns) {
      Schema.Field field = input.field(c);
      if (!value.type().equals(field.type())
          && StepTools.widest(value.type(), field.type()).isEmpty()) {
        tools.problems.problem(
            step,
            with,
            "unlike-types",
            "[%s] is %s and cannot be filled with %s; choose the columns by type, or cast the value"
                .formatted(field.name(), field.type(), value.type()));
        return Optional.empty();
      }
      fills.add(
          new FillStep.Fill(
              c,
              tools.session.expression(emptySql(fill, field), 1, 1, input),
              Cast.ifNeeded(value, field.type())));
    }
    return Optional.of(StepTools.rowStep("fill", input, new FillStep(input, input.size(), fills)));
  }

  /** The group's values come as columns of windows, which the filling takes and drops. */
  private Optional<StepBody> fillFromGroup(Verb.Fill fill, List<Integer> columns, Schema input) {
    for (Located by : fill.by()) {
      if (tools.problems.column(step, by, input) < 0) {
        return Optional.empty();
      }
    }
    String partition = StepTools.partition(fill.by());
    String order =
        fill.order().isEmpty() ? "" : " ORDER BY " + tools.orderSql(step, fill.order(), input);
    List<SqlNode> items = StepTools.columns(input);
    Verb.Fill.GroupValue from = fill.group().orElseThrow();
    for (int c : columns) {
      Schema.Field f = input.field(c);
      String value =
          "CASE WHEN %s THEN NULL ELSE %s END"
              .formatted(emptySql(fill, f), StepTools.quoted(f.name()));
      if (from == Verb.Fill.GroupValue.AVERAGE && !f.type().isNumeric()) {
        tools.problems.problem(
            step,
            fill.columns().names().stream().findFirst().orElse(null),
            "wrong-type",
            "[%s] is %s, and only numbers have an average".formatted(f.name(), f.type()));
        return Optional.empty();
      }
      String sql =
          switch (from) {
            case BEFORE ->
                "LAST_VALUE(%s) IGNORE NULLS OVER (%s%s ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW)"
                    .formatted(value, partition, order);
            case BEHIND ->
                "FIRST_VALUE(%s) IGNORE NULLS OVER (%s%s ROWS BETWEEN CURRENT ROW AND UNBOUNDED FOLLOWING)"
                    .formatted(value, partition, order);
            case AVERAGE -> "AVG(%s) OVER (%s)".formatted(value, partition);
            case COMMON -> StepTools.quoted("common " + c);
          };
      items.add(StepTools.as(tools.session.parseExpression(sql, 1, 1), "fill " + c));
    }
    Optional<StepBody> first =
        from == Verb.Fill.GroupValue.COMMON
            ? common(fill, columns, partition, input)
            : Optional.of(new StepBody(input, rels -> rels.get(0)));
    return first.flatMap(
        before ->
            tools
                .select(step, items, before.schema())
                .map(
                    windows -> {
                      List<FillStep.Fill> fills = new ArrayList<>();
                      for (int i = 0; i < columns.size(); i++) {
                        int c = columns.get(i);
                        Schema wide = windows.schema();
                        int at = input.size() + i;
                        Expression value = Expression.input(at, wide.field(at).type());
                        fills.add(
                            new FillStep.Fill(
                                c,
                                tools.session.expression(
                                    emptySql(fill, input.field(c)), 1, 1, wide),
                                Cast.ifNeeded(value, input.field(c).type())));
                      }
                      return StepTools.then(
                          StepTools.then(before, windows),
                          StepTools.rowStep(
                              "fill", input, new FillStep(windows.schema(), input.size(), fills)));
                    }));
  }

  /** The most frequent value, of several the smallest: counted, then ranked, in two windows. */
  private Optional<StepBody> common(
      Verb.Fill fill, List<Integer> columns, String partition, Schema input) {
    List<SqlNode> counted = StepTools.columns(input);
    List<SqlNode> ranked = StepTools.columns(input);
    for (int c : columns) {
      String name = StepTools.quoted(input.field(c).name());
      String empty = emptySql(fill, input.field(c));
      counted.add(
          StepTools.as(
              tools.session.parseExpression(
                  "CASE WHEN %s THEN 0 ELSE COUNT(*) OVER (%s %s) END"
                      .formatted(
                          empty, partition.isEmpty() ? "PARTITION BY " : partition + ", ", name),
                  1,
                  1),
              "count " + c));
      ranked.add(
          StepTools.as(
              tools.session.parseExpression(
                  "FIRST_VALUE(CASE WHEN %s THEN NULL ELSE %s END) OVER (%s ORDER BY %s DESC, %s ROWS BETWEEN UNBOUNDED PRECEDING AND UNBOUNDED FOLLOWING)"
                      .formatted(empty, name, partition, StepTools.quoted("count " + c), name),
                  1,
                  1),
              "common " + c));
    }
    return tools
        .select(step, counted, input)
        .flatMap(a -> tools.select(step, ranked, a.schema()).map(b -> StepTools.then(a, b)));
  }

  Optional<StepBody> sample(Verb.Sample sample, Schema input) {
    int[] by =
        sample.by().isEmpty()
            ? input.ordinals()
            : sample.by().stream().mapToInt(b -> tools.problems.column(step, b, input)).toArray();
    if (Arrays.stream(by).anyMatch(c -> c < 0)) {
      return Optional.empty();
    }
    return Optional.of(
        sample.share().isPresent()
            ? StepTools.rowStep(
                "sample", input, new SampleStep(by, sample.share().get(), sample.seed()))
            : StepTools.wholeStep(
                "sample",
                "rows to sample from",
                input,
                new SampleCount(by, sample.rows().orElseThrow(), sample.seed())));
  }

  Optional<StepBody> unnest(Verb.Unnest unnest, Schema input) {
    int at = tools.problems.column(step, unnest.column(), input);
    if (at < 0) {
      return Optional.empty();
    }
    Type type = input.field(at).type();
    boolean list = type.kind() == Type.Kind.LIST || type.kind() == Type.Kind.MAP;
    if (!list && type.kind() != Type.Kind.STRUCT) {
      tools.problems.problem(
          step,
          unnest.column(),
          "wrong-type",
          "[%s] is %s; only lists, maps and structs can be unnested"
              .formatted(unnest.column().text(), type));
      return Optional.empty();
    }
    List<Schema.Field> fields = new ArrayList<>();
    for (int i = 0; i < input.size(); i++) {
      if (i != at) {
        fields.add(input.field(i));
      }
    }
    Type element = type.kind() == Type.Kind.MAP ? type.entry() : list ? type.element() : type;
    String prefix = unnest.prefix().orElse("");
    if (element.kind() == Type.Kind.STRUCT) {
      element
          .parts()
          .forEach(
              p ->
                  fields.add(
                      new Schema.Field(prefix + p.name().replaceFirst("^@", ""), p.type(), true)));
    } else {
      fields.add(new Schema.Field(prefix + input.field(at).name(), element, true));
    }
    unnest.position().ifPresent(p -> fields.add(new Schema.Field(p.text(), Type.INT, true)));
    Schema schema;
    try {
      schema = new Schema(fields);
    } catch (IllegalArgumentException e) {
      tools.problems.problem(
          step,
          unnest.column(),
          "duplicate-column",
          e.getMessage()
              + " after the unnesting; give its columns a prefix, as in prefix: %s_"
                  .formatted(input.field(at).name()));
      return Optional.empty();
    }
    return Optional.of(
        StepTools.rowStep(
            "unnest",
            schema,
            list
                ? new UnnestStep(at, unnest.keepEmpty(), unnest.position().isPresent())
                : new StructStep(at)));
  }

  Optional<StepBody> pivot(Verb.Pivot pivot, Schema input) {
    int at = tools.problems.column(step, pivot.names(), input);
    List<SqlNode> items = new ArrayList<>();
    List<SqlNode> groups = new ArrayList<>();
    boolean sound = at >= 0;
    for (Located by : pivot.by()) {
      int b = tools.problems.column(step, by, input);
      sound &= b >= 0;
      if (b >= 0) {
        items.add(StepTools.identifier(input.field(b).name()));
        groups.add(StepTools.identifier(input.field(b).name()));
      }
    }
    if (!sound) {
      return Optional.empty();
    }
    boolean one = pivot.set().size() == 1;
    for (Map.Entry<Located, Located> set : pivot.set().entrySet()) {
      Optional<SqlNode> whole = tools.expression(step, set.getValue(), input);
      if (whole.isEmpty()) {
        return Optional.empty();
      }
      for (Located value : pivot.values()) {
        // The aggregate over the rows of that value alone.
        String column = plainName(value.text()) + (one ? "" : "_" + set.getKey().text());
        String filtered =
            "%s FILTER (WHERE CAST(%s AS VARCHAR) = %s)"
                .formatted(
                    set.getValue().value().text(),
                    StepTools.quoted(input.field(at).name()),
                    PlanSession.constant(value.text()));
        try {
          items.add(StepTools.as(tools.session.parseExpression(filtered, 1, 1), column));
        } catch (SqlProblemException e) {
          tools.problems.problem(
              step,
              set.getValue(),
              "wrong-sql",
              "[%s] must be one aggregate function, as in sum(metres); compute with its columns in a shape step behind"
                  .formatted(set.getValue().text()));
          return Optional.empty();
        }
      }
    }
    return tools.query(
        step,
        StepTools.select(
            items,
            "input",
            null,
            new org.apache.calcite.sql.SqlNodeList(
                groups, org.apache.calcite.sql.parser.SqlParserPos.ZERO)),
        input);
  }

  /** A value as the name of a column. */
  private static String plainName(String value) {
    String plain =
        value
            .strip()
            .toLowerCase(Locale.ROOT)
            .replaceAll("[^\\p{L}\\p{N}]+", "_")
            .replaceAll("^_|_$", "");
    return plain.isEmpty() ? "empty" : Character.isDigit(plain.charAt(0)) ? "v" + plain : plain;
  }

  Optional<StepBody> unpivot(Verb.Unpivot unpivot, Schema input) {
    List<Integer> columns = tools.problems.choose(step, unpivot.columns(), input);
    if (columns.isEmpty()) {
      return nothingChosen(unpivot.columns(), "make rows of");
    }
    Type type = input.field(columns.get(0)).type();
    for (int c : columns) {
      Optional<Type> both = StepTools.widest(type, input.field(c).type());
      if (both.isEmpty()) {
        tools.problems.problem(
            step,
            unpivot.columns().names().stream().findFirst().orElse(unpivot.values()),
            "unlike-types",
            "[%s] is %s and [%s] is %s, and one column must hold both; cast them in a shape step before"
                .formatted(
                    input.field(columns.get(0)).name(),
                    type,
                    input.field(c).name(),
                    input.field(c).type()));
        return Optional.empty();
      }
      type = both.get();
    }
    Type common = type;
    int[] stay = IntStream.range(0, input.size()).filter(i -> !columns.contains(i)).toArray();
    List<Schema.Field> fields = new ArrayList<>();
    for (int c : stay) {
      fields.add(input.field(c));
    }
    Schema kept = new Schema(fields);
    if (!tools.isNew(step, unpivot.names(), kept) || !tools.isNew(step, unpivot.values(), kept)) {
      return Optional.empty();
    }
    fields.add(new Schema.Field(unpivot.names().text(), Type.VARCHAR, false));
    fields.add(new Schema.Field(unpivot.values().text(), common, true));
    List<Expression> values =
        columns.stream()
            .map(c -> Cast.ifNeeded(Expression.input(c, input.field(c).type()), common))
            .toList();
    return Optional.of(
        StepTools.rowStep(
            "unpivot",
            new Schema(fields),
            new UnpivotStep(
                stay,
                columns.stream().map(c -> input.field(c).name()).toList(),
                values,
                common,
                unpivot.dropNulls())));
  }

  Optional<StepBody> across(Verb.Across across, Schema input) {
    for (Located by : across.by()) {
      if (tools.problems.column(step, by, input) < 0) {
        return Optional.empty();
      }
    }
    String partition = StepTools.partition(across.by());
    String order =
        across.order().isEmpty() ? "" : " ORDER BY " + tools.orderSql(step, across.order(), input);
    List<SqlNode> items = StepTools.columns(input);
    for (Map.Entry<Located, Located> set : across.set().entrySet()) {
      Located name = set.getKey();
      Located text = set.getValue();
      if (!tools.isNew(step, name, input)) {
        return Optional.empty();
      }
      boolean ranks =
          text.text()
              .strip()
              .toLowerCase(Locale.ROOT)
              .matches("(row_number|rank|dense_rank|lag|lead)\\s*\\(.*");
      if (ranks && across.order().isEmpty()) {
        tools.problems.problem(
            step,
            text,
            "missing-field",
            "[%s] needs an order, as in order: [woven_at]".formatted(text.text()));
        return Optional.empty();
      }
      String frame = ranks ? "" : across.rows().map(r -> " " + r).orElse("");
      Located over =
          new Located(
              text.value()
                  .withText(
                      text.text().stripTrailing() + " OVER (" + partition + order + frame + ")"),
              text.field());
      Optional<SqlNode> node = tools.expression(step, over, input);
      if (node.isEmpty()) {
        return Optional.empty();
      }
      items.add(StepTools.as(node.get(), name.text()));
    }
    return tools.select(step, items, input);
  }
}
