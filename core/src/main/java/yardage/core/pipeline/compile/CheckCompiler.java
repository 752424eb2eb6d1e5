package yardage.core.pipeline.compile;

import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.Collectors;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlSelect;
import org.apache.calcite.sql.SqlWindow;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlShuttle;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.pipeline.read.CheckRule;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.sql.PlanSession;
import yardage.core.sql.SqlProblemException;
import yardage.core.step.CheckStep;

/**
 * Check steps. What looks at all rows together comes as columns of windows, which the check takes
 * and drops.
 */
public final class CheckCompiler {
  private final StepTools tools;
  private final PipelineDocument.Step step;
  private final Verb.Check check;

  public CheckCompiler(StepTools tools, PipelineDocument.Step step, Verb.Check check) {
    this.tools = tools;
    this.step = step;
    this.check = check;
  }

  /**
   * @param inputs the rows to check, then what the rules look at beside them, in their order
   */
  Optional<StepBody> compile(List<Schema> inputs) {
    Schema input = inputs.get(0);
    List<SqlNode> items = StepTools.columns(input);
    StringBuilder from = new StringBuilder("\"input\"");
    List<Beside> besides = new ArrayList<>();
    Map<String, Schema> scope = new LinkedHashMap<>();
    scope.put("input", input);
    for (int i = 0; i < check.rules().size(); i++) {
      CheckRule.Kind kind = check.rules().get(i).kind();
      Optional<SqlNode> extra = Optional.empty();
      String there = "there " + i;
      if (kind.other().isPresent()) {
        int place = besides.size() + 1;
        Optional<Beside> beside =
            kind instanceof CheckRule.FoundIn found
                ? foundIn(found, place, input, inputs.get(place))
                : total((CheckRule.Total) kind, place, input, inputs.get(place));
        if (beside.isEmpty()) {
          return Optional.empty();
        }
        besides.add(beside.get());
        scope.put(beside.get().name(), beside.get().body().schema());
        from.append(beside.get().join());
        extra = Optional.of(beside.get().value());
        if (kind instanceof CheckRule.Total) {
          items.add(
              StepTools.as(
                  tools.session.parseExpression(
                      "\"%s\".\"total\"".formatted(beside.get().name()), 1, 1),
                  there));
        }
      } else if (kind instanceof CheckRule.Unique unique) {
        extra = alike(unique, input);
      } else if (kind instanceof CheckRule.Together together) {
        extra = together(together.condition(), input, true);
      } else if (kind instanceof CheckRule.Fresh fresh) {
        extra = newest(fresh, input);
      }
      if (extra.isPresent()) {
        items.add(StepTools.as(extra.get(), "rule " + i));
      }
    }
    SqlNode source =
        ((SqlSelect) tools.session.parseQuery("SELECT 1 FROM " + from, 1, 1)).getFrom();
    return tools
        .planned(step, PlanSession.select(items, source, null, null), scope)
        .map(
            p ->
                new StepBody(
                    p.schema(),
                    rels -> {
                      Map<String, RelNode> byName = new LinkedHashMap<>();
                      byName.put("input", rels.get(0));
                      for (int i = 0; i < besides.size(); i++) {
                        byName.put(
                            besides.get(i).name(),
                            besides.get(i).body().build().apply(List.of(rels.get(i + 1))));
                      }
                      return PlanSession.inline(p.rel(), byName);
                    }))
        .flatMap(wide -> checked(input, wide));
  }

  /**
   * What a rule looks at beside the input.
   *
   * @param join how its rows come to those of the input, in SQL
   * @param value what the rule needs of them, for each row
   */
  private record Beside(String name, StepBody body, String join, SqlNode value) {}

