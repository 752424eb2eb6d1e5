package yardage.core.plan;

import java.util.List;
import java.util.Optional;
import yardage.core.expr.Expression;

/** What happens to the rows of a chain on their way, a batch at a time. */
public sealed interface Operation {
  /** One answer for each kind. */
  interface Visitor<R> {
    R filter(Filter filter);

    R project(Project project);

    R border(Border border);

    R apply(Apply apply);

    R probe(Probe probe);
  }

  <R> R accept(Visitor<R> visitor);

  record Filter(String step, Expression condition) implements Operation {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.filter(this);
    }
  }

  record Project(List<Expression> expressions) implements Operation {
    public Project {
      expressions = List.copyOf(expressions);
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.project(this);
    }
  }

  /** See {@link PlanNode.Border}. */
  record Border(Optional<String> outOf, Optional<String> into, boolean right) implements Operation {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.border(this);
    }
  }

  record Apply(String step, RowDescription what) implements Operation {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.apply(this);
    }
  }

  /** The left rows of a join whose right ones an earlier stage has built. */
  record Probe(int stage) implements Operation {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.probe(this);
    }
  }
}
