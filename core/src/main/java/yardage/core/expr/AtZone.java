package yardage.core.expr;

import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.zone.ZoneRules;
import java.util.List;
import yardage.core.column.*;

/**
 * {@code time AT TIME ZONE zone}: of a point in time what the clocks of the zone show, and of what
 * the clocks of the zone show the point in time. What comes twice, as the clock is put back, is the
 * first of both; what never comes is an error.
 */
public record AtZone(Expression operand, ZoneId zone) implements Expression {
  private static final long MICROS = 1_000_000L;

  /**
   * @throws ExpressionException when there is no such zone
   */
  public static AtZone of(Expression operand, String zone) {
    try {
      return new AtZone(operand, ZoneId.of(zone.strip()));
    } catch (DateTimeException e) {
      throw new ExpressionException(
          "There is no time zone [%s]; zones are written as Europe/Lisbon, UTC or +01:00"
              .formatted(zone));
    }
  }

  @Override
  public Type type() {
    return operand.type().kind() == Type.Kind.TIMESTAMP_TZ ? Type.TIMESTAMP : Type.TIMESTAMP_TZ;
  }

  @Override
  public Column evaluate(Batch batch) {
    LongColumn times = (LongColumn) operand.evaluate(batch);
    boolean toLocal = type().kind() == Type.Kind.TIMESTAMP;
    ZoneRules rules = zone.getRules();
    long[] out = new long[times.size()];
    for (int r = 0; r < out.length; r++) {
      if (!times.isNull(r)) {
        long at = times.values()[r];
        out[r] = toLocal ? at + offset(rules, at) : at - localOffset(rules, at);
      }
    }
    return new LongColumn(type(), out, times.nulls(), out.length);
  }

  private static long offset(ZoneRules rules, long micros) {
    Instant at = Instant.ofEpochSecond(Math.floorDiv(micros, MICROS));
    return rules.getOffset(at).getTotalSeconds() * MICROS;
  }

  private long localOffset(ZoneRules rules, long micros) {
    LocalDateTime at = Values.timestamp(micros);
    List<ZoneOffset> offsets = rules.getValidOffsets(at);
    if (offsets.isEmpty()) {
      throw new ExpressionException(
          "[%s] does not exist in %s, where the clock skips it".formatted(Values.text(at), zone));
    }
    return offsets.get(0).getTotalSeconds() * MICROS;
  }
}
