package yardage.core.document;

import java.time.Duration;
import java.time.ZoneId;
import java.util.Locale;
import java.util.function.Function;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Sizes and times as people write them, with a unit. */
public final class Amounts {
  private static final Pattern AMOUNT = Pattern.compile("([0-9]+(?:\\.[0-9]+)?) ?([a-z]*)");

  private Amounts() {}

  /** A size such as {@code 500 MB}, in bytes. */
  public static long bytes(String text) {
    return amount(
        text,
        unit ->
            switch (unit) {
              case "", "b" -> 1L;
              case "kb" -> 1L << 10;
              case "mb" -> 1L << 20;
              case "gb" -> 1L << 30;
              case "tb" -> 1L << 40;
              default -> 0L;
            },
        "Invalid size [%s]: write a number and B, KB, MB, GB or TB");
  }

  /** A time such as {@code 30s}, {@code 5 min} or {@code 2h}. */
  public static Duration duration(String text) {
    return Duration.ofMillis(
        amount(
            text,
            unit ->
                switch (unit) {
                  case "ms" -> 1L;
                  case "s", "" -> 1000L;
                  case "min" -> 60_000L;
                  case "h" -> 3_600_000L;
                  case "d" -> 86_400_000L;
                  default -> 0L;
                },
            "Invalid time [%s]: write a number and ms, s, min, h or d"));
  }

  private static long amount(String text, Function<String, Long> unit, String complaint) {
    Matcher m = AMOUNT.matcher(text.strip().toLowerCase(Locale.ROOT));
    if (m.matches()) {
      long factor = unit.apply(m.group(2));
      double value = Double.parseDouble(m.group(1)) * factor;
      if (factor > 0 && value >= 0 && value < Long.MAX_VALUE) {
        return (long) value;
      }
    }
    throw new IllegalArgumentException(complaint.formatted(text));
  }

  /**
   * A zone by its name.
   *
   * @throws IllegalArgumentException when there is none of that name
   */
  public static ZoneId zone(String text) {
    try {
      return ZoneId.of(text);
    } catch (java.time.DateTimeException e) {
      throw new IllegalArgumentException(
          "Unknown zone [%s]: write one like Europe/Lisbon or UTC".formatted(text));
    }
  }
}
