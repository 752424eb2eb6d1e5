package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.List;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.testing.TestLake;

/** Files as machines and people really write them: trailers, record types, zones, encodings. */
class OddFilesTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void open() {
    lake = new TestLake(folder);
  }

  private static final String PIPELINE =
      "pipeline: p\nsteps:\n  rows: {read: {feed: f}}\n  out: {from: rows, write: {table: raw.f}}\n";

  private void land(String feed) {
    lake.declare("feed: f\nfiles: f/*\nset-aside-limit: {share: 100%}\n" + feed);
    lake.run(PIPELINE);
  }

  private String rows(String sql) {
    return lake.query(sql).toString();
  }

  @Test
  void oldLineEndsAreReadByName() {
    lake.file("f/1", "roll,metres\rR1,5\r\"R\r2\",6\r");

    land("text: {line-ends: cr}\ncolumns: {metres: int, roll: varchar, at: {add: line}}\n");

    assertEquals(
        "[[R1, 5, 2], [R\n2, 6, 3]]", rows("select roll, metres, \"at\" from raw.f order by 2"));
  }

  /** Whatever the size of the file, which is read in pieces. */
  @ParameterizedTest
  @ValueSource(ints = {0, 1, 3, 50_000})
  void aTrailerIsNoRowAndIsHeldAgainstTheFile(int rows) {
    StringBuilder text = new StringBuilder("roll;metres\n");
    for (int i = 1; i <= rows; i++) {
      text.append("R").append(i).append(";").append(i).append(".25\n");
    }
    String sum = "%d.%02d".formatted((long) rows * (rows + 1) / 2 + rows / 4, rows % 4 * 25);
    String feed =
        """
        text: {separator: ";", skip-last-lines: 1}
        trailer: {pattern: 'END (?<n>[0-9]+) (?<m>[0-9.]+)', rows: n, sums: {metres: m}}
        columns: {roll: varchar, metres: "decimal(12, 2)"}
        """;
    lake.file("f/1", text + "END %d %s\n".formatted(rows, sum));
    land(feed);
    assertEquals("[[%d]]".formatted(rows), rows("select count(*) from raw.f"));

    lake.file("f/2", text + "END %d %s\n".formatted(rows + 1, sum));
    RunFailedException short1 = assertThrows(RunFailedException.class, () -> lake.run(PIPELINE));
    assertTrue(
        short1
            .getMessage()
            .contains("its trailer says %d rows, and it has %,d".formatted(rows + 1, rows)),
        short1.getMessage());
    lake.file("f/2", text + "END %d %s9\n".formatted(rows, sum));
    RunFailedException other = assertThrows(RunFailedException.class, () -> lake.run(PIPELINE));
    assertTrue(other.getMessage().contains("says a sum of"), other.getMessage());
    assertTrue(other.getCause() instanceof DamagedFileException, "so that it can be put aside");
    lake.file("f/2", text.toString());
    RunFailedException none = assertThrows(RunFailedException.class, () -> lake.run(PIPELINE));
    assertTrue(none.getMessage().contains("is not a trailer"), none.getMessage());
    assertEquals("[[%d]]".formatted(rows), rows("select count(*) from raw.f"));
  }

  @Test
  void linesOfOtherKindsAreNoRowsAndAreCounted() {
    lake.file("f/1", "H|2026-01-05|TORVI\nD|R1|5\nC|seen by Ines\nD|R2|6\nT|2|11\n");

    land(
        """
        text: {separator: "|", header: false, rows-begin: "D|", skip-last-lines: 1}
        trailer: {pattern: 'T\\|(?<n>\\d+)\\|(?<m>\\d+)', rows: n, sums: {metres: m}}
        columns: {kind: varchar, roll: varchar, metres: int, at: {add: line}}
        """);

    assertEquals(
        "[[R1, 5, 2], [R2, 6, 4]]", rows("select roll, metres, \"at\" from raw.f order by 1"));
    assertTrue(
        lake.log().stream()
            .anyMatch(l -> l.contains("2 lines do not begin with [D|] and are not rows")),
        lake.log().toString());
  }

  @Test
  void aRecordMayGoOnOverSeveralLines() {
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < 20_000; i++) {
      text.append("2026-01-05 E%d stopped\n".formatted(i));
      text.append(i % 3 == 0 ? "  at the reed\n  by hand\n" : "");
    }
    lake.file("f/1", text.toString());

    land(
        """
        lines: {pattern: '(?<day>\\S+) (?<loom>\\w+) (?<rest>.*)', begins: '\\d{4}-\\d\\d-\\d\\d '}
        columns: {day: date, loom: varchar, rest: varchar, at: {add: line}}
        """);

    assertEquals(
        "[[20000, 6667]]",
        rows("select count(*), sum(case when rest like '%hand' then 1 else 0 end) from raw.f"));
    assertEquals(
        "[[stopped\n  at the reed\n  by hand]]", rows("select rest from raw.f where loom = 'E0'"));
    assertEquals(
        "[[E1, 4], [E2, 5], [E3, 6]]",
        rows("select loom, \"at\" from raw.f where loom in ('E1', 'E2', 'E3') order by 1"));
  }

  @ParameterizedTest
  @CsvSource({
    "shift-jis, windows-31j, 反物",
    "iso-8859-15, ISO-8859-15, 5 € Ž",
    "gbk, GBK, 布料",
    "gb18030, GB18030, 布😀",
    "windows-1251, windows-1251, ткань",
    "euc-jp, EUC-JP, 織物",
    "iso-8859-2, ISO-8859-2, płótno",
    "big5, Big5, 織布"
  })
  void textsOfOtherEncodingsAreRead(String encoding, String charset, String word) {
    String text = "name\n" + (word + "\n").repeat(40_000);
    byte[] bytes = text.getBytes(Charset.forName(charset));
    lake.file("f/1", bytes);

    land("encoding: " + encoding + "\ntext: {}\ncolumns: {name: varchar}\n");

    assertEquals(
        "[[%s, 40000]]".formatted(word), rows("select name, count(*) from raw.f group by name"));
  }

  @Test
  void bytesThatAnEncodingDoesNotKnowSetTheirRowAsideAlone() {
    byte[] good = "布料\n".getBytes(Charset.forName("GBK"));
    byte[] bytes = new byte[5 + good.length * 2 + 3];
    System.arraycopy("name\n".getBytes(StandardCharsets.US_ASCII), 0, bytes, 0, 5);
    System.arraycopy(good, 0, bytes, 5, good.length);
    bytes[5 + good.length] = 'x';
    bytes[6 + good.length] = (byte) 0xff;
    bytes[7 + good.length] = '\n';
    System.arraycopy(good, 0, bytes, 8 + good.length, good.length);
    lake.file("f/1", bytes);

    land("encoding: gbk\ntext: {}\ncolumns: {name: varchar}\n");

    assertEquals("[[2]]", rows("select count(*) from raw.f"));
    assertEquals("{bad-encoding=1}", lake.lastRun().setAsideByReason().toString());
  }

  @Test
  void numbersAsAccountsAndMachinesWriteThem() {
    lake.file(
        "f/1", "a;b;c\n12,50-;1.5E+3;NaN\n1.012,00;2e-2;-Infinity\n3-;1E400;1.5\n5,00;1.001e0;x\n");

    land(
        """
        text: {separator: ";"}
        columns:
          a: {type: "decimal(12, 2)", numbers: {decimal: ",", group: ".", minus: behind}}
          b: "decimal(12, 2)"
          c: {type: double, numbers: {not-finite: true}}
        """);

    assertEquals(
        "[[-12.50, 1500.00, NaN], [1012.00, 0.02, -Infinity]]",
        rows("select a, b, c from raw.f order by a"));
    assertEquals(
        "{out-of-range=2}",
        lake.lastRun().setAsideByReason().toString(),
        "1E400 and 1.001 are numbers that the column cannot hold; and x is no number");
  }

  @Test
  void epochsMayHaveAFraction() {
    lake.file("f/1", "a,b\n1767600000.25,1767600000250.5\n-1.5,0\n1767600000.1234567,1\n1.,1\n");

    land(
        "text: {}\ncolumns: {a: {type: timestamp, format: epoch-seconds}, b: {type: timestamp, format: epoch-millis}}\n");

    assertEquals(
        "[[1969-12-31T23:59:58.500, 1970-01-01T00:00], [2026-01-05T08:00:00.123456, 1970-01-01T00:00:00.001], [2026-01-05T08:00:00.250, 2026-01-05T08:00:00.250500]]",
        rows("select a, b from raw.f order by a"));
  }

  @Test
  void timesOfAZoneBecomeUtcAsTheLibraryHasThem() {
    ZoneId zone = ZoneId.of("Europe/Lisbon");
    LocalDateTime t = LocalDateTime.of(2025, 12, 30, 0, 10);
    StringBuilder text = new StringBuilder("n,at\n");
    int n = 0;
    for (; t.getYear() < 2027; t = t.plusMinutes(437)) {
      text.append(n++).append(',').append(t).append('\n');
    }
    lake.file("f/1", text.toString());
    land("text: {}\ncolumns: {n: int, at: {type: timestamp, zone: Europe/Lisbon}}\n");

    List<List<Object>> found = lake.query("select \"at\" from raw.f order by n");
    String expected =
        text.toString()
            .lines()
            .skip(1)
            .map(l -> LocalDateTime.parse(l.split(",")[1]))
            .filter(l -> zone.getRules().getValidOffsets(l).size() > 0)
            .map(l -> l.atZone(zone).withZoneSameInstant(ZoneOffset.UTC).toLocalDateTime())
            .map(l -> "[" + l + "]")
            .collect(Collectors.joining(", "));
    assertEquals("[" + expected + "]", found.toString());
  }

  @ParameterizedTest
  @CsvSource({
    "Europe/Lisbon, 2026-03-29T00:30, 2026-10-25T00:30",
    "'{name: Europe/Lisbon, skipped: later, repeated: second}', 2026-03-29T01:30, 2026-10-25T01:30",
    "'{name: Europe/Lisbon, repeated: set-aside}', , ",
  })
  void timesThatDoNotExistOrExistTwiceFollowTheFeed(String zone, String skipped, String repeated) {
    // 01:30 is skipped on 29 March and comes twice on 25 October; an offset says which it is.
    lake.file("f/1", "n,at\n1,29.03.2026 01:30\n2,25.10.2026 01:30\n3,01.07.2026 12:00\n");
    lake.file("f/2", "n,at\n4,2026-10-25T01:30:00+01:00\n5,2026-10-25T01:30:00Z\n");
    land(
        "text: {}\ncolumns: {n: int, at: {type: timestamp, format: [dd.MM.yyyy HH:mm, \"yyyy-MM-dd'T'HH:mm:ssX\"], zone: %s}}\n"
            .formatted(zone));

    String found = rows("select n, \"at\" from raw.f order by n");

    boolean setsGapAside = !zone.contains("later");
    assertEquals(!setsGapAside, found.contains("[1, 2026-03-29T01:30]"), found);
    assertEquals(repeated != null, found.contains("[2, " + repeated + "]"), found);
    assertTrue(found.contains("[3, 2026-07-01T11:00]"), found);
    assertTrue(found.contains("[4, 2026-10-25T00:30], [5, 2026-10-25T01:30]"), found);
  }

  @Test
  void filesWaitForTheirDoneFile() {
    String feed =
        "intake: {done-file: \"{stem}.ok\", still-for: 0s}\ntext: {}\ncolumns: {n: int}\n";
    lake.file("f/1.csv", "n\n1\n");
    lake.file("f/2.csv", "n\n2\n");
    lake.file("f/1.ok", "");
    land(feed);
    assertEquals("[[1]]", rows("select n from raw.f"));
    assertTrue(
        lake.log().stream()
            .anyMatch(l -> l.contains("2.csv waits: its done file [2.ok] is not there")),
        lake.log().toString());

    lake.file("f/2.ok", "");
    lake.run(PIPELINE.replace("raw.f}", "raw.f, mode: append}"));
    assertEquals("[[1], [2]]", rows("select n from raw.f order by n"));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "text: {}~trailer: {pattern: 'T (?<n>.*)', rows: n} | say skip-last-lines: 1",
        "text: {skip-last-lines: 1}~trailer: {pattern: 'T (?<n>.*)', rows: m} | The pattern has no group [m]",
        "text: {skip-last-lines: 1}~trailer: {pattern: '(', rows: m} | The pattern cannot be read",
        "text: {skip-last-lines: 1}~trailer: {pattern: 'T'} | A trailer says the number of [rows], or [sums]",
        "text: {skip-last-lines: 1}~trailer: {pattern: '(?<n>.)', sums: {no: n}} | [no] is not a column of whole numbers",
        "text: {line-ends: lf} | [lf] is not one of auto, cr",
        "text: {}~encoding: klingon | Unknown encoding [klingon]: there are auto, utf-8",
        "text: {}~zone: Mars | Unknown zone [Mars]",
        "text: {}~intake: {done-file: ../x} | Invalid done-file",
        "lines: {pattern: '(?<n>.)', begins: '['} | The pattern cannot be read",
      })
  void mistakesAreSaidAtTheirPlace(String feed, String expected) {
    FeedDefinition.Parsed parsed =
        FeedDefinition.parse(
            "feed: f\nfiles: f/*\n" + feed.replace("~", "\n") + "\ncolumns: {n: int}\n");

    assertFalse(parsed.problems().isEmpty());
    assertTrue(
        parsed.problems().stream().anyMatch(p -> p.message().contains(expected)),
        parsed.problems().toString());
  }

  /** Whoever looks at a file of a feed sees it as a run does: previews and changes, too. */
  @Test
  void previewsAndChangesSeeTheSameRows() throws Exception {
    byte[] text = "H|1|2|3|4\nD|布料|5\nT|1\n".getBytes(Charset.forName("GBK"));
    lake.file("f/1", text);
    String document =
        "feed: f\nfiles: f/*\nencoding: gbk\ntext: {separator: \"|\", header: false, rows-begin: \"D|\", skip-last-lines: 1}\ncolumns: {kind: varchar, name: varchar, metres: int}\n";
    FeedDefinition feed = FeedDefinition.parse(document).feed().orElseThrow();
    List<FileDiscovery.Found> files = FileDiscovery.find(lake.lake().raw(), feed);

    FeedPreview preview = FeedPreview.of(feed, lake.lake().inbox(), files.get(0), 10);

    assertEquals("[[D, 布料, 5]]", preview.rows().toString());
    assertTrue(preview.setAside().isEmpty(), preview.setAside().toString());
    assertEquals(
        List.of(), yardage.core.feed.propose.FeedChanges.of(feed, document, files).changes());
  }
}
