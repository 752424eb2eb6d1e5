package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Correlate;
import org.apache.calcite.rel.core.CorrelationId;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.JoinRelType;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.Uncollect;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.tools.RelBuilder;

/**
 * Makes joins of subqueries. What a condition asks of a row ({@code EXISTS}, {@code IN}) becomes a
 * semi join or an anti join; what an expression wants to know (a value, whether there is a row) is
 * joined to the row as a column. Subqueries that name columns of the query around them are unnested
 * first ({@link Unnesting}). Nulls are as the standard has them: {@code IN} is unknown where no
 * value is equal and one of them, or the one that is looked for, is null.
 */
final class Subqueries extends RelHomogeneousShuttle {
  private final RelBuilder builder;
  private final ListRows lists;

  Subqueries(RelBuilder builder) {
    this.builder = builder;
    this.lists = new ListRows(builder);
  }

  @Override
  public RelNode visit(RelNode other) {
    RelNode node = super.visit(other);
    if (node instanceof Filter filter && has(filter.getCondition())) {
      return filtered(filter.getInput(), filter.getVariablesSet(), filter.getCondition());
    } else if (node instanceof Project project
        && project.getProjects().stream().anyMatch(Subqueries::has)) {
      return projected(project);
    } else if (node instanceof Join join && has(join.getCondition())) {
      return joined(join);
    } else if (node instanceof Uncollect uncollect) {
      return lists.alone(uncollect).orElse(node);
    } else if (node instanceof Correlate correlate) {
      return lists.beside(correlate).orElseGet(() -> lateral(correlate));
    }
    return node;
  }

  static boolean has(RexNode node) {
    return RexUtil.SubQueryFinder.find(node) != null;
  }

  private RelNode filtered(RelNode input, Set<CorrelationId> ids, RexNode condition) {
    ListsAsText lists = new ListsAsText(builder, input, ids, List.of(condition));
    OuterRows rows = rows(lists.rows(), ids);
    builder.push(lists.rows());
    List<RexNode> rest = new ArrayList<>();
    for (RexNode c : RelOptUtil.conjunctions(lists.reading(condition))) {
      if (!rows.keptBy(c)) {
        rest.add(c);
      }
    }
    List<RexNode> values = rest.stream().map(rows::replaced).toList();
    builder.filter(values);
    return lists.off(rows.back());
  }

  private OuterRows rows(RelNode input, Set<CorrelationId> ids) {
    return new OuterRows(this, builder, input, new OuterColumns(ids));
  }

  private RelNode projected(Project project) {
    Set<CorrelationId> ids = project.getVariablesSet();
    ListsAsText lists = new ListsAsText(builder, project.getInput(), ids, project.getProjects());
    OuterRows rows = rows(lists.rows(), ids);
    builder.push(lists.rows());
    List<RexNode> values =
        project.getProjects().stream().map(p -> rows.replaced(lists.reading(p))).toList();
    return builder
        .project(values, project.getRowType().getFieldNames(), true)
        .convert(project.getRowType(), true)
        .build();
  }

  private RelNode joined(Join join) {
    if (join.getJoinType() == JoinRelType.INNER) {
      RelNode all =
          builder.push(join.getLeft()).push(join.getRight()).join(JoinRelType.INNER).build();
      return filtered(all, join.getVariablesSet(), join.getCondition());
    }
    throw new UnsupportedSqlException(
        "A subquery in the ON of an outer join is not supported; filter the input by it in a query of its own, and join that");
  }

  private RelNode lateral(Correlate correlate) {
    Unnesting unnesting =
        new Unnesting(
            builder,
            correlate.getLeft(),
            new OuterColumns(Set.of(correlate.getCorrelationId())),
            correlate.getRight());
    int left = correlate.getLeft().getRowType().getFieldCount();
    int right = correlate.getRight().getRowType().getFieldCount();
    if (unnesting.fields().isEmpty()) {
      builder.push(correlate.getLeft()).push(correlate.getRight());
      builder.join(correlate.getJoinType(), builder.literal(true));
    } else {
      Unnesting.Unnested of = unnesting.unnest(correlate.getRight());
      builder.push(correlate.getLeft()).push(of.rel());
      builder.join(correlate.getJoinType(), unnesting.linked(of.width(), of.present()));
    }
    List<RexNode> columns = new ArrayList<>(builder.fields().subList(0, left));
    if (correlate.getJoinType().projectsRight()) {
      columns.addAll(builder.fields().subList(left, left + right));
    }
    return builder
        .project(columns, correlate.getRowType().getFieldNames(), true)
        .convert(correlate.getRowType(), true)
        .build();
  }
}
