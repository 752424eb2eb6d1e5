package yardage.core.plan;

import yardage.core.column.Schema;

/** Where the rows of a stage end. */
public sealed interface Output {
  /** For whom the end of the stage is counted. */
  String step();

  /** The columns that come out of the stage. */
  Schema schema();

  /** Whether rows leave the plan here, so that no stage needs this one. */
  default boolean isEnd() {
    return false;
  }

  /** One answer for each kind. */
  interface Visitor<R> {
    R build(Build build);

    R groups(Groups groups);

    R winners(Winners winners);

    R sorted(Sorted sorted);

    R together(Together together);

    R kept(Kept kept);

    R written(Written written);

    R handed(Handed handed);
  }

  <R> R accept(Visitor<R> visitor);

  /** Rows that are gathered as a {@link Spec} says. */
  sealed interface Gathered extends Output {
    Spec spec();

    @Override
    default String step() {
      return spec().step();
    }

    @Override
    default Schema schema() {
      return spec().schema();
    }
  }

  /** The right side of a join, for a {@link Operation.Probe}. */
  record Build(JoinSpec spec) implements Gathered {
    @Override
    public Schema schema() {
      return spec.right();
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.build(this);
    }
  }

  record Groups(AggregateSpec spec) implements Gathered {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.groups(this);
    }
  }

  record Winners(DedupeSpec spec) implements Gathered {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.winners(this);
    }
  }

  record Sorted(SortSpec spec) implements Gathered {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.sorted(this);
    }
  }

  record Together(WholeSpec spec) implements Gathered {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.together(this);
    }
  }

  /** Rows as they are, for several readers. */
  record Kept(String name, String step, Schema schema) implements Output {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.kept(this);
    }
  }

  /** Rows that leave for a table. */
  record Written(TargetDescription target, String step, Schema schema) implements Output {
    @Override
    public boolean isEnd() {
      return true;
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.written(this);
    }
  }

  /** Rows for whoever runs the plan. */
  record Handed(String step, Schema schema) implements Output {
    @Override
    public boolean isEnd() {
      return true;
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.handed(this);
    }
  }
}