  /** The other step's keys once each, and whether a row's key is among them. */
  private Optional<Beside> foundIn(CheckRule.FoundIn rule, int place, Schema input, Schema other) {
    String name = "beside " + place;
    List<String> keys = new ArrayList<>();
    List<String> equal = new ArrayList<>();
    List<String> passes = new ArrayList<>();
    for (Map.Entry<Located, Located> e : rule.on().entrySet()) {
      int a = tools.problems.column(step, e.getKey(), input);
      int b = tools.problems.column(step, e.getValue(), other);
      if (a < 0 || b < 0) {
        return Optional.empty();
      }
      Type here = input.field(a).type();
      Type there = other.field(b).type();
      if (StepTools.widest(here, there).isEmpty()) {
        tools.problems.problem(
            step,
            e.getKey(),
            "unlike-types",
            "[%s] is %s here, and [%s] of [%s] is %s; cast one of them in a shape step before"
                .formatted(
                    input.field(a).name(), here, other.field(b).name(), rule.step().text(), there));
        return Optional.empty();
      }
      String left = "\"input\"." + StepTools.quoted(input.field(a).name());
      String key = "key " + keys.size();
      keys.add("%s AS \"%s\"".formatted(StepTools.quoted(other.field(b).name()), key));
      equal.add("%s = \"%s\".\"%s\"".formatted(left, name, key));
      passes.add(left + " IS NULL");
    }
    passes.add("\"%s\".\"found\" IS NOT NULL".formatted(name));
    return tools
        .query(
            step,
            tools.session.parseQuery(
                "SELECT DISTINCT %s, TRUE AS \"found\" FROM \"input\""
                    .formatted(String.join(", ", keys)),
                1,
                1),
            other)
        .map(
            body ->
                new Beside(
                    name,
                    body,
                    " LEFT JOIN \"%s\" ON %s".formatted(name, String.join(" AND ", equal)),
                    tools.session.parseExpression(String.join(" OR ", passes), 1, 1)));
  }

  /** The other step's total, and both of them as texts. */
  private Optional<Beside> total(CheckRule.Total rule, int place, Schema input, Schema other) {
    String name = "beside " + place;
    Optional<SqlNode> here = together(rule.here(), input, false);
    Optional<SqlNode> there = tools.expression(step, rule.there(), other);
    if (here.isEmpty() || there.isEmpty()) {
      return Optional.empty();
    }
    return tools
        .query(
            step,
            StepTools.select(
                List.of(StepTools.as(there.get(), "total")), "input", null, SqlNodeList.EMPTY),
            other)
        .filter(body -> isKind(rule.there(), body.schema().field(0).type(), false))
        .map(body -> new Beside(name, body, " CROSS JOIN \"%s\"".formatted(name), here.get()));
  }

  private Optional<SqlNode> alike(CheckRule.Unique unique, Schema input) {
    for (Located c : unique.columns()) {
      if (tools.problems.column(step, c, input) < 0) {
        return Optional.empty();
      }
    }
    return Optional.of(
        tools.session.parseExpression(
            "COUNT(*) OVER (%s)".formatted(StepTools.partition(unique.columns())), 1, 1));
  }

  /** An expression of aggregates over all rows; a condition, or a number. */
  private Optional<SqlNode> together(Located made, Schema input, boolean condition) {
    try {
      SqlNode over = tools.placed.expression(made).accept(new OverAll());
      return tools
          .planned(
              step,
              StepTools.select(
                  List.of(StepTools.as(over.clone(SqlParserPos.ZERO), "value")),
                  "input",
                  null,
                  null),
              Map.of("input", input))
          .filter(p -> isKind(made, p.schema().field(0).type(), condition))
          .map(p -> over);
    } catch (SqlProblemException e) {
      tools.problems.problem(step, made.field(), e.problem());
      return Optional.empty();
    }
  }

  private boolean isKind(Located made, Type type, boolean condition) {
    boolean right = condition ? type.kind() == Type.Kind.BOOLEAN : type.isNumeric();
    if (!right) {
      tools.problems.problem(
          step,
          made,
          "wrong-type",
          condition
              ? "[%s] is %s; a rule is a condition, as in sum(metres) > 0"
                  .formatted(made.text(), type)
              : "[%s] is %s; a total is a number, as in sum(metres) or count(*)"
                  .formatted(made.text(), type));
    }
    return right;
  }

