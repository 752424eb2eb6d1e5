package yardage.core.sql;

import java.util.Optional;
import org.apache.calcite.sql.parser.SqlParserPos;

/** SQL that cannot be planned. */
public final class SqlProblemException extends RuntimeException {
  private final SqlProblem problem;

  public SqlProblemException(SqlProblem problem, Throwable cause) {
    super(problem.message(), cause);
    this.problem = problem;
  }

  /** Of what stands at a place. */
  public static SqlProblemException at(SqlParserPos place, String message) {
    return at(place, message, Optional.empty(), null);
  }

  /**
   * @param cause null where there is none
   */
  public static SqlProblemException at(
      SqlParserPos place, String message, Optional<String> fix, Throwable cause) {
    return new SqlProblemException(
        new SqlProblem(
            Math.max(1, place.getLineNum()),
            Math.max(1, place.getColumnNum()),
            Math.max(1, place.getEndLineNum()),
            Math.max(1, place.getEndColumnNum()),
            message,
            fix),
        cause);
  }

  public SqlProblem problem() {
    return problem;
  }
}
