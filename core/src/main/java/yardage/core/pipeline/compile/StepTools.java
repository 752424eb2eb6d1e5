package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.stream.Collectors;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;
import yardage.core.column.NumberTypes;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.RowStep;
import yardage.core.expr.Expression;
import yardage.core.lake.SortWithin;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;
import yardage.core.plan.WholeDescription;
import yardage.core.sql.Columns;
import yardage.core.sql.OwnStep;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.sql.SqlProblemException;

/**
 * What the compilers of steps share: expressions with their places, queries over a step's inputs,
 * and bodies that follow each other.
 */
public final class StepTools {
  final PlanSession session;
  final StepProblems problems;
  final PlacedSql placed;

  public StepTools(PlanSession session, StepProblems problems, PlacedSql placed) {
    this.session = session;
    this.problems = problems;
    this.placed = placed;
  }

  /**
   * Parses an expression, and validates it alone so that each wrong one is told, not only the
   * first.
   */
  Optional<SqlNode> expression(PipelineDocument.Step step, Located text, Schema input) {
    try {
      SqlNode node = placed.expression(text);
      SqlNode alone = as(node.clone(node.getParserPosition()), "value");
      session.plan(select(List.of(alone), "input", null, null), scope(input));
      return Optional.of(node);
    } catch (SqlProblemException e) {
      problems.problem(step, text.field(), e.problem());
      return Optional.empty();
    }
  }

  /** Compiles an expression over a step's rows; empty, with the problem noted, when it is wrong. */
  Optional<Expression> compiled(PipelineDocument.Step step, Located text, Schema input) {
    try {
      return Optional.of(
          session.expression(
              placed.expression(text), text.value().line(), text.value().column(), input));
    } catch (SqlProblemException e) {
      problems.problem(step, text.field(), e.problem());
      return Optional.empty();
    }
  }

  Optional<PlanSession.Planned> planned(
      PipelineDocument.Step step, SqlNode query, Map<String, Schema> scope) {
    Map<String, Relation> relations = new LinkedHashMap<>();
    scope.forEach((name, schema) -> relations.put(name, new Columns(schema)));
    try {
      return Optional.of(session.plan(query, new PlanSession.Scope(relations)));
    } catch (SqlProblemException e) {
      problems.problem(step, step.verb().word(), e.problem());
      return Optional.empty();
    }
  }

  /** A query over the one input, as a body. */
  Optional<StepBody> query(PipelineDocument.Step step, SqlNode query, Schema input) {
    return planned(step, query, Map.of("input", input)).map(StepTools::body);
  }

  /**
   * A query that is made of expressions of the document, as a body. They are planned together, and
   * each alone only where that fails, so that each wrong one is told at its place.
   *
   * @param query what is made of the expressions, in their order
   */
  Optional<StepBody> query(
      PipelineDocument.Step step,
      Collection<Located> texts,
      Schema input,
      Function<List<SqlNode>, SqlNode> query) {
    try {
      List<SqlNode> nodes = new ArrayList<>();
      for (Located text : texts) {
        nodes.add(placed.expression(text));
      }
      return Optional.of(body(session.plan(query.apply(nodes), scope(input))));
    } catch (SqlProblemException e) {
      int before = problems.count();
      texts.forEach(text -> expression(step, text, input));
      if (!problems.errorsSince(before)) {
        problems.problem(step, step.verb().word(), e.problem());
      }
      return Optional.empty();
    }
  }

  /** The rows that meet a condition of the document, as a body. */
  Optional<StepBody> kept(PipelineDocument.Step step, Located condition, Schema input) {
    try {
      SqlNode all = SqlIdentifier.star(SqlParserPos.ZERO);
      SqlNode query = select(List.of(all), "input", placed.expression(condition), null);
      return Optional.of(body(session.plan(query, scope(input))));
    } catch (SqlProblemException e) {
      problems.problem(step, condition.field(), e.problem());
      return Optional.empty();
    }
  }

  private static PlanSession.Scope scope(Schema input) {
    return new PlanSession.Scope(Map.of("input", new Columns(input)));
  }

  private static StepBody body(PlanSession.Planned planned) {
    return new StepBody(
        planned.schema(), rels -> PlanSession.inline(planned.rel(), Map.of("input", rels.get(0))));
  }

