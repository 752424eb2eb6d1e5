package yardage.core.pipeline;

import java.time.LocalDateTime;
import java.time.ZonedDateTime;
import java.time.temporal.ChronoUnit;
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
   * the clock skips in spring is taken when the clock has moved on; one that comes twice in autumn
   * is taken once.
   */
  public Optional<ZonedDateTime> next(ZonedDateTime after) {
    LocalDateTime t = after.toLocalDateTime().truncatedTo(ChronoUnit.MINUTES).plusMinutes(1);
    for (int day = 0; day < MAX_DAYS_AHEAD; day++) {
      if (matchesDay(t)) {
        for (int h = hours.nextSetBit(t.getHour()); h >= 0; h = hours.nextSetBit(h + 1)) {
          int m = minutes.nextSetBit(h == t.getHour() ? t.getMinute() : 0);
          if (m >= 0) {
            ZonedDateTime found = t.toLocalDate().atTime(h, m).atZone(after.getZone());
            if (found.isAfter(after)) {
              return Optional.of(found);
            }
            // The second pass of an autumn hour: its first pass was taken already.
            t = t.toLocalDate().atTime(h, m).plusMinutes(1);
            return next(t.minusMinutes(1).atZone(after.getZone()).withLaterOffsetAtOverlap());
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
