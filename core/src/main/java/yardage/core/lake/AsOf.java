package yardage.core.lake;

import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeParseException;

/** Which state of a table is meant: that of a snapshot, or that of a time. */
public sealed interface AsOf {
  /** The state of the table. */
  LakeTable of(LakeTable table);

  /** A snapshot by its number. */
  record OfSnapshot(long id) implements AsOf {
    @Override
    public LakeTable of(LakeTable table) {
      return table.asOf(id);
    }
  }

  /** What was published at a time. */
  record OfTime(Instant time) implements AsOf {
    @Override
    public LakeTable of(LakeTable table) {
      return table.asOf(time);
    }
  }

  /**
   * Reads a snapshot's number, a date, or a time; without a zone they are UTC. A date means its
   * beginning.
   *
   * @throws IllegalArgumentException when it is none of them
   */
  static AsOf parse(String text) {
    String t = text.strip();
    try {
      if (t.matches("[0-9]{5,19}")) {
        return new OfSnapshot(Long.parseLong(t));
      }
      if (t.matches("\\d{4}-\\d{2}-\\d{2}")) {
        return new OfTime(LocalDate.parse(t).atStartOfDay().toInstant(ZoneOffset.UTC));
      }
      String iso = t.replace(' ', 'T');
      return new OfTime(
          iso.matches(".*(Z|[+-]\\d{2}:?\\d{2})$")
              ? java.time.OffsetDateTime.parse(iso).toInstant()
              : LocalDateTime.parse(iso).toInstant(ZoneOffset.UTC));
    } catch (DateTimeParseException | NumberFormatException e) {
      throw new IllegalArgumentException(
          "Invalid state [%s]: write a snapshot's number, a date, or a time as in 2026-03-01 12:00"
              .formatted(text),
          e);
    }
  }
}
