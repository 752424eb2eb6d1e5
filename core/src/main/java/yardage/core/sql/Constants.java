package yardage.core.sql;

import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexShuttle;
import org.apache.calcite.rex.RexSubQuery;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.util.DateString;
import org.apache.calcite.util.TimeString;
import org.apache.calcite.util.TimestampString;
import yardage.core.column.Batch;
import yardage.core.expr.ExpressionException;

/**
 * Puts the time of the query in the place of {@code CURRENT_DATE} and the like, which are one time
 * in all of it, and computes dates, times and truths of constants: files can be skipped by
 * constants only, and the library fails at what is compared with a null.
 */
final class Constants extends RexShuttle {
  private static final Set<SqlKind> COMPARISONS =
      Set.of(
          SqlKind.EQUALS,
          SqlKind.NOT_EQUALS,
          SqlKind.LESS_THAN,
          SqlKind.LESS_THAN_OR_EQUAL,
          SqlKind.GREATER_THAN,
          SqlKind.GREATER_THAN_OR_EQUAL);

  private static final Set<SqlTypeName> COMPUTED =
      Set.of(SqlTypeName.DATE, SqlTypeName.TIME, SqlTypeName.TIMESTAMP, SqlTypeName.BOOLEAN);

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
  public RexNode visitSubQuery(RexSubQuery query) {
    RexSubQuery same = (RexSubQuery) super.visitSubQuery(query);
    return same.clone(in(same.rel));
  }

  @Override
  public RexNode visitCall(RexCall call) {
    switch (call.getOperator().getName()) {
      case "CURRENT_DATE":
        return date(now.toLocalDate(), call);
      case "CURRENT_TIME", "LOCALTIME":
        return time(now.toLocalTime(), call);
      case "CURRENT_TIMESTAMP", "LOCALTIMESTAMP":
        return timestamp(now, call);
      default:
        return super.visitCall(call) instanceof RexCall c ? folded(c) : call;
    }
  }

  private RexNode folded(RexCall call) {
    SqlTypeName type = call.getType().getSqlTypeName();
    if (call.getKind() == SqlKind.CASE) {
      return chosen(call);
    }
    if (COMPARISONS.contains(call.getKind())
        && call.getOperands().stream().anyMatch(o -> o instanceof RexLiteral l && l.isNull())) {
      return rexBuilder.makeNullLiteral(call.getType());
    }
    if (call.getKind() == SqlKind.AND || call.getKind() == SqlKind.OR) {
      RexNode one =
          call.getKind() == SqlKind.AND
              ? RexUtil.composeConjunction(rexBuilder, call.getOperands())
              : RexUtil.composeDisjunction(rexBuilder, listed(call.getOperands()));
      return one.equals(call) ? call : rexBuilder.ensureType(call.getType(), one, true);
    }
    if (!COMPUTED.contains(type)
        || !call.getOperands().stream().allMatch(o -> o instanceof RexLiteral)) {
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
          : value instanceof LocalTime t
              ? time(t, call)
              : value instanceof LocalDateTime t
                  ? timestamp(t, call)
                  : value instanceof Boolean b
                      ? rexBuilder.ensureType(call.getType(), rexBuilder.makeLiteral(b), true)
                      : call;
    } catch (ExpressionException | UnsupportedSqlException e) {
      // It may stand where no row comes: the run tells of it, if one does.
      return call;
    }
  }

  /** Comparisons of one expression with several constants, as one search for them. */
  private List<RexNode> listed(List<RexNode> any) {
    Map<RexNode, List<RexNode>> values = new LinkedHashMap<>();
    List<RexNode> out = new ArrayList<>();
    for (RexNode one : any) {
      if (one.getKind() == SqlKind.EQUALS
          && ((RexCall) one).getOperands().get(1) instanceof RexLiteral value) {
        values
            .computeIfAbsent(((RexCall) one).getOperands().get(0), x -> new ArrayList<>())
            .add(value);
      } else {
        out.add(one);
      }
    }
    values.forEach((x, of) -> out.add(rexBuilder.makeIn(x, of)));
    return out;
  }

  /** A CASE without the branches that are never taken. */
  private RexNode chosen(RexCall call) {
    List<RexNode> o = call.getOperands();
    List<RexNode> left = new ArrayList<>();
    for (int i = 0; i + 1 < o.size(); i += 2) {
      if (o.get(i).isAlwaysTrue()) {
        left.add(o.get(i + 1));
        break;
      }
      if (!o.get(i).isAlwaysFalse() && !(o.get(i) instanceof RexLiteral)) {
        left.add(o.get(i));
        left.add(o.get(i + 1));
      }
    }
    if (left.size() % 2 == 0) {
      left.add(o.get(o.size() - 1));
    }
    return left.size() == 1
        ? rexBuilder.ensureType(call.getType(), left.get(0), true)
        : left.size() == o.size()
            ? call
            : rexBuilder.makeCall(call.getType(), call.getOperator(), left);
  }

  private RexNode date(LocalDate day, RexCall call) {
    return rexBuilder.ensureType(
        call.getType(),
        rexBuilder.makeDateLiteral(DateString.fromDaysSinceEpoch((int) day.toEpochDay())),
        true);
  }

  private RexNode time(LocalTime time, RexCall call) {
    TimeString text =
        new TimeString(time.getHour(), time.getMinute(), time.getSecond())
            .withNanos(time.getNano());
    return rexBuilder.ensureType(
        call.getType(), rexBuilder.makeTimeLiteral(text, SqlTypes.DIGITS_OF_SECOND), true);
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
    return rexBuilder.ensureType(
        call.getType(), rexBuilder.makeTimestampLiteral(text, SqlTypes.DIGITS_OF_SECOND), true);
  }
}
