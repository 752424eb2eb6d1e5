package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.exec.StepFailedException;
import yardage.core.testing.TestLake;

/** Times of day, points in time, UUIDs and binary values, from a file to the answer of a query. */
class TimesAndBytesTest {
  private static final String HEADER = "shift,scanned,tag,mark\n";
  private static final String LOW = "0f8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55";
  private static final String HIGH = "ff8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55";

  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void land() {
    lake = new TestLake(folder);
    lake.declare(
        """
        feed: scans
        files: s/*
        set-aside-limit: {share: 1.0}
        text: {}
        columns:
          shift: time
          scanned: timestamp with time zone
          tag: uuid
          mark: binary
        """);
    lake.file(
        "s/1.csv",
        HEADER
            + "06:00,2026-03-01T06:00:00+01:00,%s,00\n".formatted(HIGH)
            + "14:30:00.250,2026-03-01T06:00:00Z,%s,CAFE\n".formatted(LOW.toUpperCase())
            + "22:00:01,2026-03-02 00:15:00-02:00,%s,\n".formatted(LOW.replace("-", ""))
            + ",,,\n");
  }

  private void write(String more) {
    lake.run(
        "pipeline: p\nsteps:\n  rows: {read: {feed: scans}}\n  out: {from: rows, write: {table: t.scans%s}}\n"
            .formatted(more));
  }

