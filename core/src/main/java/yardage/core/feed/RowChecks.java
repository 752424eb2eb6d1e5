package yardage.core.feed;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.Bits;
import yardage.core.column.BooleanColumn;
import yardage.core.column.Type;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.expr.Expression;
import yardage.core.expr.ExpressionException;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RejectedRecord;
import yardage.core.sql.PlanSession;
import yardage.core.sql.SqlProblem;
import yardage.core.sql.SqlProblemException;
import yardage.core.sql.UnsupportedSqlException;

/**
 * The conditions of a contract. As SQL's CHECK has it, a row fails a condition that is false, and
 * passes one that is unknown. Thread-safe.
 */
final class RowChecks {
  private record Compiled(FeedColumn column, Expression condition) {}

  private final List<Compiled> checks = new ArrayList<>();

  RowChecks(FeedDefinition feed) {
    PlanSession session = null;
    for (FeedColumn column : feed.columns()) {
      if (column.check().isPresent()) {
        session = session == null ? new PlanSession() : session;
        checks.add(
            new Compiled(
                column, session.expression(column.check().get().sql(), 1, 1, feed.schema())));
      }
    }
  }

  /** Notes what is wrong with the conditions of a feed. */
  static void problems(FeedDefinition feed, List<Problem> problems) {
    PlanSession session = null;
    for (FeedColumn column : feed.columns()) {
      if (column.check().isEmpty()) {
        continue;
      }
      session = session == null ? new PlanSession() : session;
      Place at = column.check().get().place();
      try {
        Type type =
            session
                .expression(column.check().get().sql(), at.line(), at.column(), feed.schema())
                .type();
        if (type.kind() != Type.Kind.BOOLEAN) {
          problems.add(
              problem(column, at, "A check must be true or false, and this one is " + type));
        }
      } catch (SqlProblemException e) {
        SqlProblem p = e.problem();
        problems.add(
            new Problem(
                Problem.Severity.ERROR,
                "wrong-sql",
                column.name(),
                "columns." + column.name() + ".check",
                new Place(p.line(), p.column(), p.endLine(), p.endColumn()),
                p.message(),
                p.fix()));
      } catch (UnsupportedSqlException e) {
        problems.add(problem(column, at, e.getMessage()));
      }
    }
  }

  private static Problem problem(FeedColumn column, Place at, String message) {
    return new Problem(
        Problem.Severity.ERROR,
        "wrong-sql",
        column.name(),
        "columns." + column.name() + ".check",
        at,
        message,
        java.util.Optional.empty());
  }

  boolean isEmpty() {
    return checks.isEmpty();
  }

  /**
   * Adds a failure for each row that does not meet a condition; rows that failed before are not
   * looked at, since their values mean nothing.
   */
  void look(Batch batch, boolean[] failedBefore, FieldFailures failures) {
    for (Compiled check : checks) {
      try {
        note(check, (BooleanColumn) check.condition().evaluate(batch), 0, failedBefore, failures);
      } catch (ExpressionException e) {
        // Some row cannot be computed, such as a division by zero: that row alone fails.
        for (int r = 0; r < batch.rowCount(); r++) {
          lookAlone(check, batch, r, failedBefore, failures);
        }
      }
    }
  }

  private static void lookAlone(
      Compiled check, Batch batch, int row, boolean[] failedBefore, FieldFailures failures) {
    if (failedBefore[row]) {
      return;
    }
    try {
      Batch one = batch.gather(new int[] {row}, 1);
      note(
          check,
          (BooleanColumn) check.condition().evaluate(one),
          row,
          new boolean[batch.rowCount()],
          failures);
    } catch (ExpressionException e) {
      failures.add(
          row,
          new RejectedRecord.Failure(check.column().name(), Reason.CHECK_FAILED, e.getMessage()));
    }
  }

  private static void note(
      Compiled check,
      BooleanColumn result,
      int firstRow,
      boolean[] failedBefore,
      FieldFailures failures) {
    for (int r = 0; r < result.size(); r++) {
      if (!failedBefore[firstRow + r] && !Bits.get(result.nulls(), r) && result.values()[r] == 0) {
        failures.add(
            firstRow + r,
            new RejectedRecord.Failure(
                check.column().name(),
                Reason.CHECK_FAILED,
                "the check [%s] is false"
                    .formatted(check.column().check().orElseThrow().sql().strip())));
      }
    }
  }
}
