package yardage.core.schedule;

import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.util.Optional;
import yardage.core.document.Amounts;
import yardage.core.document.DocumentReader;

/**
 * When something is due by itself.
 *
 * @param starts the first day on which it may be
 * @param ends the last day on which it may be
 */
public record Schedule(
    Cron cron, ZoneId zone, Optional<LocalDate> starts, Optional<LocalDate> ends) {

  /** Reads {@code {cron, zone, starts, ends}}; what is wrong is told to the reader. */
  public static Optional<Schedule> read(DocumentReader r) {
    r.required("cron", "five fields: minute, hour, day of month, month, day of week");
    Optional<Cron> cron = r.parsed("cron", Cron::parse);
    ZoneId zone = r.parsed("zone", Amounts::zone).orElse(ZoneId.of("UTC"));
    Optional<LocalDate> starts = r.parsed("starts", LocalDate::parse);
    Optional<LocalDate> ends = r.parsed("ends", LocalDate::parse);
    r.finish();
    return cron.map(c -> new Schedule(c, zone, starts, ends));
  }

  /** The first time after an instant at which it is due; empty when there is none any more. */
  public Optional<Instant> next(Instant after) {
    ZonedDateTime from = after.atZone(zone);
    if (starts.isPresent() && from.toLocalDate().isBefore(starts.get())) {
      from = starts.get().atStartOfDay(zone).minusSeconds(1);
    }
    return cron.next(from)
        .filter(t -> ends.isEmpty() || !t.toLocalDate().isAfter(ends.get()))
        .map(ZonedDateTime::toInstant);
  }
}
