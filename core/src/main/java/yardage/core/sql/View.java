package yardage.core.sql;

import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import yardage.core.column.Schema;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;

/**
 * A query that others name in FROM. Its algebra is put in its place when one that names it is
 * planned, so that filters and columns reach the tables below it. For one query, and not
 * thread-safe.
 */
public final class View implements Relation {
  private static final double UNKNOWN_ROWS = 100_000;

  private final String name;
  private final String sql;
  private final Function<View, Schema> columns;
  private Schema schema;
  private boolean asked;

  /**
   * @param name the document's
   * @param columns gives the columns of the query; asked once, if it is named
   */
  public View(String name, String sql, Function<View, Schema> columns) {
    this.name = name;
    this.sql = sql;
    this.columns = columns;
  }

  public String name() {
    return name;
  }

  public String sql() {
    return sql;
  }

  /** Whether a query turned out to name it. */
  public boolean isRead() {
    return asked;
  }

  @Override
  public Schema schema() {
    if (schema == null) {
      if (asked) {
        throw new BrokenException(this, "it reads itself");
      }
      asked = true;
      try {
        schema = columns.apply(this);
      } catch (SqlProblemException | UnsupportedSqlException e) {
        throw new BrokenException(this, e.getMessage());
      } finally {
        asked = schema != null;
      }
    }
    return schema;
  }

  /** The columns; empty where the view cannot be read in a query. */
  public Optional<Schema> schemaIfAny() {
    try {
      return Optional.of(schema());
    } catch (BrokenException e) {
      return Optional.empty();
    }
  }

  @Override
  public double rowCount() {
    return UNKNOWN_ROWS;
  }

  @Override
  public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
    throw new IllegalStateException("View [%s] was not put in its place".formatted(name));
  }

  /** A view that cannot be read any more, or not in a query. */
  static final class BrokenException extends RuntimeException {
    private final transient View view;

    BrokenException(View view, String why) {
      // What a view says of itself, on the way around a circle, is said once.
      super(why.startsWith(words(view, "")) ? why : words(view, why));
      this.view = view;
    }

    private static String words(View view, String why) {
      return "View [%s] cannot be read: %s".formatted(view.name, why);
    }

    View view() {
      return view;
    }
  }
}
