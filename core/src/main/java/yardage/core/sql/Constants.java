package yardage.core.sql;

import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.temporal.ChronoUnit;
import java.util.List;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexShuttle;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.util.DateString;
import org.apache.calcite.util.TimestampString;
import yardage.core.column.Batch;
import yardage.core.expr.ExpressionException;

/**
 * Puts the time of the query in the place of {@code CURRENT_DATE} and the like, which are one time
 * in all of it, and computes dates and times of constants: files can be skipped by constants only.
 */
final class Constants extends RexShuttle {
  private final RexBuilder rexBuilder;
  private final LocalDateTime now;

  /**
   * @param now in UTC
   */
  Constants(RexBuilder rexBuilder, Instant now) {
    this.rexBuilder = rexBuilder;
    this.now = LocalDateTime.ofInstant(now.truncatedTo(ChronoUnit.MICROS), ZoneOffset.UTC);
  }

  RelNode in(RelNode rel) {
    return rel.accept(
        new RelHomogeneousShuttle() {
          @Override
          public RelNode visit(RelNode other) {
            return super.visit(other).accept(Constants.this);
          }
        });
  }

  @Override
  public RexNode visitCall(RexCall call) {
    switch (call.getOperator().getName()) {
      case "CURRENT_DATE":
        return date(now.toLocalDate(), call);
      case "CURRENT_TIMESTAMP", "LOCALTIMESTAMP":
        return timestamp(now, call);
      default:
        return super.visitCall(call) instanceof RexCall c ? folded(c) : call;
    }
  }

  private RexNode folded(RexCall call) {
    SqlTypeName type = call.getType().getSqlTypeName();
    boolean isTime = type == SqlTypeName.DATE || type == SqlTypeName.TIMESTAMP;
    if (!isTime || !call.getOperands().stream().allMatch(o -> o instanceof RexLiteral)) {
      return call;
    }
    try {
      Object value =
          new RexTranslator(rexBuilder)
              .translate(call)
              .evaluate(new Batch(List.of(), 1, 0))
              .value(0);
      return value instanceof LocalDate d
          ? date(d, call)
          : value instanceof LocalDateTime t ? timestamp(t, call) : call;
    } catch (ExpressionException | UnsupportedSqlException e) {
      // It may stand where no row comes: the run tells of it, if one does.
      return call;
    }
  }

  private RexNode date(LocalDate day, RexCall call) {
    return rexBuilder.ensureType(
        call.getType(),
        rexBuilder.makeDateLiteral(DateString.fromDaysSinceEpoch((int) day.toEpochDay())),
        true);
  }

  private RexNode timestamp(LocalDateTime time, RexCall call) {
    TimestampString text =
        new TimestampString(
                time.getYear(),
                time.getMonthValue(),
                time.getDayOfMonth(),
                time.getHour(),
                time.getMinute(),
                time.getSecond())
            .withNanos(time.getNano());
    return rexBuilder.ensureType(call.getType(), rexBuilder.makeTimestampLiteral(text, 6), true);
  }
}
