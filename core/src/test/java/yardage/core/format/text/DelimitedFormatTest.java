package yardage.core.format.text;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Type;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.NumberStyle;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RejectedRecord;
import yardage.core.testing.RecordCollector;

class DelimitedFormatTest {
  private RecordCollector found;

  private List<List<Object>> read(DelimitedLayout layout, List<FieldRule> rules, InputStream in) {
    found = new RecordCollector();
    RecordFormat format = new DelimitedFormat(layout, rules, RecordCollector.byName(rules));
    return found.read(format, "rolls.csv", in).rows;
  }

  private List<List<Object>> read(DelimitedLayout layout, List<FieldRule> rules, String text) {
    return read(layout, rules, new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)));
  }

  private static List<FieldRule> texts(String... names) {
    return Arrays.stream(names).map(n -> FieldRule.of(n, Type.VARCHAR)).toList();
  }

  @Test
  void readsTypedColumnsMatchedByHeaderWhateverTheirOrder() {
    List<FieldRule> rules =
        List.of(
            FieldRule.of("id", Type.INT),
            FieldRule.of("big", Type.BIGINT),
            FieldRule.of("metres", Type.decimal(9, 2)),
            FieldRule.of("weight", Type.DOUBLE),
            FieldRule.of("good", Type.BOOLEAN),
            FieldRule.of("day", Type.DATE),
            new FieldRule(
                "at", Type.TIMESTAMP, false, List.of("-"), Optional.of("d.M.yyyy HH:mm")));

    List<List<Object>> rows =
        read(
            new DelimitedLayout("|", '"', true),
            rules,
            "at|day|Good|weight|metres|big|id\n3.12.2026 04:05|2024-02-29|TRUE|-1.5e3| 7.5 |-9223372036854775807|+42\r\n-||||||\n");

    assertEquals(
        List.of(
            42,
            -9223372036854775807L,
            new BigDecimal("7.50"),
            -1500.0,
            true,
            LocalDate.of(2024, 2, 29),
            LocalDateTime.of(2026, 12, 3, 4, 5)),
        rows.get(0));
    assertEquals(Arrays.asList(null, null, null, null, null, null, null), rows.get(1));
  }

  @Test
  void quotesEncloseSeparatorsLineEndsAndDoubledQuotes() {
    List<List<Object>> rows =
        read(
            new DelimitedLayout("~|", '"', false),
            texts("a", "b"),
            "\"x~|y\"~|\"two\nlines \"\"quoted\"\"\"\n\"\"~|\nplain \"inside\"~|last");

    assertEquals(
        List.of(
            List.of("x~|y", "two\nlines \"quoted\""),
            Arrays.asList("", null),
            List.of("plain \"inside\"", "last")),
        rows);
    assertTrue(found.rejects.isEmpty(), found.rejects.toString());
  }

  @Test
  void setsAsideWhatDoesNotFitWithLineOffsetFieldAndReason() {
    List<FieldRule> rules =
        List.of(
            new FieldRule("id", Type.INT, true, List.of(""), Optional.empty()),
            FieldRule.of("metres", Type.decimal(5, 1)),
            FieldRule.of("day", Type.DATE));
    String text =
        "id,metres,day\n1,2.5,2026-01-01\n2,2\n3,1,2026-01-01,x\n,1,2026-01-01\nx,12.34,2026-02-30\n99999999999,1,2026-01-01\n7,12345.6,2026-01-01\n8,1.0,2026-01-01\n";

    List<List<Object>> rows = read(new DelimitedLayout(",", '"', true), rules, text);

    assertEquals(2, rows.size());
    assertEquals(
        List.of(
            "3 too-few-fields",
            "4 too-many-fields",
            "5 missing-value",
            "6 wrong-type",
            "7 out-of-range",
            "8 out-of-range"),
        found.reasons());
    RejectedRecord several =
        found.rejects.stream().filter(r -> r.line() == 6).findFirst().orElseThrow();
    assertEquals(
        List.of("id", "metres", "day"),
        several.failures().stream().map(RejectedRecord.Failure::field).toList());
    assertEquals("x,12.34,2026-02-30", several.original());
    assertEquals(text.indexOf("x,12.34"), several.byteOffset());
    assertEquals("2 fields where 3 are declared", found.rejects.get(0).failures().get(0).message());
  }

  @Test
  void setsAsideBadEncodingNulAndText() throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    bytes.write("good\n".getBytes(StandardCharsets.UTF_8));
    bytes.write(
        new byte[] {
          'b', (byte) 0xC3, '\n', 'n', 0, '\n', (byte) 0xED, (byte) 0xA0, (byte) 0x80, '\n'
        });
    bytes.write("tensão\n\"closed\"x\n\"open\nlast".getBytes(StandardCharsets.UTF_8));

    List<List<Object>> rows =
        read(
            new DelimitedLayout(",", '"', false),
            texts("a"),
            new ByteArrayInputStream(bytes.toByteArray()));

    assertEquals(List.of(List.of("good"), List.of("tensão"), List.of("last")), rows);
    assertEquals(
        List.of(
            "2 bad-encoding",
            "3 nul-character",
            "4 bad-encoding",
            "6 text-after-quote",
            "7 unclosed-quote"),
        found.reasons());
  }

  @Test
  void aRecordBeyondTheLimitIsSetAsideInBoundedMemory() {
    int length = 60_000_000;
    InputStream endless =
        new InputStream() {
          private int at;

          @Override
          public int read() {
            at++;
            return at < length ? 'x' : at == length ? '\n' : at == length + 1 ? 'y' : -1;
          }

          @Override
          public int read(byte[] b, int from, int count) {
            int n = 0;
            int c;
            while (n < count && (c = read()) >= 0) {
              b[from + n++] = (byte) c;
            }
            return n == 0 ? -1 : n;
          }
        };

    List<List<Object>> rows = read(new DelimitedLayout(",", '"', false), texts("a"), endless);

    assertEquals(List.of(List.of("y")), rows);
    assertEquals(List.of("1 record-too-long"), found.reasons());
    assertTrue(
        found.rejects.get(0).failures().get(0).message().startsWith("a record of 59,999,999 bytes"),
        found.rejects.get(0).failures().toString());
  }

  @Test
  void readsTenThousandColumns() {
    String[] names = IntStream.range(0, 10_000).mapToObj(i -> "c" + i).toArray(String[]::new);
    String line = String.join(",", names) + "\n";

    List<List<Object>> rows =
        read(new DelimitedLayout(",", '"', true), texts(names), line.repeat(40));

    assertEquals(39, rows.size());
    assertEquals("c9999", rows.get(38).get(9999));
  }

  @ParameterizedTest
  @CsvSource(
      value = {
        "''|0",
        "id,metres|0",
        "'id,metres\n'|0",
        "'id,metres\n\n1,2\n\n'|1",
        "'\uFEFFid,metres\n1,2'|1",
      },
      delimiter = '|')
  void emptyAndHeaderOnlyFilesHoldNoRows(String text, int rows) {
    assertEquals(
        rows, read(new DelimitedLayout(",", '"', true), texts("id", "metres"), text).size());
  }

  @Test
  void gzipIsKnownByContentAndATruncatedOneIsTold() throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (GZIPOutputStream gzip = new GZIPOutputStream(bytes)) {
      for (int i = 0; i < 50_000; i++) {
        gzip.write(("roll " + i + "\n").getBytes(StandardCharsets.UTF_8));
      }
    }
    byte[] whole = bytes.toByteArray();

    int rows =
        read(new DelimitedLayout(",", '"', false), texts("a"), new ByteArrayInputStream(whole))
            .size();
    FileFormatException e =
        assertThrows(
            FileFormatException.class,
            () ->
                read(
                    new DelimitedLayout(",", '"', false),
                    texts("a"),
                    new ByteArrayInputStream(whole, 0, whole.length / 2)));

    assertEquals(50_000, rows);
    assertTrue(
        e.getMessage().contains("[rolls.csv] is damaged")
            && e.getMessage().contains("get the file again"),
        e.getMessage());
  }

  /**
   * The reader against the plainest one that could be written: character by character, one record
   * at a time.
   */
  @Test
  void agreesWithANaiveReaderOnRandomText() {
    long seed = Long.getLong("yardage.seed", 99);
    SplittableRandom random = new SplittableRandom(seed);
    String[] pieces = {
      "a",
      "bc",
      "\"",
      "\"\"",
      ",",
      ",",
      "\n",
      "\n",
      "\r\n",
      " ",
      "é",
      "longer text than a word",
      "\"q,q\""
    };
    for (int round = 0; round < 3000; round++) {
      StringBuilder text = new StringBuilder();
      for (int i = random.nextInt(30); i > 0; i--) {
        text.append(pieces[random.nextInt(pieces.length)]);
      }
      List<FieldRule> rules = texts("a", "b");
      RecordFormat format =
          new DelimitedFormat(new DelimitedLayout(",", '"', false), rules, (f, names) -> null);
      // Small chunks, so that their borders fall into quotes, line ends and doubled quotes.
      int chunk = 8 + random.nextInt(40);
      List<List<Object>> rows =
          new RecordCollector()
              .read(
                  format,
                  "random",
                  new ByteArrayInputStream(text.toString().getBytes(StandardCharsets.UTF_8)),
                  chunk)
              .rows;

      assertEquals(
          NaiveDelimited.goodRows(text.toString(), 2),
          rows,
          "seed " + seed + ", round " + round + ", chunk " + chunk + ": " + text);
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '`',
      value = {
        "escape ` a\\,b,c~'x\"y',d~ ` [[a,b, c], [x\"y, d]]",
        "comment ` #one,two~a,b~#x,'~c,d~ ` [[a, b], [c, d]]",
        "skip ` made by loom 7~~a,b~ ` [[a, b]]",
        "fill ` a~b,c~d,e,f~ ` [[a, null], [b, c]]",
        "cut ` a~b,c~d,e,f~ ` [[b, c], [d, e]]",
        "position ` Spalte1,Spalte2,~a,b~ ` [[a, b]]",
      })
  void readsWhatOtherProgramsWrite(String option, String text, String expected) {
    DelimitedLayout layout =
        new DelimitedLayout(
            ",",
            '\'',
            option.equals("escape") ? '\\' : (char) 0,
            option.equals("comment") ? "#" : "",
            option.equals("skip") ? 2 : 0,
            option.equals("position"),
            option.equals("position"),
            option.equals("fill"),
            option.equals("cut"),
            1 << 20);
    List<FieldRule> rules = texts("a", "b");
    RecordFormat format =
        new DelimitedFormat(layout, rules, (f, names) -> FieldMap.straight(rules.size()));

    for (int chunk : new int[] {8, 1 << 20}) {
      found = new RecordCollector();
      String written = text.replace("~", "\n").replace("\\\\", "\\");
      byte[] bytes = written.getBytes(StandardCharsets.UTF_8);
      found.read(format, "x.csv", new ByteArrayInputStream(bytes), chunk);

      assertEquals(expected, found.rows.toString().replace("\\\"", "\""));
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "decimal(9, 2) | , | . | false | 1.234,5 | 1234.50",
        "decimal(9, 2) | , | . | false | -1.234.567,89 EUR | -1234567.89",
        "decimal(9, 2) | , | . | false | 12.34,5 | wrong-type",
        "decimal(9, 2) | , | . | false | (7,5) | -7.50",
        "decimal(5, 4) | . | none | true | 12.5% | 0.1250",
        "double        | . | none | true | 7 % | 0.07",
        "int           | . | none | false | EUR 7 | 7",
        "bigint        | , | . | false | 1..234 | wrong-type",
        "bigint        | , | . | false | . | wrong-type",
      })
  void readsNumbersAsTheFeedSaysTheyAreWritten(
      String type, char decimal, String group, boolean percent, String text, String expected) {
    NumberStyle style =
        new NumberStyle(
            decimal, group.equals("none") ? 0 : group.charAt(0), percent, List.of("EUR"));
    FieldRule rule = FieldRule.of("n", Type.parse(type)).withNumbers(style);

    List<List<Object>> rows = read(new DelimitedLayout("|", '"', false), List.of(rule), text);

    assertEquals(
        expected,
        rows.isEmpty()
            ? found.rejects.get(0).failures().get(0).reason().code()
            : rows.get(0).get(0).toString());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "date | d MMM yyyy | 3 Mar 2026 | 2026-03-03",
        "date | MMMM d, yyyy | September 30, 2026 | 2026-09-30",
        "date | d MMM yyyy | 31 Feb 2026 | wrong-type",
        "date | epoch-seconds | 86400 | 1970-01-02",
        "timestamp | epoch-millis | 1767225600001 | 2026-01-01T00:00:00.001",
        "timestamp | d/M/yyyy h:mm a | 1/2/2026 12:05 am | 2026-02-01T00:05",
        "timestamp | yyyyMMddHHmmssX | 20260101120000+0130 | 2026-01-01T10:30",
        "timestamp | | 2026-01-01T12:00:00.123456789Z | 2026-01-01T12:00:00.123456",
        "timestamp | | 2026-01-01 00:30+01:00 | 2025-12-31T23:30",
        "timestamp | | 2026-01-01T00:30:00+1 | wrong-type",
        "timestamp | | 2026-01-01T24:00:00 | wrong-type",
      })
  void readsTimesInManyForms(String type, String format, String text, String expected) {
    FieldRule rule =
        new FieldRule("t", Type.parse(type), false, List.of(""), Optional.ofNullable(format));

    List<List<Object>> rows = read(new DelimitedLayout("|", '"', false), List.of(rule), text);

    assertEquals(
        expected,
        rows.isEmpty()
            ? found.rejects.get(0).failures().get(0).reason().code()
            : rows.get(0).get(0).toString());
  }
}
