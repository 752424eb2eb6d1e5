package yardage.core.pipeline;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlWindow;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlShuttle;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.sql.SqlProblemException;
import yardage.core.step.CheckStep;

/**
 * Check steps. What looks at all rows together comes as columns of windows, which the check takes
 * and drops.
 */
final class CheckCompiler {
  private final StepTools tools;
  private final PipelineDocument.Step step;
  private final Verb.Check check;

  CheckCompiler(StepTools tools, PipelineDocument.Step step, Verb.Check check) {
    this.tools = tools;
    this.step = step;
    this.check = check;
  }

  Optional<StepBody> compile(Schema input) {
    List<SqlNode> items = StepTools.columns(input);
    for (int i = 0; i < check.rules().size(); i++) {
      Optional<SqlNode> extra = extra(check.rules().get(i), input);
      if (extra.isPresent()) {
        items.add(StepTools.as(extra.get(), "rule " + i));
      }
    }
    return tools.select(step, items, input).flatMap(wide -> checked(input, wide));
  }

  /** The column that a rule about all rows needs. */
  private Optional<SqlNode> extra(CheckRule rule, Schema input) {
    if (rule.kind() instanceof CheckRule.Unique unique) {
      for (Located c : unique.columns()) {
        if (tools.problems.column(step, c, input) < 0) {
          return Optional.empty();
        }
      }
      return Optional.of(
          tools.session.parseExpression(
              "COUNT(*) OVER (%s)".formatted(StepTools.partition(unique.columns())), 1, 1));
    }
    if (rule.kind() instanceof CheckRule.Together together) {
      try {
        SqlNode over = tools.placed.expression(together.condition()).accept(new OverAll());
        Located made = together.condition();
        tools
            .planned(
                step,
                StepTools.select(
                    List.of(StepTools.as(over.clone(SqlParserPos.ZERO), "value")),
                    "input",
                    null,
                    null),
                java.util.Map.of("input", input))
            .filter(p -> p.schema().field(0).type().kind() != Type.Kind.BOOLEAN)
            .ifPresent(
                p ->
                    tools.problems.problem(
                        step,
                        made,
                        "wrong-type",
                        "[%s] is %s; a rule is a condition, as in sum(metres) > 0"
                            .formatted(made.text(), p.schema().field(0).type())));
        return Optional.of(over);
      } catch (SqlProblemException e) {
        tools.problems.problem(step, together.condition().field(), e.problem());
      }
    }
    return Optional.empty();
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
    int at = input.size();
    for (CheckRule rule : check.rules()) {
      boolean aside = rule.otherwise() == CheckRule.Otherwise.SET_ASIDE;
      Optional<Expression> met;
      String field = "";
      if (rule.kind() instanceof CheckRule.EachRow each) {
        met = condition(each.condition(), input);
      } else if (rule.kind() instanceof CheckRule.Share share) {
        met = condition(share.condition(), input);
      } else if (rule.kind() instanceof CheckRule.Unique unique) {
        field = unique.columns().get(0).text();
        met =
            Optional.of(
                tools.session.expression(
                    StepTools.quoted(wide.schema().field(at++).name()) + " = 1",
                    1,
                    1,
                    wide.schema()));
      } else if (rule.kind() instanceof CheckRule.Together) {
        met = Optional.of(Expression.input(at++, Type.BOOLEAN));
      } else {
        met = Optional.of(Literal.of(Type.BOOLEAN, true));
      }
      String named = field;
      met.ifPresent(
          m -> rules.add(new CheckStep.Rule(rule.name().text(), m, aside, named, words(rule))));
    }
    return rules.size() < check.rules().size()
        ? Optional.empty()
        : Optional.of(
            StepTools.then(wide, StepTools.rowStep("check", input, new CheckStep(input, rules))));
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
  static String words(CheckRule rule) {
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
    CheckRule.RowCount count = (CheckRule.RowCount) rule.kind();
    return "there must be "
        + count.least().map("at least %,d rows"::formatted).orElse("")
        + (count.least().isPresent() && count.most().isPresent() ? " and " : "")
        + count.most().map("at most %,d rows"::formatted).orElse("");
  }

  static String percent(double share) {
    return new java.math.BigDecimal(share * 100)
            .round(new java.math.MathContext(6))
            .stripTrailingZeros()
            .toPlainString()
        + "%";
  }
}
