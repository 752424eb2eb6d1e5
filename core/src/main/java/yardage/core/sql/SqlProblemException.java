package yardage.core.sql;

/** SQL that cannot be planned. */
public final class SqlProblemException extends RuntimeException {
  private final SqlProblem problem;

  public SqlProblemException(SqlProblem problem, Throwable cause) {
    super(problem.message(), cause);
    this.problem = problem;
  }

  public SqlProblem problem() {
    return problem;
  }
}
