package yardage.core.pipeline;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlSelect;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.document.Problem;
import yardage.core.exec.PhysicalNode.SortKey;
import yardage.core.sql.Columns;
import yardage.core.sql.KeepOne;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.sql.SqlProblemException;

/**
 * Turns steps into algebra. Expressions keep the places that they have in the document, so that
 * whatever the SQL validator says is said about the document. Problems are gathered; a step with an
 * error has no body.
 */
final class StepCompiler {
  private final PlanSession session;
  private final StepProblems problems;
  private final PlacedSql placed;

  StepCompiler(
      PlanSession session,
      Map<String, PipelineDocument.Parameter> declared,
      Map<String, String> parameters,
      List<Problem> problems) {
    this.session = session;
    this.problems = new StepProblems(problems);
    this.placed = new PlacedSql(session, declared, parameters);
  }

  /** Compiles a step that has inputs; empty, with problems noted, when it is wrong. */
  Optional<StepBody> compile(PipelineDocument.Step step, List<String> names, List<Schema> inputs) {
    int before = problems.count();
    Verb verb = step.verb();
    Optional<StepBody> body;
    if (verb instanceof Verb.Shape shape) {
      body = shape(step, shape, inputs.get(0));
    } else if (verb instanceof Verb.Keep keep) {
      body = keep(step, keep, inputs.get(0));
    } else if (verb instanceof Verb.Dedupe dedupe) {
      body = dedupe(step, dedupe, inputs.get(0));
    } else if (verb instanceof Verb.JoinStep join) {
      body =
          new JoinCompiler(session, problems)
              .compile(step, join, inputs.get(0), inputs.get(1), names);
    } else if (verb instanceof Verb.AggregateStep aggregate) {
      body = aggregate(step, aggregate, inputs.get(0));
    } else if (verb instanceof Verb.Stack) {
      body = stack(step, names, inputs);
    } else if (verb instanceof Verb.Sql sql) {
      body = sql(step, sql, names, inputs);
    } else if (verb instanceof Verb.Write) {
      body = Optional.of(new StepBody(inputs.get(0), rels -> rels.get(0)));
    } else {
      throw new AssertionError(verb);
    }
    return problems.errorsSince(before) ? Optional.empty() : body;
  }

  private Optional<StepBody> shape(PipelineDocument.Step step, Verb.Shape shape, Schema input) {
    Set<Integer> trimmed = new TreeSet<>();
    shape
        .trim()
        .ifPresent(
            choice -> {
              for (int c : problems.choose(step, choice, input)) {
                if (input.field(c).type().kind() == Type.Kind.VARCHAR) {
                  trimmed.add(c);
                } else if (!choice.names().isEmpty()) {
                  problems.problem(
                      step,
                      choice.names().get(0),
                      "wrong-type",
                      "[%s] is %s; only varchar can be trimmed"
                          .formatted(input.field(c).name(), input.field(c).type()));
                }
              }
            });
    Map<Integer, String> renamed = new LinkedHashMap<>();
    shape
        .rename()
        .forEach(
            (from, to) -> {
              int at = problems.column(step, from, input);
              if (at >= 0) {
                renamed.put(at, to.text());
              }
            });
    List<Schema.Field> fields = new ArrayList<>();
    List<String> first = new ArrayList<>();
    Set<String> seen = new TreeSet<>();
    for (int i = 0; i < input.size(); i++) {
      Schema.Field f = input.field(i);
      String name = renamed.getOrDefault(i, f.name());
      if (!seen.add(name.toLowerCase(Locale.ROOT))) {
        Located at =
            shape.rename().values().stream()
                .filter(v -> v.text().equalsIgnoreCase(name))
                .findFirst()
                .orElse(null);
        if (at != null) {
          problems.problem(
              step,
              at,
              "duplicate-column",
              "There is a column [%s] already; choose another name or drop that one first"
                  .formatted(name));
        }
        return Optional.empty();
      }
      fields.add(new Schema.Field(name, f.type(), f.nullable()));
      first.add(
          (trimmed.contains(i)
                  ? "TRIM(BOTH ' ' FROM %s)".formatted(quoted(f.name()))
                  : quoted(f.name()))
              + " AS "
              + quoted(name));
    }
    Schema between = new Schema(fields);
    List<SqlNode> items = new ArrayList<>();
    Map<String, SqlNode> set = new LinkedHashMap<>();
    shape
        .set()
        .forEach(
            (name, expression) ->
                expression(step, expression, between, false)
                    .ifPresent(
                        e -> set.put(name.text().toLowerCase(Locale.ROOT), as(e, name.text()))));
    boolean allSound = set.size() == shape.set().size();
    Set<Integer> dropped = new TreeSet<>();
    List<Schema.Field> all = new ArrayList<>(between.fields());
    shape.set().keySet().stream()
        .filter(n -> between.indexOf(n.text()) < 0)
        .forEach(n -> all.add(new Schema.Field(n.text(), Type.VARCHAR)));
    Schema after = new Schema(all);
    shape.drop().ifPresent(choice -> dropped.addAll(problems.choose(step, choice, after)));
    for (int i = 0; i < after.size(); i++) {
      if (!dropped.contains(i)) {
        String name = after.field(i).name();
        SqlNode value = set.get(name.toLowerCase(Locale.ROOT));
        items.add(value != null ? value : identifier(name));
      }
    }
    if (items.isEmpty()) {
      problems.problem(
          step,
          shape.drop().flatMap(d -> d.names().stream().findFirst()).orElse(null),
          "no-columns",
          "Step [%s] drops every column".formatted(step.name()));
      return Optional.empty();
    }
    if (!allSound) {
      return Optional.empty();
    }
    SqlNode stage1 =
        session.parseQuery("SELECT " + String.join(", ", first) + " FROM " + quoted("input"), 1, 1);
    return planned(step, stage1, Map.of("input", input))
        .flatMap(
            a ->
                planned(step, select(items, "input", null, null), Map.of("input", a.schema()))
                    .map(
                        b ->
                            new StepBody(
                                b.schema(),
                                rels ->
                                    PlanSession.inline(
                                        b.rel(),
                                        Map.of(
                                            "input",
                                            PlanSession.inline(
                                                a.rel(), Map.of("input", rels.get(0))))))));
  }