  /** Columns computed from the one input, as a body. */
  Optional<StepBody> select(PipelineDocument.Step step, List<SqlNode> items, Schema input) {
    return query(step, select(items, "input", null, null), input);
  }

  /** A body whose rows the next one takes. */
  static StepBody then(StepBody first, StepBody next) {
    return new StepBody(
        next.schema(), rels -> next.build().apply(List.of(first.build().apply(rels))));
  }

  static StepBody rowStep(String name, Schema schema, RowStep step) {
    return new StepBody(
        schema,
        rels ->
            new OwnStep(
                rels.get(0),
                name,
                schema,
                (input, at) -> new PlanNode.Apply(input, step, schema, at)));
  }

  static StepBody wholeStep(String name, String what, Schema schema, WholeDescription step) {
    return new StepBody(
        schema,
        rels ->
            new OwnStep(
                rels.get(0),
                name,
                schema,
                (input, at) -> new PlanNode.Whole(input, step, what, schema, at)));
  }

  /** Columns to sort by, each perhaps with {@code desc}. */
  List<SortKey> order(PipelineDocument.Step step, List<Located> by, Schema input) {
    List<SortKey> order = new ArrayList<>();
    for (Located o : by) {
      Optional<SortWithin.Key> key = SortWithin.Key.read(o.text());
      if (key.isEmpty()) {
        problems.problem(
            step,
            o,
            "wrong-value",
            "Write a column, or a column and desc, instead of [%s]".formatted(o.text()));
        continue;
      }
      int at = input.indexOf(key.get().column());
      if (at < 0) {
        problems.unknown(step, o, key.get().column(), input);
      } else {
        order.add(SortKey.of(at, key.get().descending()));
      }
    }
    return order;
  }

  /** The same as SQL. */
  String orderSql(PipelineDocument.Step step, List<Located> by, Schema input) {
    List<String> out = new ArrayList<>();
    for (SortKey k : order(step, by, input)) {
      out.add(
          quoted(input.field(k.ordinal()).name())
              + (k.descending() ? " DESC NULLS LAST" : " ASC NULLS FIRST"));
    }
    return String.join(", ", out);
  }

  /** The columns of an input as they are. */
  static List<SqlNode> columns(Schema input) {
    List<SqlNode> out = new ArrayList<>();
    input.fields().forEach(f -> out.add(identifier(f.name())));
    return out;
  }

  /** A window's groups in SQL; empty when all rows are one. */
  static String partition(List<Located> by) {
    return by.isEmpty()
        ? ""
        : by.stream()
            .map(b -> quoted(b.text()))
            .collect(Collectors.joining(", ", "PARTITION BY ", ""));
  }

  /** Notes a name that is there already, where a step adds a column. */
  boolean isNew(PipelineDocument.Step step, Located name, Schema input) {
    if (input.indexOf(name.text()) >= 0) {
      problems.problem(
          step,
          name,
          "duplicate-column",
          "There is a column [%s] already; choose another name".formatted(name.text()));
      return false;
    }
    return true;
  }

  /** The type that holds the values of both; empty when there is none without a cast. */
  static Optional<Type> widest(Type a, Type b) {
    if (a.equals(b)) {
      return Optional.of(a);
    }
    if (a.isNumeric() && b.isNumeric()) {
      return Optional.of(NumberTypes.common(a, b));
    }
    boolean temporal =
        (a.kind() == Type.Kind.DATE || a.kind() == Type.Kind.TIMESTAMP)
            && (b.kind() == Type.Kind.DATE || b.kind() == Type.Kind.TIMESTAMP);
    return temporal ? Optional.of(Type.TIMESTAMP) : Optional.empty();
  }

  static SqlNode select(List<SqlNode> items, String from, SqlNode where, SqlNodeList groupBy) {
    return PlanSession.select(items, identifier(from), where, groupBy);
  }

  static SqlIdentifier identifier(String name) {
    return new SqlIdentifier(name, SqlParserPos.ZERO);
  }

  static SqlNode as(SqlNode node, String name) {
    return SqlStdOperatorTable.AS.createCall(node.getParserPosition(), node, identifier(name));
  }

  public static String quoted(String name) {
    return PlanSession.quoted(name);
  }
}
