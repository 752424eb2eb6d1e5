package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.document.Problem;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.sql.PlanSession;
import yardage.core.sql.SqlProblemException;

/**
 * Turns steps into algebra. Expressions keep the places that they have in the document, so that
 * whatever the SQL validator says is said about the document. Problems are gathered; a step with an
 * error has no body.
 */
final class StepCompiler {
  private final PlanSession session;
  private final StepProblems problems;
  private final StepTools tools;
  private final Catalog catalog;
  private final List<Problem> noted;

  /**
   * @param catalog where dimensions are looked up
   */
  StepCompiler(
      PlanSession session,
      Catalog catalog,
      Map<String, PipelineDocument.Parameter> declared,
      Map<String, String> parameters,
      List<Problem> problems) {
    this.session = session;
    this.catalog = catalog;
    this.noted = problems;
    this.problems = new StepProblems(problems);
    this.tools =
        new StepTools(session, this.problems, new PlacedSql(session, declared, parameters));
  }

  /** Compiles a step that has inputs; empty, with problems noted, when it is wrong. */
  Optional<StepBody> compile(PipelineDocument.Step step, List<String> names, List<Schema> inputs) {
    // A part's steps know its parameters, and none of the pipeline's.
    return step.fromPart()
        .map(p -> new StepCompiler(session, catalog, p.parameters(), p.given(), noted))
        .orElse(this)
        .compileHere(step, names, inputs);
  }

  private Optional<StepBody> compileHere(
      PipelineDocument.Step step, List<String> names, List<Schema> inputs) {
    int before = problems.count();
    Verb verb = step.verb();
    RowsCompiler rows = new RowsCompiler(tools, step);
    Optional<StepBody> body;
    if (verb instanceof Verb.Shape shape) {
      body = new ShapeCompiler(tools, step, shape).compile(inputs.get(0));
    } else if (verb instanceof Verb.Off) {
      body = Optional.of(StepBody.passing(inputs.get(0)));
    } else if (verb instanceof Verb.Keep keep) {
      body = tools.kept(step, keep.condition(), inputs.get(0));
    } else if (verb instanceof Verb.Dedupe dedupe) {
      body = new DedupeCompiler(tools, step, dedupe).compile(inputs.get(0));
    } else if (verb instanceof Verb.Fill fill) {
      body = rows.fill(fill, inputs.get(0));
    } else if (verb instanceof Verb.Sample sample) {
      body = rows.sample(sample, inputs.get(0));
    } else if (verb instanceof Verb.Unnest unnest) {
      body = rows.unnest(unnest, inputs.get(0));
    } else if (verb instanceof Verb.Pivot pivot) {
      body = rows.pivot(pivot, inputs.get(0));
    } else if (verb instanceof Verb.Unpivot unpivot) {
      body = rows.unpivot(unpivot, inputs.get(0));
    } else if (verb instanceof Verb.Across across) {
      body = rows.across(across, inputs.get(0));
    } else if (verb instanceof Verb.Check check) {
      body = new CheckCompiler(tools, step, check).compile(inputs);
    } else if (verb instanceof Verb.Dimension dimension) {
      body = new StarCompiler(tools, step).dimension(dimension, catalog, inputs);
    } else if (verb instanceof Verb.CalendarDays days) {
      body = new StarCompiler(tools, step).calendar(days, inputs.get(0));
    } else if (verb instanceof Verb.Fact fact) {
      body = new StarCompiler(tools, step).fact(fact, inputs);
    } else if (verb instanceof Verb.JoinStep join) {
      body = new JoinCompiler(tools).compile(step, join, inputs.get(0), inputs.get(1), names);
    } else if (verb instanceof Verb.AggregateStep aggregate) {
      body = aggregate(step, aggregate, inputs.get(0));
    } else if (verb instanceof Verb.Stack stack) {
      body = stack(step, stack, names, inputs);
    } else if (verb instanceof Verb.Sql sql) {
      body = sql(step, sql, names, inputs);
    } else if (verb instanceof Verb.Use) {
      // A part that could not be put in; what is wrong was told.
      body = Optional.empty();
    } else if (verb instanceof Verb.Write write) {
      body =
          new WriteCompiler(tools, step, write, catalog.table(write.table()))
              .compile(inputs.get(0));
    } else {
      throw new AssertionError(verb);
    }
    return problems.errorsSince(before) ? Optional.empty() : body;
  }

  private Optional<StepBody> aggregate(
      PipelineDocument.Step step, Verb.AggregateStep aggregate, Schema input) {
    List<SqlNode> items = new ArrayList<>();
    List<SqlNode> groups = new ArrayList<>();
    for (Located by : aggregate.by()) {
      int at = problems.column(step, by, input);
      if (at >= 0) {
        items.add(StepTools.identifier(input.field(at).name()));
        groups.add(StepTools.identifier(input.field(at).name()));
      }
    }
    if (groups.size() < aggregate.by().size()) {
      aggregate.set().values().forEach(e -> tools.expression(step, e, input));
      return Optional.empty();
    }
    if (!aggregate.levels().isEmpty()) {
      Optional<SqlNode> sets = levels(step, aggregate);
      if (sets.isEmpty()) {
        return Optional.empty();
      }
      groups.clear();
      groups.add(sets.get());
    }
    List<Located> names = List.copyOf(aggregate.set().keySet());
    return tools.query(
        step,
        aggregate.set().values(),
        input,
        totals -> {
          for (int i = 0; i < totals.size(); i++) {
            items.add(StepTools.as(totals.get(i), names.get(i).text()));
          }
          return StepTools.select(items, "input", null, new SqlNodeList(groups, SqlParserPos.ZERO));
        });
  }