  private Optional<StepBody> keep(PipelineDocument.Step step, Verb.Keep keep, Schema input) {
    return expression(step, keep.condition(), input, true)
        .flatMap(
            condition ->
                planned(
                    step,
                    select(
                        List.of(SqlIdentifier.star(SqlParserPos.ZERO)), "input", condition, null),
                    Map.of("input", input)))
        .map(
            p ->
                new StepBody(
                    p.schema(), rels -> PlanSession.inline(p.rel(), Map.of("input", rels.get(0)))));
  }

  private Optional<StepBody> dedupe(PipelineDocument.Step step, Verb.Dedupe dedupe, Schema input) {
    int[] keys = dedupe.by().stream().mapToInt(k -> problems.column(step, k, input)).toArray();
    List<SortKey> order = new ArrayList<>();
    for (Located o : dedupe.order()) {
      String[] words = o.text().trim().split("\\s+");
      boolean descending = words.length == 2 && words[1].equalsIgnoreCase("desc");
      if (words.length > 2
          || (words.length == 2 && !descending && !words[1].equalsIgnoreCase("asc"))) {
        problems.problem(
            step,
            o,
            "wrong-value",
            "Write a column, or a column and desc, instead of [%s]".formatted(o.text()));
        continue;
      }
      int at = input.indexOf(words[0]);
      if (at < 0) {
        problems.unknown(step, o, words[0], input);
      } else {
        order.add(new SortKey(at, descending, !descending));
      }
    }
    return Optional.of(
        new StepBody(input, rels -> new KeepOne(rels.get(0), keys, order, dedupe.keepLast())));
  }

  private Optional<StepBody> aggregate(
      PipelineDocument.Step step, Verb.AggregateStep aggregate, Schema input) {
    List<SqlNode> items = new ArrayList<>();
    List<SqlNode> groups = new ArrayList<>();
    for (Located by : aggregate.by()) {
      int at = problems.column(step, by, input);
      if (at >= 0) {
        items.add(identifier(input.field(at).name()));
        groups.add(identifier(input.field(at).name()));
      }
    }
    aggregate
        .set()
        .forEach(
            (name, e) ->
                expression(step, e, input, false)
                    .ifPresent(node -> items.add(as(node, name.text()))));
    if (items.size() < aggregate.by().size() + aggregate.set().size()) {
      return Optional.empty();
    }
    SqlNodeList groupBy = new SqlNodeList(groups, SqlParserPos.ZERO);
    return planned(step, select(items, "input", null, groupBy), Map.of("input", input))
        .map(
            p ->
                new StepBody(
                    p.schema(), rels -> PlanSession.inline(p.rel(), Map.of("input", rels.get(0)))));
  }

