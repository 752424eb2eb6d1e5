package yardage.core.pipeline.read;

import java.math.BigDecimal;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.UnaryOperator;

/**
 * One rule of a check.
 *
 * @param name by which its results are kept
 * @param otherwise what happens when it is not met
 */
public record CheckRule(Located name, Kind kind, Otherwise otherwise) {

  /** What a rule asks for. */
  public sealed interface Kind {
    /** Whether it asks something of each row, so that rows can be set aside. */
    default boolean isOfRows() {
      return false;
    }

    /** The step beside the input that it looks at. */
    default Optional<Located> other() {
      return Optional.empty();
    }
  }

  /** A condition that each row must meet; null counts as not met. */
  public record EachRow(Located condition) implements Kind {
    @Override
    public boolean isOfRows() {
      return true;
    }
  }

  /** Columns whose values together no two rows share. */
  public record Unique(List<Located> columns) implements Kind {
    @Override
    public boolean isOfRows() {
      return true;
    }
  }

  /**
   * Values that some row of another step has too; a row with a null among them is not held against
   * it, as a foreign key in SQL is not.
   *
   * @param on columns here to columns there
   */
  public record FoundIn(Located step, Map<Located, Located> on) implements Kind {
    @Override
    public boolean isOfRows() {
      return true;
    }

    @Override
    public Optional<Located> other() {
      return Optional.of(step);
    }
  }

  /** How many rows there are. */
  public record RowCount(Optional<Long> least, Optional<Long> most) implements Kind {}

  /** The least share of rows that must meet a condition. */
  public record Share(Located condition, double least) implements Kind {}

  /** A condition over all rows together, written with aggregates. */
  public record Together(Located condition) implements Kind {}

  /** An aggregate over all rows that agrees with one over another step's rows. */
  public record Total(Located here, Located step, Located there, Slack within) implements Kind {
    static final Slack EXACT = new Slack(BigDecimal.ZERO, false);

    /**
     * How far apart they may be.
     *
     * @param ofTotal whether it is a share of the other total
     */
    public record Slack(BigDecimal value, boolean ofTotal) {}

    @Override
    public Optional<Located> other() {
      return Optional.of(step);
    }
  }

  /**
   * The newest row is not older than that when the run begins.
   *
   * @param column a date, which lasts until its end, or a timestamp
   * @param words the time as it was written
   */
  public record Fresh(Located column, Duration within, String words) implements Kind {}

  /** The same with other names of steps, as a part's rules have them in a pipeline. */
  public CheckRule renamed(UnaryOperator<Located> name) {
    Kind with =
        kind instanceof FoundIn f
            ? new FoundIn(name.apply(f.step()), f.on())
            : kind instanceof Total t
                ? new Total(t.here(), name.apply(t.step()), t.there(), t.within())
                : kind;
    return new CheckRule(this.name, with, otherwise);
  }

  /** What happens when a rule is not met. */
  public enum Otherwise {
    SET_ASIDE,
    WARN,
    STOP
  }
}