  private Optional<SqlNode> newest(CheckRule.Fresh fresh, Schema input) {
    int at = tools.problems.column(step, fresh.column(), input);
    if (at < 0) {
      return Optional.empty();
    }
    Type type = input.field(at).type();
    if (type.kind() != Type.Kind.DATE && type.kind() != Type.Kind.TIMESTAMP) {
      tools.problems.problem(
          step,
          fresh.column(),
          "wrong-type",
          "[%s] is %s; only a date or a timestamp can be fresh"
              .formatted(fresh.column().text(), type));
      return Optional.empty();
    }
    return Optional.of(
        tools.session.parseExpression(
            "MAX(\"input\".%s) OVER ()".formatted(StepTools.quoted(input.field(at).name())), 1, 1));
  }

  /** Lets every aggregate function look over all rows. */
  private static final class OverAll extends SqlShuttle {
    private static final Set<String> FUNCTIONS = Set.of("SUM", "COUNT", "MIN", "MAX", "AVG");

    @Override
    public SqlNode visit(SqlCall call) {
      if (!FUNCTIONS.contains(call.getOperator().getName().toUpperCase(Locale.ROOT))) {
        return super.visit(call);
      }
      SqlNode window =
          SqlWindow.create(
              null,
              null,
              SqlNodeList.EMPTY,
              SqlNodeList.EMPTY,
              SqlLiteral.createBoolean(false, SqlParserPos.ZERO),
              null,
              null,
              null,
              SqlParserPos.ZERO);
      return SqlStdOperatorTable.OVER.createCall(call.getParserPosition(), call, window);
    }
  }

  private Optional<StepBody> checked(Schema input, StepBody wide) {
    List<CheckStep.Rule> rules = new ArrayList<>();
    for (int i = 0; i < check.rules().size(); i++) {
      CheckRule rule = check.rules().get(i);
      boolean aside = rule.otherwise() == CheckRule.Otherwise.SET_ASIDE;
      String name = rule.name().text();
      String words = words(rule);
      if (rule.kind() instanceof CheckRule.EachRow each) {
        condition(each.condition(), input)
            .ifPresent(met -> rules.add(new CheckStep.Rule(name, met, aside, "", words)));
      } else if (rule.kind() instanceof CheckRule.Share share) {
        condition(share.condition(), input)
            .ifPresent(met -> rules.add(new CheckStep.Rule(name, met, aside, "", words)));
      } else if (rule.kind() instanceof CheckRule.RowCount) {
        rules.add(new CheckStep.Rule(name, Literal.of(Type.BOOLEAN, true), aside, "", words));
      } else if (wide.schema().indexOf("rule " + i) >= 0) {
        rules.add(whole(rule, i, input, wide));
      }
    }
    return rules.size() < check.rules().size()
        ? Optional.empty()
        : Optional.of(
            StepTools.then(wide, StepTools.rowStep("check", input, new CheckStep(input, rules))));
  }