  /** The grouping sets of SQL:1999. */
  private Optional<SqlNode> levels(PipelineDocument.Step step, Verb.AggregateStep aggregate) {
    List<SqlNode> sets = new ArrayList<>();
    for (List<Located> level : aggregate.levels()) {
      List<SqlNode> columns = new ArrayList<>();
      for (Located column : level) {
        if (aggregate.by().stream().noneMatch(b -> b.text().equalsIgnoreCase(column.text()))) {
          problems.problem(
              step,
              column,
              "unknown-column",
              "A level has only columns of [by], and [%s] is none of them"
                  .formatted(column.text()));
          return Optional.empty();
        }
        columns.add(StepTools.identifier(column.text()));
      }
      sets.add(SqlStdOperatorTable.ROW.createCall(SqlParserPos.ZERO, columns));
    }
    return Optional.of(SqlStdOperatorTable.GROUPING_SETS.createCall(SqlParserPos.ZERO, sets));
  }

  private Optional<StepBody> stack(
      PipelineDocument.Step step, Verb.Stack stack, List<String> names, List<Schema> inputs) {
    Map<String, Schema.Field> columns = new LinkedHashMap<>();
    for (int i = 0; i < inputs.size(); i++) {
      if (stack.byPosition() && inputs.get(i).size() != inputs.get(0).size()) {
        problems.problem(
            step,
            step.from().get(i),
            "other-width",
            "[%s] has %d columns and [%s] has %d; by position both must have as many"
                .formatted(names.get(i), inputs.get(i).size(), names.get(0), inputs.get(0).size()));
        return Optional.empty();
      }
      for (int c = 0; c < inputs.get(i).size(); c++) {
        Schema.Field f = inputs.get(i).field(c);
        String key =
            stack.byPosition()
                ? inputs.get(0).field(c).name().toLowerCase(Locale.ROOT)
                : f.name().toLowerCase(Locale.ROOT);
        Schema.Field before = columns.get(key);
        if (before == null) {
          columns.put(key, f);
          continue;
        }
        Optional<Type> type = StepTools.widest(before.type(), f.type());
        if (type.isEmpty()) {
          problems.problem(
              step,
              step.from().get(i),
              "unlike-types",
              "[%s] is %s here and %s before; cast one of them in a shape step"
                  .formatted(f.name(), f.type(), before.type()));
          return Optional.empty();
        }
        columns.put(key, new Schema.Field(before.name(), type.get(), true));
      }
    }
    if (stack.source().isPresent()
        && !tools.isNew(step, stack.source().get(), new Schema(List.copyOf(columns.values())))) {
      return Optional.empty();
    }
    List<String> selects = new ArrayList<>();
    for (int i = 0; i < inputs.size(); i++) {
      Schema schema = inputs.get(i);
      List<String> items = new ArrayList<>();
      int place = 0;
      for (Schema.Field f : columns.values()) {
        int at = stack.byPosition() ? place : schema.indexOf(f.name());
        String value = at < 0 ? "NULL" : StepTools.quoted(schema.field(at).name());
        items.add(
            f.type().isNested() && at >= 0
                ? value + " AS " + StepTools.quoted(f.name())
                : "CAST(%s AS %s) AS %s".formatted(value, f.type(), StepTools.quoted(f.name())));
        place++;
      }
      String source = PlanSession.constant(names.get(i));
      stack
          .source()
          .ifPresent(
              name ->
                  items.add(
                      "CAST(%s AS VARCHAR) AS %s"
                          .formatted(source, StepTools.quoted(name.text()))));
      selects.add("SELECT " + String.join(", ", items) + " FROM " + StepTools.quoted("input" + i));
    }
    Map<String, Schema> scope = new LinkedHashMap<>();
    for (int i = 0; i < inputs.size(); i++) {
      scope.put("input" + i, inputs.get(i));
    }
    return tools
        .planned(step, session.parseQuery(String.join(" UNION ALL ", selects), 1, 1), scope)
        .map(p -> new StepBody(p.schema(), rels -> PlanSession.inline(p.rel(), numbered(rels))));
  }

  private static Map<String, RelNode> numbered(List<RelNode> rels) {
    Map<String, RelNode> out = new LinkedHashMap<>();
    for (int i = 0; i < rels.size(); i++) {
      out.put("input" + i, rels.get(i));
    }
    return out;
  }

  private Optional<StepBody> sql(
      PipelineDocument.Step step, Verb.Sql sql, List<String> names, List<Schema> inputs) {
    Map<String, Schema> scope = new LinkedHashMap<>();
    for (int i = 0; i < names.size(); i++) {
      scope.put(names.get(i), inputs.get(i));
    }
    try {
      SqlNode query = tools.placed.query(sql.query());
      return tools
          .planned(step, query, scope)
          .map(
              p ->
                  new StepBody(
                      p.schema(),
                      rels -> {
                        Map<String, RelNode> byName = new LinkedHashMap<>();
                        for (int i = 0; i < names.size(); i++) {
                          byName.put(names.get(i), rels.get(i));
                        }
                        return PlanSession.inline(p.rel(), byName);
                      }));
    } catch (SqlProblemException e) {
      problems.problem(step, "sql", e.problem());
      return Optional.empty();
    }
  }
}
