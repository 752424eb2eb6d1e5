package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.JoinRelType;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.tools.RelBuilder;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.document.Problem;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.plan.JoinKind;
import yardage.core.sql.PlanSession;
import yardage.core.sql.SqlProblemException;

/**
 * Turns join steps into algebra: keys of both sides come out once, and other equal names must be
 * told apart.
 */
final class JoinCompiler {
  private final StepTools tools;
  private final PlanSession session;
  private final StepProblems problems;

  JoinCompiler(StepTools tools) {
    this.tools = tools;
    this.session = tools.session;
    this.problems = tools.problems;
  }

  Optional<StepBody> compile(
      PipelineDocument.Step step,
      Verb.JoinStep join,
      Schema left,
      Schema right,
      List<String> names) {
    List<int[]> keys = new ArrayList<>();
    join.on()
        .forEach(
            (l, r) -> {
              int a = problems.column(step, l, left);
              int b = problems.column(step, r, right);
              if (a < 0 || b < 0) {
                return;
              }
              Type x = left.field(a).type();
              Type y = right.field(b).type();
              if (!x.equals(y) && StepTools.widest(x, y).isEmpty()) {
                problems.problem(
                    step,
                    r,
                    "unlike-types",
                    "A join cannot compare [%s] of [%s], which is %s, with [%s] of [%s], which is %s; cast one of them in a shape step before"
                        .formatted(
                            left.field(a).name(),
                            names.get(0),
                            x,
                            right.field(b).name(),
                            names.get(1),
                            y));
              }
              keys.add(new int[] {a, b});
            });
    Optional<RexNode> where = where(step, join, left, right, names);
    if (join.where().isPresent() && where.isEmpty()) {
      return Optional.empty();
    }
    JoinKind kind = join.kind();
    if (kind == JoinKind.SEMI || kind == JoinKind.ANTI) {
      return Optional.of(
          new StepBody(
              left,
              rels ->
                  builder(rels, keys)
                      .join(
                          kind == JoinKind.SEMI ? JoinRelType.SEMI : JoinRelType.ANTI,
                          conditions(rels, keys, where))
                      .build()));
    }
    Set<Integer> rightKeys =
        keys.stream().map(k -> k[1]).collect(Collectors.toCollection(TreeSet::new));
    List<Integer> taken =
        join.take()
            .map(t -> problems.choose(step, t, right))
            .orElseGet(() -> java.util.stream.IntStream.range(0, right.size()).boxed().toList());
    List<Schema.Field> fields = new ArrayList<>();
    List<Integer> from = new ArrayList<>();
    for (int i = 0; i < left.size(); i++) {
      fields.add(
          new Schema.Field(
              left.field(i).name(),
              left.field(i).type(),
              left.field(i).nullable() || kind.keepsRight()));
      from.add(i);
    }
    List<String> clashes = new ArrayList<>();
    for (int i : taken) {
      if (rightKeys.contains(i)) {
        continue;
      }
      String name = right.field(i).name();
      boolean clash = left.indexOf(name) >= 0;
      if (clash && join.prefix().isEmpty()) {
        clashes.add(name);
        continue;
      }
      fields.add(
          new Schema.Field(clash ? join.prefix().get() + name : name, right.field(i).type(), true));
      from.add(left.size() + i);
    }
    if (!clashes.isEmpty()) {
      problems.add(
          new Problem(
              Problem.Severity.ERROR,
              "ambiguous-column",
              step.name(),
              "join",
              join.with().place(),
              "%s %s on both sides of the join, [%s] and [%s]; add prefix: %s_ to the join to rename the right one, take: [...] to choose what the right side gives, or drop it in a shape step before"
                  .formatted(
                      clashes,
                      clashes.size() == 1 ? "is" : "are",
                      names.get(0),
                      names.get(1),
                      names.get(1)),
              Optional.empty()));
      return Optional.empty();
    }
    Schema schema;
    try {
      schema = new Schema(fields);
    } catch (IllegalArgumentException e) {
      problems.problem(
          step,
          join.with(),
          "duplicate-column",
          e.getMessage() + " after the join; choose another prefix");
      return Optional.empty();
    }
    JoinRelType type = JoinRelType.valueOf(kind.name());
    return Optional.of(
        new StepBody(
            schema,
            rels -> {
              RelBuilder builder = builder(rels, keys);
              builder.join(type, conditions(rels, keys, where));
              List<RexNode> out = new ArrayList<>();
              for (int f : from) {
                int rightKey =
                    f >= left.size() || !kind.keepsRight()
                        ? -1
                        : keys.stream()
                            .filter(k -> k[0] == f)
                            .mapToInt(k -> k[1])
                            .findFirst()
                            .orElse(-1);
                // A row that only the right side has brings its key from there.
                out.add(
                    rightKey < 0
                        ? builder.field(f)
                        : builder.call(
                            SqlStdOperatorTable.COALESCE,
                            builder.field(f),
                            builder.cast(
                                builder.field(left.size() + rightKey),
                                builder.field(f).getType().getSqlTypeName())));
              }
              return builder.project(out, schema.names(), true).build();
            }));
  }

  private RelBuilder builder(List<RelNode> rels, List<int[]> keys) {
    return session.builder().push(rels.get(0)).push(rels.get(1));
  }

  private List<RexNode> conditions(List<RelNode> rels, List<int[]> keys, Optional<RexNode> where) {
    RelBuilder b = session.builder().push(rels.get(0)).push(rels.get(1));
    List<RexNode> out = new ArrayList<>();
    for (int[] k : keys) {
      out.add(b.call(SqlStdOperatorTable.EQUALS, b.field(2, 0, k[0]), b.field(2, 1, k[1])));
    }
    where.ifPresent(out::add);
    return out;
  }

  /** The further condition, in which columns may be told apart by the names of the steps. */
  private Optional<RexNode> where(
      PipelineDocument.Step step,
      Verb.JoinStep join,
      Schema left,
      Schema right,
      List<String> names) {
    if (join.where().isEmpty()) {
      return Optional.empty();
    }
    Located text = join.where().get();
    try {
      return Optional.of(
          session.joinCondition(
              tools.placed.expression(text), names.get(0), left, names.get(1), right));
    } catch (SqlProblemException e) {
      problems.problem(step, text.field(), e.problem());
      return Optional.empty();
    }
  }
}