  private Optional<StepBody> stack(
      PipelineDocument.Step step, List<String> names, List<Schema> inputs) {
    Map<String, Schema.Field> columns = new LinkedHashMap<>();
    for (int i = 0; i < inputs.size(); i++) {
      for (Schema.Field f : inputs.get(i).fields()) {
        Schema.Field before = columns.get(f.name().toLowerCase(Locale.ROOT));
        if (before == null) {
          columns.put(f.name().toLowerCase(Locale.ROOT), f);
          continue;
        }
        Optional<Type> type = widest(before.type(), f.type());
        if (type.isEmpty()) {
          problems.problem(
              step,
              step.from().get(i),
              "unlike-types",
              "[%s] is %s here and %s before; cast one of them in a shape step"
                  .formatted(f.name(), f.type(), before.type()));
          return Optional.empty();
        }
        columns.put(
            f.name().toLowerCase(Locale.ROOT), new Schema.Field(before.name(), type.get(), true));
      }
    }
    List<String> selects = new ArrayList<>();
    for (int i = 0; i < inputs.size(); i++) {
      Schema schema = inputs.get(i);
      selects.add(
          "SELECT "
              + columns.values().stream()
                  .map(
                      f ->
                          "CAST(%s AS %s) AS %s"
                              .formatted(
                                  schema.indexOf(f.name()) < 0 ? "NULL" : quoted(f.name()),
                                  f.type(),
                                  quoted(f.name())))
                  .collect(Collectors.joining(", "))
              + " FROM "
              + quoted("input" + i));
    }
    Map<String, Schema> scope = new LinkedHashMap<>();
    for (int i = 0; i < inputs.size(); i++) {
      scope.put("input" + i, inputs.get(i));
    }
    return planned(step, session.parseQuery(String.join(" UNION ALL ", selects), 1, 1), scope)
        .map(p -> new StepBody(p.schema(), rels -> PlanSession.inline(p.rel(), numbered(rels))));
  }

  private static Map<String, RelNode> numbered(List<RelNode> rels) {
    Map<String, RelNode> out = new LinkedHashMap<>();
    for (int i = 0; i < rels.size(); i++) {
      out.put("input" + i, rels.get(i));
    }
    return out;
  }

  /** The type that holds the values of both; empty when there is none without a cast. */
  static Optional<Type> widest(Type a, Type b) {
    if (a.equals(b)) {
      return Optional.of(a);
    }
    if (a.isNumeric() && b.isNumeric()) {
      if (a.kind() == Type.Kind.DOUBLE || b.kind() == Type.Kind.DOUBLE) {
        return Optional.of(Type.DOUBLE);
      }
      if (a.kind() == Type.Kind.DECIMAL || b.kind() == Type.Kind.DECIMAL) {
        return Optional.of(
            Type.decimal(Type.MAX_DECIMAL_PRECISION, Math.max(a.scale(), b.scale())));
      }
      return Optional.of(Type.BIGINT);
    }
    boolean temporal =
        (a.kind() == Type.Kind.DATE || a.kind() == Type.Kind.TIMESTAMP)
            && (b.kind() == Type.Kind.DATE || b.kind() == Type.Kind.TIMESTAMP);
    return temporal ? Optional.of(Type.TIMESTAMP) : Optional.empty();
  }

  private Optional<StepBody> sql(
      PipelineDocument.Step step, Verb.Sql sql, List<String> names, List<Schema> inputs) {
    Map<String, Schema> scope = new LinkedHashMap<>();
    for (int i = 0; i < names.size(); i++) {
      scope.put(names.get(i), inputs.get(i));
    }
    try {
      SqlNode query = placed.query(sql.query());
      return planned(step, query, scope)
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

  /**
   * Parses an expression, and validates it alone so that each wrong one is told, not only the
   * first.
   */
  private Optional<SqlNode> expression(
      PipelineDocument.Step step, Located text, Schema input, boolean condition) {
    try {
      SqlNode node = placed.expression(text);
      SqlNode alone = node.clone(node.getParserPosition());
      SqlNode probe =
          condition
              ? select(List.of(SqlIdentifier.star(SqlParserPos.ZERO)), "input", alone, null)
              : select(List.of(as(alone, "value")), "input", null, null);
      session.plan(probe, new PlanSession.Scope(Map.of("input", new Columns(input))));
      return Optional.of(node);
    } catch (SqlProblemException e) {
      problems.problem(step, text.field(), e.problem());
      return Optional.empty();
    }
  }

  private Optional<PlanSession.Planned> planned(
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

  private static SqlNode select(
      List<SqlNode> items, String from, SqlNode where, SqlNodeList groupBy) {
    return new SqlSelect(
        SqlParserPos.ZERO,
        null,
        new SqlNodeList(items, SqlParserPos.ZERO),
        identifier(from),
        where,
        groupBy,
        null,
        null,
        null,
        null,
        null,
        null,
        null);
  }

  private static SqlIdentifier identifier(String name) {
    return new SqlIdentifier(name, SqlParserPos.ZERO);
  }

  private static SqlNode as(SqlNode node, String name) {
    return SqlStdOperatorTable.AS.createCall(node.getParserPosition(), node, identifier(name));
  }

  private static String quoted(String name) {
    return '"' + name.replace("\"", "\"\"") + '"';
  }
}
