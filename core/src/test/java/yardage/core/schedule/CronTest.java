package yardage.core.schedule;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.pipeline.read.PipelineDocument;

class CronTest {
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "30 * * * *       | 2026-03-01T10:30Z | 2026-03-01T11:30Z",
        "*/15 9-17 * * 1-5| 2026-03-06T17:45Z | 2026-03-09T09:00Z",
        "0 0 29 2 *       | 2026-03-01T00:00Z | 2028-02-29T00:00Z",
        "0 6 13 * fri     | 2026-03-01T00:00Z | 2026-03-06T06:00Z",
        "5,10 0 1 jan,jul *| 2026-01-01T00:05Z | 2026-01-01T00:10Z",
        "0 12 * * 7       | 2026-03-02T00:00Z | 2026-03-08T12:00Z",
        // Hours before and after too: an interval stays even, through the hour that comes twice.
        "*/15 * * * *     | 2026-10-25T01:45+01:00[Europe/Lisbon] | 2026-10-25T01:00Z[Europe/Lisbon]",
        "0 */2 * * *      | 2026-10-25T02:00+02:00[Europe/Berlin] | 2026-10-25T04:00+01:00[Europe/Berlin]",
        // Lisbon skips 01:00 to 02:00 on 2026-03-29: what was due then comes when the clock has
        // moved on.
        "30 1 * * *       | 2026-03-29T00:00Z[Europe/Lisbon] | 2026-03-29T02:30+01:00[Europe/Lisbon]",
        // It passes 01:30 twice on 2026-10-25: once is enough.
        "30 1 * * *       | 2026-10-25T01:30+01:00[Europe/Lisbon] | 2026-10-26T01:30Z[Europe/Lisbon]",
      })
  void findsTheNextTime(String cron, String after, String expected) {
    assertEquals(
        ZonedDateTime.parse(expected).toInstant(),
        Cron.parse(cron).next(ZonedDateTime.parse(after)).orElseThrow().toInstant());
  }

  /**
   * Held against every minute that really passes, in zones that shift by hours, halves and days.
   */
  @ParameterizedTest
  @CsvSource({
    "Europe/Lisbon,2026",
    "Europe/Berlin,2026",
    "Australia/Lord_Howe,2026",
    "Pacific/Apia,2011",
    "America/St_Johns,2026",
    "Asia/Kolkata,2026"
  })
  void firesAtEveryMinuteThatPassesWhereThePatternRunsThrough(String zone, int year) {
    ZoneId id = ZoneId.of(zone);
    for (String text : new String[] {"*/15 * * * *", "7,40 * * * *"}) {
      Cron cron = Cron.parse(text);
      Set<Instant> expected = new HashSet<>();
      Instant end = LocalDate.of(year + 1, 1, 2).atStartOfDay(id).toInstant();
      ZonedDateTime t = LocalDate.of(year, 1, 1).atStartOfDay(id);
      for (Instant i = t.toInstant(); i.isBefore(end); i = i.plusSeconds(60)) {
        ZonedDateTime wall = i.atZone(id);
        if (cron.minutes().get(wall.getMinute())) {
          expected.add(i);
        }
      }
      // What the clock skips is made up for, beside what is due then anyway.
      List<Instant> fired = new ArrayList<>();
      for (var next = cron.next(t.minusMinutes(1)); ; next = cron.next(next.get())) {
        if (!next.orElseThrow().toInstant().isBefore(end)) {
          break;
        }
        fired.add(next.get().toInstant());
      }
      assertTrue(new HashSet<>(fired).containsAll(expected), zone + " loses minutes of " + text);
      assertEquals(new ArrayList<>(new TreeSet<>(fired)), fired);
      long extra = fired.stream().filter(f -> !expected.contains(f)).count();
      assertTrue(extra <= 2, zone + " fires " + extra + " more of " + text);
    }
  }

  @Test
  void everySkippedTimeIsMadeUpForOnce() {
    ZonedDateTime t = ZonedDateTime.parse("2026-03-29T00:00Z[Europe/Lisbon]");
    Cron cron = Cron.parse("10,30,50 1 * * *");
    List<String> fired = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      t = cron.next(t).orElseThrow();
      fired.add(t.toLocalDateTime().toString());
    }
    assertEquals(
        List.of("2026-03-29T02:10", "2026-03-29T02:30", "2026-03-29T02:50", "2026-03-30T01:10"),
        fired);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        "* * * *",
        "60 * * * *",
        "* 24 * * *",
        "* * 0 * *",
        "* * * 13 *",
        "* * * * 8",
        "5-1 * * * *",
        "*/0 * * * *",
        "a * * * *",
        "0 0 31 2 *",
        "1,,2 * * * *"
      })
  void refusesWhatNeverMatchesOrCannotBeRead(String cron) {
    assertTrue(
        assertThrows(IllegalArgumentException.class, () -> Cron.parse(cron))
            .getMessage()
            .startsWith("Invalid"));
  }

  @Test
  void aScheduleKeepsToItsDays() {
    String text =
        "pipeline: p\nschedule: {cron: \"0 12 * * *\", zone: Europe/Lisbon, starts: 2026-07-02, ends: 2026-07-03}\nsteps: {}\n";
    Schedule schedule = PipelineDocument.parse(text).schedule().orElseThrow();

    var first = schedule.next(java.time.Instant.parse("2026-01-01T00:00:00Z")).orElseThrow();
    var second = schedule.next(first).orElseThrow();

    assertEquals("2026-07-02T11:00:00Z", first.toString());
    assertEquals("2026-07-03T11:00:00Z", second.toString());
    assertTrue(schedule.next(second).isEmpty());
  }
}
