package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.StepTally;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/** How far times are apart, moved by and compared, beside the platform's arithmetic. */
class IntervalsTest {
  private static final Schema SHIFTS =
      Schema.of(
          new Schema.Field("id", Type.INT),
          new Schema.Field("b", Type.TIMESTAMP),
          new Schema.Field("e", Type.TIMESTAMP),
          new Schema.Field("d", Type.DATE),
          new Schema.Field("n", Type.INT));

  private final SplittableRandom random = new SplittableRandom(Long.getLong("yardage.seed", 17));

  private static List<List<Object>> rows(List<List<Object>> shifts, String sql) {
    PlanSession session = new PlanSession();
    PlanSession.Planned planned =
        session.plan(
            session.parseQuery(sql, 1, 1),
            new PlanSession.Scope(Map.of("shifts", Rows.relation(SHIFTS, shifts, 3))));
    return Rows.rows(
        LivePlans.executor(ExecutionContext.standalone(1L << 28), new StepTally("query", "sql"))
            .collect(session.physical().plan(session.optimize(planned.rel()), "query"), "query"));
  }

  private LocalDateTime time() {
    return LocalDateTime.of(2026, 1, 1, 0, 0)
        .plus(random.nextLong(-90_000_000_000_000L, 90_000_000_000_000L), ChronoUnit.MICROS);
  }

  @Test
  void timesAreApartAsFarAsThePlatformSays() {
    List<List<Object>> shifts = new ArrayList<>();
    List<List<Object>> expected = new ArrayList<>();
    for (int i = 0; i < 200; i++) {
      LocalDateTime b = random.nextInt(9) == 0 ? null : time();
      LocalDateTime e = time();
      LocalDate d = time().toLocalDate();
      int n = random.nextInt(-50, 50);
      shifts.add(Arrays.asList(i, b, e, d, n));
      if (b == null) {
        LocalDateTime there = e.plusMonths(n).minusMonths(n);
        expected.add(
            Arrays.asList(i, null, null, null, null, null, there, d.plusDays(2L * n), null));
        continue;
      }
      long micros = ChronoUnit.MICROS.between(b, e);
      expected.add(
          Arrays.asList(
              i,
              // Whole ones towards zero, as the standard casts.
              (int) (micros / 60_000_000L),
              (int) (micros / 86_400_000_000L),
              micros / 3_600_000_000L % 24,
              e.plus(micros, ChronoUnit.MICROS),
              micros > 36 * 3_600_000_000L,
              e.plusMonths(n).minusMonths(n),
              d.plusDays(2L * n),
              (int) ChronoUnit.MONTHS.between(b, e)));
    }
    List<List<Object>> ours =
        rows(
            shifts,
            "select id, cast((e - b) minute as int), cast((e - b) day as int), extract(hour from (e - b) day to second), e + (e - b) second, (e - b) second > interval '1' day + interval '12' hour, e + n * interval '1' month - n * interval '1' month, d + n * interval '2' day, cast((e - b) month as int) from shifts order by id");
    for (int i = 0; i < expected.size(); i++) {
      assertEquals(expected.get(i), ours.get(i), "row " + i + " of " + shifts.get(i));
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "select cast(interval '90' minute as int), cast(interval '18' month as int), cast(interval '2' year as bigint) from shifts ~ 90 18 2",
        "select extract(day from interval '1 02:03:04' day to second), extract(hour from interval '1 02:03:04' day to second), extract(second from interval '1 02:03:04' day to second), extract(epoch from interval '2' minute) from shifts ~ 1 2 4 120",
        "select extract(year from interval '3-7' year to month), extract(month from interval '3-7' year to month) from shifts ~ 3 7",
        "select interval '1' day + interval '2' hour < interval '2' day, interval '24' hour = interval '1' day from shifts ~ true true",
        "select cast(interval '3' hour * 2.5 as int), cast(interval '90' minute / 4 as int), cast(-interval '5' day as int) from shifts ~ 7 22 -5",
        "select d + (date '2026-03-05' - date '2026-03-01') day, cast((date '2026-03-05' - date '2026-03-01') day as int) from shifts ~ 2026-01-31 4",
        "select e - cast(n as interval hour), e + cast(2 as interval month) from shifts ~ 2026-01-02 03:00 2026-03-02 06:00",
        "select cast(max(x) as int), cast(min(x) as int), count(x) from (select (e - b) hour as x from shifts union all select interval '7' hour from shifts union all select null from shifts) t ~ 29 7 2",
        "select case when id = 1 then cast(coalesce((e - e) hour, interval '1' hour) as int) end from shifts ~ 0",
        "select id from shifts where (e - b) hour > interval '1' day and (e - b) hour between interval '29' hour and interval '30' hour ~ 1"
      })
  void intervalsAreReckonedWith(String sql, String expected) {
    List<List<Object>> shifts =
        List.of(
            Arrays.asList(
                1,
                LocalDateTime.of(2026, 1, 1, 0, 30),
                LocalDateTime.of(2026, 1, 2, 6, 0),
                LocalDate.of(2026, 1, 27),
                3));
    String ours =
        rows(shifts, sql).stream()
            .flatMap(List::stream)
            .map(v -> String.valueOf(v).replace('T', ' '))
            .collect(Collectors.joining(" "));
    assertEquals(expected, ours);
  }
}
