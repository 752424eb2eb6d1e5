package yardage.service.query;

import java.util.ArrayList;
import java.util.List;
import org.springframework.http.HttpStatus;
import yardage.core.column.ColumnFullException;
import yardage.core.column.Values;
import yardage.core.exec.MemoryExceededException;
import yardage.core.exec.StepFailedException;
import yardage.core.expr.ExpressionException;
import yardage.core.feed.FeedChangedException;
import yardage.core.feed.FeedException;
import yardage.core.format.FileFormatException;
import yardage.service.web.ApiException;

/** Rows and failures as people see them. */
public final class ShownRows {
  private ShownRows() {}

  /** Rows for people; see {@link ResultRows}. */
  static List<List<Object>> shown(List<List<Object>> rows) {
    List<List<Object>> out = new ArrayList<>();
    for (List<Object> row : rows) {
      List<Object> values = new ArrayList<>();
      row.forEach(v -> values.add(json(v)));
      out.add(values);
    }
    return out;
  }

  /** What a failure means to the one who asked. */
  static RuntimeException refusal(StepFailedException e) {
    if (e.reason() instanceof ExpressionException
        || e.reason() instanceof ColumnFullException
        || e.reason() instanceof MemoryExceededException) {
      return new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          e.reason() instanceof ExpressionException ? "value" : "memory",
          e.getMessage(),
          "Change the query, then try again");
    }
    if (e.reason() instanceof FeedException
        || e.reason() instanceof FileFormatException
        || e.reason() instanceof FeedChangedException) {
      return new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "feed",
          e.getMessage(),
          "Fix the files or the feed, then query again");
    }
    return e.reason();
  }

  /** A value for people; see {@link ResultRows}. */
  public static Object json(Object value) {
    if (value == null
        || value instanceof Integer
        || value instanceof Boolean
        || value instanceof String) {
      return value;
    }
    if (value instanceof Double || value instanceof Float) {
      return Double.isFinite(((Number) value).doubleValue()) ? value : value.toString();
    }
    if (value instanceof Long n && Math.abs(n) < 1L << 53) {
      return n;
    }
    return Values.text(value);
  }
}
