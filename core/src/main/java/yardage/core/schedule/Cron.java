package yardage.core.schedule;

import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.time.temporal.ChronoUnit;
import java.time.zone.ZoneOffsetTransition;
import java.time.zone.ZoneRules;
import java.util.BitSet;
import java.util.List;
import java.util.Locale;
import java.util.Optional;

/**
 * A five-field cron expression as POSIX has it: minute, hour, day of month, month, day of week (0
 * and 7 are Sunday), with {@code * , - /} and the three-letter names of months and days. When both
 * days are restricted, either may match.
 */
public record Cron(
    String text,
    BitSet minutes,
    BitSet hours,
    BitSet days,
    BitSet months,
    BitSet weekdays,
    boolean anyDay,
    boolean anyWeekday) {
  private static final List<String> MONTHS =
      List.of("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec");
  private static final List<String> WEEKDAYS =
      List.of("sun", "mon", "tue", "wed", "thu", "fri", "sat");

  /**
   * Every pattern that matches at all does so within the 8 years between two leap days around a
   * century.
   */
  private static final int MAX_DAYS_AHEAD = 366 * 9;

  /**
   * @throws IllegalArgumentException naming the field that is wrong
   */
  public static Cron parse(String text) {
    String[] f = text.trim().split("\\s+");
    if (f.length != 5) {
      throw new IllegalArgumentException(
          "Invalid cron [%s]: it has %d fields and needs five: minute hour day-of-month month day-of-week"
              .formatted(text, f.length));
    }
    BitSet weekdays = field("day of week", f[4], 0, 7, WEEKDAYS, 0);
    if (weekdays.get(7)) {
      weekdays.set(0);
    }
    Cron cron =
        new Cron(
            text.trim(),
            field("minute", f[0], 0, 59, List.of(), 0),
            field("hour", f[1], 0, 23, List.of(), 0),
            field("day of month", f[2], 1, 31, List.of(), 0),
            field("month", f[3], 1, 12, MONTHS, 1),
            weekdays,
            f[2].startsWith("*"),
            f[4].startsWith("*"));
    if (cron.next(LocalDateTime.of(2024, 1, 1, 0, 0).atZone(java.time.ZoneOffset.UTC)).isEmpty()) {
      throw new IllegalArgumentException(
          "Invalid cron [%s]: no day ever matches it".formatted(text));
    }
    return cron;
  }

  private static BitSet field(
      String name, String text, int min, int max, List<String> words, int firstWord) {
    BitSet out = new BitSet();
    for (String part : text.split(",", -1)) {
      String[] step = part.split("/", -1);
      int every = step.length == 2 ? number(name, step[1], 1, max, List.of(), 0) : 1;
      String[] range = step[0].split("-", -1);
      if (step.length > 2 || range.length > 2) {
        throw new IllegalArgumentException("Invalid %s [%s] in cron".formatted(name, part));
      }
      int from = step[0].equals("*") ? min : number(name, range[0], min, max, words, firstWord);
      int to =
          step[0].equals("*")
              ? max
              : range.length == 2
                  ? number(name, range[1], min, max, words, firstWord)
                  : step.length == 2 ? max : from;
      if (from > to) {
        throw new IllegalArgumentException(
            "Invalid %s [%s] in cron: %d is after %d".formatted(name, part, from, to));
      }
      for (int v = from; v <= to; v += every) {
        out.set(v);
      }
    }
    return out;
  }

  private static int number(
      String name, String text, int min, int max, List<String> words, int firstWord) {
    int word = words.indexOf(text.toLowerCase(Locale.ROOT));
    if (word >= 0) {
      return word + firstWord;
    }
    if (text.matches("\\d{1,2}")
        && Integer.parseInt(text) >= min
        && Integer.parseInt(text) <= max) {
      return Integer.parseInt(text);
    }
    throw new IllegalArgumentException(
        "Invalid %s [%s] in cron: write %d to %d".formatted(name, text, min, max));
  }

  /**
   * The first minute after {@code after} that matches, by the wall clock of its zone. A time that
   * the clock skips in spring is due by as much later as the clock moves on. A time that comes
   * twice in autumn is due the first time only, unless the pattern also has the hours before and
   * after it: then it is due at every minute that passes, so that an interval stays even.
   */
  public Optional<ZonedDateTime> next(ZonedDateTime after) {
    ZoneRules rules = after.getZone().getRules();
    Instant from = after.toInstant().truncatedTo(ChronoUnit.MINUTES).plus(1, ChronoUnit.MINUTES);
    Instant last = from.plus(MAX_DAYS_AHEAD, ChronoUnit.DAYS);
    // From one change of the clock to the next, between which minutes simply follow each other.
    while (from.isBefore(last)) {
      ZoneOffset offset = rules.getOffset(from);
      ZoneOffsetTransition ends = rules.nextTransition(from);
      Instant end = ends == null || ends.getInstant().isAfter(last) ? last : ends.getInstant();
      Optional<LocalDateTime> found =
          between(
              LocalDateTime.ofInstant(from, offset),
              LocalDateTime.ofInstant(end, offset),
              Optional.ofNullable(rules.previousTransition(from.plusNanos(1))));
      if (found.isPresent()) {
        return Optional.of(found.get().toInstant(offset).atZone(after.getZone()));
      }
      from = end;
    }
    return Optional.empty();
  }

  /**
   * The first match between two times of one offset.
   *
   * @param begun the change of the clock that the offset began with
   */
  private Optional<LocalDateTime> between(
      LocalDateTime from, LocalDateTime end, Optional<ZoneOffsetTransition> begun) {
    Optional<LocalDateTime> found = match(from, end);
    if (begun.filter(ZoneOffsetTransition::isOverlap).isPresent()) {
      while (found.isPresent()
          && found.get().isBefore(begun.get().getDateTimeBefore())
          && !runsThrough(found.get().getHour())) {
        found = match(found.get().plusMinutes(1), end);
      }
    } else if (begun.isPresent()) {
      LocalDateTime first = from.minus(begun.get().getDuration());
      LocalDateTime skipped = begun.get().getDateTimeBefore();
      Optional<LocalDateTime> late =
          match(first.isAfter(skipped) ? first : skipped, begun.get().getDateTimeAfter())
              .map(t -> t.plus(begun.get().getDuration()))
              .filter(t -> t.isBefore(end));
      if (late.isPresent() && (found.isEmpty() || late.get().isBefore(found.get()))) {
        return late;
      }
    }
    return found;
  }

  private boolean runsThrough(int hour) {
    return hours.get((hour + 23) % 24) && hours.get(hour) && hours.get((hour + 1) % 24);
  }

  /** The first minute from one on, before another, that matches as numbers alone. */
  private Optional<LocalDateTime> match(LocalDateTime from, LocalDateTime end) {
    LocalDateTime t = from;
    while (t.isBefore(end)) {
      if (matchesDay(t)) {
        for (int h = hours.nextSetBit(t.getHour()); h >= 0; h = hours.nextSetBit(h + 1)) {
          int m = minutes.nextSetBit(h == t.getHour() ? t.getMinute() : 0);
          if (m >= 0) {
            return Optional.of(t.toLocalDate().atTime(h, m)).filter(f -> f.isBefore(end));
          }
        }
      }
      t = t.toLocalDate().plusDays(1).atStartOfDay();
    }
    return Optional.empty();
  }

  private boolean matchesDay(LocalDateTime t) {
    if (!months.get(t.getMonthValue())) {
      return false;
    }
    boolean day = days.get(t.getDayOfMonth());
    boolean weekday = weekdays.get(t.getDayOfWeek().getValue() % 7);
    return anyDay || anyWeekday ? day && weekday : day || weekday;
  }
}