  /** A rule that needs more than a row, by the columns that were added for it. */
  private CheckStep.Rule whole(CheckRule rule, int place, Schema input, StepBody wide) {
    String column = "\"rule %d\"".formatted(place);
    String name = rule.name().text();
    boolean aside = rule.otherwise() == CheckRule.Otherwise.SET_ASIDE;
    String words = words(rule);
    Function<String, Expression> over = sql -> tools.session.expression(sql, 1, 1, wide.schema());
    if (rule.kind() instanceof CheckRule.Unique unique) {
      return new CheckStep.Rule(
          name, over.apply(column + " = 1"), aside, unique.columns().get(0).text(), words);
    } else if (rule.kind() instanceof CheckRule.FoundIn found) {
      String field = found.on().keySet().iterator().next().text();
      return new CheckStep.Rule(name, over.apply(column), aside, field, words);
    } else if (rule.kind() instanceof CheckRule.Fresh fresh) {
      boolean day =
          input.field(input.indexOf(fresh.column().text())).type().kind() == Type.Kind.DATE;
      // A day lasts until it ends.
      Instant oldest =
          Instant.now().minus(fresh.within()).minus(day ? Duration.ofDays(1) : Duration.ZERO);
      return new CheckStep.Rule(
          name,
          over.apply(
              "CAST(%s AS TIMESTAMP) >= TIMESTAMP '%s'"
                  .formatted(
                      column,
                      DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm:ss")
                          .format(oldest.atOffset(ZoneOffset.UTC)))),
          aside,
          fresh.column().text(),
          words,
          Optional.of(
              over.apply("COALESCE(CAST(%s AS VARCHAR), 'no time at all')".formatted(column))),
          false);
    } else if (rule.kind() instanceof CheckRule.Together together) {
      return new CheckStep.Rule(
          name,
          over.apply(column),
          aside,
          "",
          words,
          Optional.empty(),
          tools.session.holdsForNothing(tools.placed.expression(together.condition()), input));
    }
    CheckRule.Total total = (CheckRule.Total) rule.kind();
    String there = "\"there %d\"".formatted(place);
    String slack = total.within().value().toPlainString();
    return new CheckStep.Rule(
        name,
        over.apply(
            "%s IS NULL AND %s IS NULL OR ABS(%s - %s) <= %s"
                .formatted(
                    column,
                    there,
                    column,
                    there,
                    total.within().ofTotal() ? "%s * ABS(%s)".formatted(slack, there) : slack)),
        aside,
        "",
        words,
        Optional.of(
            over.apply(
                "COALESCE(CAST(%s AS VARCHAR), 'nothing') || ' here and ' || COALESCE(CAST(%s AS VARCHAR), 'nothing') || ' in [%s]'"
                    .formatted(column, there, total.step().text()))),
        false);
  }

  private Optional<Expression> condition(Located text, Schema input) {
    return tools
        .compiled(step, text, input)
        .filter(
            e -> {
              boolean truth = e.type().kind() == Type.Kind.BOOLEAN;
              if (!truth) {
                tools.problems.problem(
                    step,
                    text,
                    "wrong-type",
                    "[%s] is %s; a rule is a condition, as in metres > 0"
                        .formatted(text.text(), e.type()));
              }
              return truth;
            });
  }

  /** A rule as its failing row is told of. */
  public static String words(CheckRule rule) {
    if (rule.kind() instanceof CheckRule.EachRow each) {
      return "not so: " + each.condition().text();
    } else if (rule.kind() instanceof CheckRule.Unique unique) {
      return "not the only row with this "
          + unique.columns().stream().map(Located::text).collect(Collectors.joining(", "));
    } else if (rule.kind() instanceof CheckRule.Share share) {
      return "%s must hold for %s of the rows"
          .formatted(share.condition().text(), percent(share.least()));
    } else if (rule.kind() instanceof CheckRule.Together together) {
      return "not so of all rows: " + together.condition().text();
    }
    if (rule.kind() instanceof CheckRule.FoundIn found) {
      return "no row of [%s] has this %s"
          .formatted(
              found.step().text(),
              found.on().keySet().stream().map(Located::text).collect(Collectors.joining(", ")));
    } else if (rule.kind() instanceof CheckRule.Total total) {
      return "%s must be as %s in [%s]%s"
          .formatted(
              total.here().text(),
              total.there().text().equals(total.here().text()) ? "it is" : total.there().text(),
              total.step().text(),
              total.within().value().signum() == 0
                  ? ""
                  : ", give or take "
                      + (total.within().ofTotal()
                          ? percent(total.within().value().doubleValue())
                          : total.within().value().toPlainString()));
    } else if (rule.kind() instanceof CheckRule.Fresh fresh) {
      return "the newest %s must be within %s of the run"
          .formatted(fresh.column().text(), fresh.words());
    }
    CheckRule.RowCount count = (CheckRule.RowCount) rule.kind();
    return "there must be "
        + count.least().map("at least %,d rows"::formatted).orElse("")
        + (count.least().isPresent() && count.most().isPresent() ? " and " : "")
        + count.most().map("at most %,d rows"::formatted).orElse("");
  }

  public static String percent(double share) {
    return new java.math.BigDecimal(share * 100)
            .round(new java.math.MathContext(6))
            .stripTrailingZeros()
            .toPlainString()
        + "%";
  }
}