  private String rows(String sql) {
    return lake.query(sql).stream()
        .map(
            r ->
                r.stream()
                    .map(v -> v == null ? "null" : yardage.core.column.Values.text(v))
                    .collect(Collectors.joining(" ")))
        .collect(Collectors.joining(", "));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        ", partition: [shift]",
        ", partition: [tag]",
        ", partition: [mark]",
        ", partition: [\"hour(scanned)\"]",
        ", partition: [\"day(scanned)\", \"bucket(tag, 4)\"]",
        ", partition: [\"bucket(shift, 3)\", \"bucket(mark, 3)\"]",
        ", partition: [\"truncate(mark, 1)\"], sort: [tag]",
        ", sort: [scanned]",
        ", mode: upsert, key: [tag, scanned, shift]"
      })
  void areKeptAndFoundAgain(String how) {
    if (how.contains("upsert")) {
      lake.file("s/1.csv", HEADER + "06:00,2026-03-01T05:00:00Z,%s,01\n".formatted(HIGH));
      write(how);
      lake.file(
          "s/2.csv",
          HEADER
              + "06:00,2026-03-01T06:00:00+01:00,%s,00\n".formatted(HIGH)
              + "14:30:00.25,2026-03-01T06:00:00Z,%s,cafe\n".formatted(LOW)
              + "22:00:01,2026-03-02T02:15:00Z,%s,\n".formatted(LOW));
    }
    write(how);

    assertEquals(0, lake.lastRun().setAsideByReason().size());
    assertEquals(
        "06:00:00 2026-03-01 05:00:00+00:00 %s 00, 14:30:00.250 2026-03-01 06:00:00+00:00 %s cafe, 22:00:01 2026-03-02 02:15:00+00:00 %2$s null"
            .formatted(HIGH, LOW),
        rows("select * from t.scans where shift is not null order by shift"));
    assertEquals(
        "%s, %1$s, %s".formatted(LOW, HIGH),
        rows("select tag from t.scans where tag is not null order by tag"),
        "as their bytes order, not as numbers with a sign");
    assertEquals("2", rows("select count(*) from t.scans where tag = uuid '%s'".formatted(LOW)));
    assertEquals("1", rows("select count(*) from t.scans where tag > uuid '%s'".formatted(LOW)));
    assertEquals("1", rows("select count(*) from t.scans where shift < time '07:00:00'"));
    assertEquals("1", rows("select count(*) from t.scans where mark = x'cafe'"));
    assertEquals("1", rows("select count(*) from t.scans where mark > x'00'"));
    assertEquals(
        "2",
        rows(
            "select count(*) from t.scans where scanned <= timestamp with time zone '2026-03-01 07:00:00 Europe/Paris'"));
    assertEquals(
        "%s %s 06:00:00 22:00:01 cafe".formatted(LOW, HIGH),
        rows("select min(tag), max(tag), min(shift), max(shift), max(mark) from t.scans"));
    assertEquals(
        "3",
        rows(
            "select count(*) from t.scans a join t.scans b on a.tag = b.tag and a.scanned = b.scanned and a.shift = b.shift"));
  }

  @Test
  void whatIsNoneOfThemIsSetAsideAndSaysWhy() {
    lake.file(
        "s/1.csv",
        HEADER
            + "24:00,2026-03-01T06:00:00Z,%s,00\n".formatted(LOW)
            + "06:00,2026-03-01T06:00:00,%s,00\n".formatted(LOW)
            + "06:00,2026-03-01T06:00:00Z,%s,00\n".formatted(LOW.replace("-0d4a", "0d4a-"))
            + "06:00,2026-03-01T06:00:00Z,%s,abc\n".formatted(LOW)
            + "6 o'clock,2026-03-01T06:00:00Z,%s,xy\n".formatted(LOW));
    write("");

    String why = lake.lastRun().setAsideByReason().toString();
    assertEquals("5", why.replaceAll("\\D+", ""), why);
    assertEquals("0", rows("select count(*) from t.scans"));
  }

  @Test
  void formatsAndZonesOfFeeds() {
    lake.declare(
        """
        feed: gates
        files: g/*
        set-aside-limit: {share: 0.6}
        text: {separator: ";"}
        columns:
          clock: {type: time, format: h.mm a}
          at: {type: timestamp with time zone, format: dd.MM.yyyy HH:mm, zone: Europe/Paris}
          photo: {type: binary, format: base64}
        """);
    lake.file(
        "g/1.csv",
        "clock;at;photo\n9.05 PM;01.07.2026 08:00;yv4B\n12.00 AM;29.03.2026 02:30;AA==\n");
    lake.run(
        "pipeline: g\nsteps:\n  rows: {read: {feed: gates}}\n  out: {from: rows, write: {table: t.gates}}\n");

    assertEquals("21:05:00 2026-07-01 06:00:00+00:00 cafe01", rows("select * from t.gates"));
    assertEquals(1, lake.lastRun().setAsideByReason().size(), "a time that the clocks skipped");
  }

  @Test
  void insideListsAndStructs() {
    lake.declare(
        """
        feed: looks
        files: l/*
        json: {}
        columns:
          look: int
          gate: {type: "struct(opened time, seen timestamp with time zone)"}
          tags: list(uuid)
          marks: map(varchar, binary)
        """);
    lake.file(
        "l/1.json",
        """
        {"look": 1, "gate": {"opened": "06:30", "seen": "2026-03-01T06:00:00+01:00"}, "tags": ["%s", null], "marks": {"a": "cafe"}}
        {"look": 2, "gate": {"opened": null, "seen": null}, "tags": [], "marks": null}
        """
            .formatted(HIGH));
    lake.run(
        "pipeline: l\nsteps:\n  rows: {read: {feed: looks}}\n  out: {from: rows, write: {table: t.looks}}\n");

    assertEquals(0, lake.lastRun().setAsideByReason().size());
    assertEquals(
        "1 06:30:00 2026-03-01 05:00:00+00:00 %s cafe, 2 null null null null".formatted(HIGH),
        rows(
            "select look, l.gate.opened, l.gate.seen, tags[1], marks['a'] from t.looks l order by look"));
    assertEquals(
        "{\"opened\":\"06:30:00\",\"seen\":\"2026-03-01 05:00:00+00:00\"} [\"%s\",null]"
            .formatted(HIGH),
        rows("select json_text(gate), json_text(tags) from t.looks where look = 1"));
    assertEquals(
        "%s 1".formatted(HIGH),
        rows(
            "select u.tag, count(*) from t.looks l, unnest(l.tags) as u(tag) where u.tag is not null group by u.tag"));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "time '23:30:00' + interval '45' minute ~ 00:15:00",
        "time '00:10:00' - interval '1' day - interval '20' minute ~ 23:50:00",
        "timestampdiff(minute, time '06:00:00', time '14:30:59') ~ 510",
        "floor(time '14:30:59' to hour) ~ 14:00:00",
        "date_trunc('minute', time '14:30:59') ~ 14:30:00",
        "extract(hour from time '14:30:59') * 60 + extract(minute from time '14:30:59') ~ 870",
        "cast(timestamp '2026-03-01 14:30:00.123456' as time) ~ 14:30:00.123456",
        "cast('7:05' as varchar) ~ 7:05",
        "cast('07:05' as time) ~ 07:05:00",
        "to_char(time '14:30:00', 'h:mm a') ~ 2:30 PM",
        "cast(time '14:30:00' as varchar) || '!' ~ 14:30:00!",
        "cast('2026-03-01 06:00:00 Europe/Paris' as timestamp with time zone) ~ 2026-03-01 05:00:00+00:00",
        "cast(timestamp with time zone '2026-03-01 23:30:00 America/New_York' as date) ~ 2026-03-02",
        "cast(timestamp '2026-03-01 06:00:00' as timestamp with time zone) ~ 2026-03-01 06:00:00+00:00",
        "timestamp with time zone '2026-07-01 06:00:00 UTC' at time zone 'Europe/Paris' ~ 2026-07-01 08:00:00",
        "timestamp '2026-07-01 08:00:00' at time zone 'Europe/Paris' at time zone 'UTC' ~ 2026-07-01 06:00:00",
        "timestamp '2026-07-01 08:00:00' At  Time\tZone '+05:30' + interval '1' hour ~ 2026-07-01 03:30:00+00:00",
        // The clock is put back: of both the first.
        "timestamp '2026-10-25 02:30:00' at time zone 'Europe/Paris' ~ 2026-10-25 00:30:00+00:00",
        "extract(epoch from timestamp with time zone '2026-03-01 01:00:00 +01:00') ~ 1772323200",
        "'at time zone ''x''' || ' at time zone' ~ at time zone 'x' at time zone",
        "cast('5F8B2C1E0D4A4B6E9A3F2F1D7C0E8B55' as uuid) ~ 5f8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55",
        "cast('CAFE' as varbinary) || x'01' ~ cafe01",
        "octet_length(x'cafe01') ~ 3",
        "utf8_text(utf8_bytes('Köper') || utf8_bytes('!')) ~ Köper!",
        "coalesce(null, x'00', x'01') ~ 00",
        "try_cast('99:00' as time) ~ null",
        "try_cast('cafe0' as varbinary) ~ null",
        "try_cast('1-2-3-4-5' as uuid) ~ null",
        "case when true then time '06:00:00' else null end ~ 06:00:00"
      })
  void values(String expression, String expected) {
    assertEquals(expected, rows("select " + expression));
    assertEquals(
        expected,
        rows("select %s from (values (1), (2)) as v(n) where n = 2".formatted(expression)));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "timestamp '2026-03-29 02:30:00' at time zone 'Europe/Paris' ~ [2026-03-29 02:30:00] does not exist in Europe/Paris, where the clock skips it",
        "timestamp '2026-03-29 02:30:00' at time zone 'Paris' ~ There is no time zone [Paris]; zones are written as Europe/Lisbon, UTC or +01:00",
        "timestamp '2026-03-29 02:30:00' at time zone v.zone ~ Write the zone as a constant, as in AT TIME ZONE 'Europe/Lisbon'",
        "cast(v.zone as timestamp with time zone) ~ Cannot cast [here] to timestamp with time zone; it is written with its zone, as 2026-03-09 14:30:00+01:00",
        "cast(v.zone as time) ~ Cannot cast [here] to time; it is written as 14:30:00",
        "cast(v.zone as uuid) ~ Cannot cast [here] to uuid; it is written as 32 hexadecimal digits, as 5f8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55",
        "cast(v.zone as varbinary) ~ Cannot cast [here] to binary; it is written as two hexadecimal digits a byte, as cafe01",
        "utf8_text(x'ff') ~ [ff] is no text in UTF-8",
        "extract(month from time '06:00:00') ~ extract does not take (interval month from time); cast what it is given, as in CAST(x AS date)",
        "date_trunc('day', time '06:00:00') ~ A time of day has no day; it has hour, minute, second, millisecond and microsecond",
        "to_char(time '06:00:00', 'yyyy') ~ The pattern [yyyy] asks for days, which a time has not",
        "time '06:00:00' = timestamp '2026-03-01 06:00:00' ~ [=] does not go with time = timestamp; cast one side, as in CAST(x AS time)",
        "timestamp with time zone '2026-03-01 06:00:00 UTC' > current_date ~ [>] does not go with timestamp with zone > date; cast one side, as in CAST(x AS date)",
        "uuid '5f8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55' = v.zone ~ [=] does not go with uuid = char(4); cast one side, as in CAST(x AS uuid)",
        "x'00' = v.zone ~ [=] does not go with varbinary = char(4); cast one side, as in CAST(x AS varbinary)",
        "cast(1 as time) ~ A value of type INTEGER cannot be cast to TIME"
      })
  void mistakes(String expression, String expected) {
    RuntimeException e =
        assertThrows(
            RuntimeException.class,
            () -> rows("select %s from (values ('here')) as v(zone)".formatted(expression)));
    assertTrue(e instanceof SqlProblemException || e instanceof StepFailedException, () -> "" + e);
    assertTrue(e.getMessage().contains(expected), e::getMessage);
  }
}
