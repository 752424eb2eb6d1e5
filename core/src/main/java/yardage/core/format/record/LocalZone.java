package yardage.core.format.record;

import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.zone.ZoneOffsetTransition;
import java.time.zone.ZoneRules;

/**
 * The zone whose wall clock the times of a column were read from; they become UTC.
 *
 * @param skipped what becomes of a time that the clock skips when it is put forward
 * @param repeated which of the two a time is that comes twice when the clock is put back
 */
public record LocalZone(ZoneId zone, Skipped skipped, Repeated repeated) {
  /** What becomes of a time that does not exist. */
  public enum Skipped {
    SET_ASIDE,
    /** It is as much later as the clock was put forward. */
    LATER
  }

  /** Which one a time is that exists twice. */
  public enum Repeated {
    FIRST,
    SECOND,
    SET_ASIDE
  }

  /** The time does not exist, or is not known, and its row is set aside. */
  static final long NONE = IsoTime.INVALID;

  /** Converts times of a zone; keeps the stretch of one offset that it was in last. */
  static final class Converter {
    private static final long MICROS = 1_000_000;
    private final LocalZone zone;
    private final ZoneRules rules;
    private long from = Long.MAX_VALUE;
    private long to = Long.MIN_VALUE;
    private long offsetMicros;

    Converter(LocalZone zone) {
      this.zone = zone;
      this.rules = zone.zone().getRules();
    }

    LocalZone zone() {
      return zone;
    }

    /** Microseconds of UTC, or {@link #NONE}. */
    long utc(long local) {
      if (local < from || local >= to) {
        ZoneOffsetTransition change = look(local);
        if (change != null) {
          return atChange(local, change);
        }
      }
      return local - offsetMicros;
    }

    /** Finds the stretch that a time is in; the change of the clock when it is in one. */
    private ZoneOffsetTransition look(long local) {
      LocalDateTime at =
          LocalDateTime.ofEpochSecond(Math.floorDiv(local, MICROS), 0, ZoneOffset.UTC);
      ZoneOffsetTransition change = rules.getTransition(at);
      if (change != null) {
        return change;
      }
      ZoneOffset offset = rules.getOffset(at);
      ZoneOffsetTransition before = rules.previousTransition(at.toInstant(offset).plusSeconds(1));
      ZoneOffsetTransition after = rules.nextTransition(at.toInstant(offset));
      offsetMicros = offset.getTotalSeconds() * MICROS;
      from =
          before == null
              ? Long.MIN_VALUE
              : micros(later(before.getDateTimeBefore(), before.getDateTimeAfter()));
      to =
          after == null
              ? Long.MAX_VALUE
              : micros(earlier(after.getDateTimeBefore(), after.getDateTimeAfter()));
      return null;
    }

    private long atChange(long local, ZoneOffsetTransition change) {
      long before = local - change.getOffsetBefore().getTotalSeconds() * MICROS;
      long after = local - change.getOffsetAfter().getTotalSeconds() * MICROS;
      if (change.isGap()) {
        // Read with the offset of before, it is as much later as the clock was put forward.
        return zone.skipped() == Skipped.LATER ? before : NONE;
      }
      return switch (zone.repeated()) {
        case FIRST -> before;
        case SECOND -> after;
        case SET_ASIDE -> NONE;
      };
    }

    /** What to say of a time that became none. */
    String why(long local) {
      ZoneOffsetTransition change =
          rules.getTransition(
              LocalDateTime.ofEpochSecond(Math.floorDiv(local, MICROS), 0, ZoneOffset.UTC));
      return change != null && change.isGap()
          ? "does not exist in %s, where the clock skips it".formatted(zone.zone())
          : "comes twice in %s, where the clock is put back".formatted(zone.zone());
    }

    private static LocalDateTime later(LocalDateTime a, LocalDateTime b) {
      return a.isAfter(b) ? a : b;
    }

    private static LocalDateTime earlier(LocalDateTime a, LocalDateTime b) {
      return a.isBefore(b) ? a : b;
    }

    private static long micros(LocalDateTime t) {
      return t.toEpochSecond(ZoneOffset.UTC) * MICROS + t.getNano() / 1000;
    }
  }
}
