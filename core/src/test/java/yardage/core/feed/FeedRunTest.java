package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.exec.Tally;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.testing.TestLake;

/** Feeds of every kind, through a pipeline into a published table and back by SQL. */
class FeedRunTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
  }

  private Map<String, Tally> land(String feed) {
    lake.declare(feed);
    String name = feed.lines().findFirst().orElseThrow().replace("feed: ", "");
    return lake.run(
        "pipeline: land\nsteps:\n  rows: {read: {feed: %s}}\n  out: {from: rows, write: {table: raw.%s}}\n"
            .formatted(name, name.replace('-', '_')));
  }

  private String failure(String feed) {
    return assertThrows(RunFailedException.class, () -> land(feed)).getMessage();
  }

  @Test
  void nestedColumnsAreKeptAndReachedInSql() {
    lake.file(
        "inspections/1.jsonl",
        """
        {"roll":"R1","loom":{"hall":"N","nr":4},"defects":[{"kind":"slub","at_m":1.25},{"kind":"stain"}]}
        {"roll":"R2","loom":null,"defects":[]}
        {"roll":"R3","defects":[{"kind":7}],"loom":{"hall":"S"}}
        """);

    land(
        """
        feed: inspections
        files: inspections/*.jsonl
        json: {records: lines}
        columns:
          roll: {type: varchar, required: true}
          loom: struct(hall varchar, nr int)
          defects: "list(struct(kind varchar, at_m decimal(6, 2)))"
        """);

    assertEquals(
        "[[R1, N, 4, 2, slub, 1.25], [R2, null, null, 0, null, null], [R3, S, null, 1, 7, null]]",
        lake.query(
                "select roll, i.loom.hall, i.loom.nr, cardinality(defects), defects[1].kind, defects[1].at_m from raw.inspections i order by roll")
            .toString());
  }

  @Test
  void sqlReadsAndWritesJsonText() {
    lake.file("f/1", "t\n\"{\"\"a\"\":[1,2],\"\"b\"\":\"\"x\"\"}\"\n\"{\"\"b\"\":null}\"\nnull\n");
    land("feed: texts\nfiles: f/*\ntext: {}\ncolumns: {t: varchar}\n");

    assertEquals(
        "[[2, x, [1,2]], [null, null, null], [null, null, null]]",
        lake.query(
                "select p.v.a[2], p.v.b, json_text(p.v.a) from (select parse_json(t, 'struct(a list(int), b varchar)') as v from raw.texts) p")
            .toString());
    yardage.core.exec.StepFailedException wrong =
        assertThrows(
            yardage.core.exec.StepFailedException.class,
            () -> lake.query("select parse_json(t, 'int') from raw.texts"));
    assertTrue(
        wrong.reason().getMessage().startsWith("Cannot read [{\"a\":[1,2],\"b\":\"x\"}] as JSON"),
        wrong.reason().getMessage());
  }

  @Test
  void sqlReadsAndWritesXmlTextAndSaysWhatASampleIs() {
    lake.file(
        "f/1",
        "t\n\"<lot id='7'><fibre kind='wool'>55</fibre><note>a &lt; b</note></lot>\"\n<lot/>\nnull\n");
    land("feed: texts\nfiles: f/*\ntext: {}\ncolumns: {t: {type: varchar, nulls: [\"null\"]}}\n");
    String type =
        "struct(\"@id\" int, fibre list(struct(\"@kind\" varchar, \".\" int)), note varchar)";

    assertEquals(
        "[[7, 55, <lot id=\"7\"><fibre kind=\"wool\">55</fibre><note>a &lt; b</note></lot>], [null, null, <lot></lot>], [null, null, null]]",
        lake.query(
                "select p.v.\"@id\", p.v.fibre[1].\".\", xml_text(p.v, 'lot') from (select parse_xml(t, '%s') as v from raw.texts) p"
                    .formatted(type))
            .toString());
    assertEquals(
        "[[struct(\"@id\" int, fibre struct(\"@kind\" varchar, \".\" int), note varchar), struct(a list(decimal(11, 1)), b date, c varchar)]]",
        lake.query(
                "select type_of_xml(t), type_of_json('{\"a\":[1,2.5],\"b\":\"2026-03-01\",\"c\":\"007\"}') from raw.texts where t like '%wool%'")
            .toString());
    for (String wrong :
        List.of("type_of_xml('<a><b></a>')", "type_of_json('{a')", "parse_xml('x', 'int')")) {
      yardage.core.exec.StepFailedException e =
          assertThrows(
              yardage.core.exec.StepFailedException.class,
              () -> lake.query("select " + wrong + " from raw.texts"),
              wrong);
      assertTrue(e.reason().getMessage().startsWith("Cannot read ["), e.reason().getMessage());
    }
  }

  @Test
  void columnsComeFromFoldersAndFromTheEngine() {
    lake.file("rolls/mill=Vilsan%C3%A3/day=2026-03-01/a b.csv", "roll;m\nR1;5\nR2;6\n");
    lake.file("rolls/mill=Orfa/day=2026-03-02/ç.csv", "m;roll\n7;R3\n");

    land(
        """
        feed: rolls
        files: rolls/**.csv
        text: {separator: ";"}
        columns:
          roll: varchar
          metres: {type: int, from: m}
          mill: {type: varchar, folder: mill}
          day: {type: date, folder: day}
          file: {add: file}
          line: {add: line}
          offset: {add: byte}
          taken: {add: taken-at}
          run: {add: run}
        """);

    assertEquals(
        """
        [R1, 5, Vilsanã, 2026-03-01, rolls/mill=Vilsan%C3%A3/day=2026-03-01/a b.csv, 2, 7, 2026-11-23T09:00, test1]
        [R2, 6, Vilsanã, 2026-03-01, rolls/mill=Vilsan%C3%A3/day=2026-03-01/a b.csv, 3, 12, 2026-11-23T09:00, test1]
        [R3, 7, Orfa, 2026-03-02, rolls/mill=Orfa/day=2026-03-02/ç.csv, 2, 7, 2026-11-23T09:00, test1]
        """,
        lines(lake.query("select * from raw.rolls order by roll")));
  }

  private static String lines(List<List<Object>> rows) {
    StringBuilder out = new StringBuilder();
    rows.forEach(r -> out.append(r).append('\n'));
    return out.toString();
  }

  @Test
  void defaultsChecksTrimsTruthWordsAndNullsForWrongValues() {
    lake.file(
        "c/1.csv",
        "roll,metres,grade,good,price\n R1 ,5,1,ja,\"1.234,50 EUR\"\nR2,-1,2,nein,\nR3,x,,ja,7\nR4,8,0,vielleicht,7\nR5,0,9,,1\n");

    Map<String, Tally> tallies =
        land(
            """
            feed: checked
            files: c/*.csv
            text: {}
            trim: true
            yes: [ja, j]
            no: [nein]
            set-aside-limit: {share: 100%}
            columns:
              roll: varchar
              metres: {type: int, check: metres >= 0, if-wrong: "null"}
              grade: {type: int, default: 3, check: 10 / grade > 1 and grade < 9}
              good: boolean
              price: {type: "decimal(9, 2)", numbers: {decimal: ",", group: ".", currency: EUR}}
            """);

    assertEquals(
        "[[R1, 5, 1, true, 1234.50], [R3, null, 3, true, 7.00]]",
        lake.query("select * from raw.checked order by roll").toString());
    assertEquals(3, tallies.get("rows").setAside());
    assertEquals(Map.of("check-failed", 2L, "wrong-type", 1L), lake.lastRun().setAsideByReason());
    assertEquals(Map.of("rows.metres", 1L), lake.lastRun().nulledByColumn());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "metres > | ends too early",
        "metrs > 1 | metrs",
        "metres + 1 | must be true or false",
        "sum(metres) > 1 | may read only its own row",
      })
  void aWrongCheckIsToldWithItsPlace(String check, String message) {
    FeedDefinition.Parsed parsed =
        FeedDefinition.parse(
            "feed: f\nfiles: x\ntext: {}\ncolumns:\n  metres: {type: int, check: \""
                + check
                + "\"}");

    assertEquals(5, parsed.problems().get(0).place().line());
    assertTrue(parsed.problems().get(0).message().contains(message), parsed.problems().toString());
  }

  private static final String CHANGING =
      """
      feed: changing
      files: x/*
      %s
      change: %s
      columns: {roll: varchar, metres: int}
      """;

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "text: {} | ignore | [[R1, 5]]",
        "text: {} | strays | [[R1, 5, {\"shade\":\"a \\\"b\\\"\"}]]",
        "'json: {}' | ignore | [[R1, 5]]",
        "'json: {}' | strays | [[R1, 5, {\"shade\":{\"x\":[1]}}]]",
      })
  void unknownFieldsAreHandledAsTheFeedSays(String format, String change, String rows) {
    lake.file(
        "x/1",
        format.contains("json")
            ? "{\"roll\":\"R1\",\"shade\":{\"x\":[1]},\"metres\":5}\n"
            : "shade,roll,metres\n\"a \"\"b\"\"\",R1,5\n");

    land(CHANGING.formatted(format, change));

    assertEquals(rows, lake.query("select * from raw.changing").toString());
  }

  @Test
  void byDefaultAChangeStopsTheRunAndIsTold() {
    lake.file("x/1", "roll,metres,shade\nR1,5,blue\n");
    String header = failure(CHANGING.formatted("text: {}", "stop"));
    lake.file("x/1", "{\"roll\":\"R1\",\"metres\":5}\n{\"roll\":\"R1\",\"shade\":\"blue\"}\n");
    String member = failure(CHANGING.formatted("json: {}", "stop"));

    assertTrue(
        header.contains("it has [shade] which the feed does not declare")
            && header.contains("yardage feed accept changing"),
        header);
    assertTrue(member.contains("[shade] in 1 record, first in x/1, line 2: \"blue\""), member);
    assertTrue(lake.tables().isEmpty());
  }

  /**
   * One large file, whose chunks several workers parse: rows keep their order and are all there.
   */
  @Test
  void chunksOfOneLargeFileAreReadTogetherInOrder() throws IOException {
    StringBuilder text = new StringBuilder("n,t\n");
    int rows = 700_000;
    for (int i = 0; i < rows; i++) {
      text.append(i).append(i % 1000 == 0 ? ",\"line\nend " : ",\"plain ").append(i).append("\"\n");
    }
    lake.file("x/big.csv", text.toString());

    Map<String, Tally> tallies =
        land(
            "feed: big\nfiles: x/big.csv\ntext: {}\ncolumns: {n: int, t: varchar, l: {add: line}}\n");

    assertEquals(rows, tallies.get("rows").rowsOut());
    assertEquals(
        List.of(List.of((long) rows, 0, rows - 1, (long) rows)),
        lake.query(
            "select count(*), min(n), max(n), sum(case when l = 2 + n + (n + 999) / 1000 then 1 else 0 end) from raw.big"));
    lake.run(
        """
        pipeline: firsts
        steps:
          rows: {read: {feed: big}}
          digits: {from: rows, shape: {set: {digit: "mod(n, 10)"}}}
          first: {from: digits, dedupe: {by: [digit], keep: first}}
          out: {from: first, write: {table: raw.firsts}}
        """);
    assertEquals(List.of(List.of(10L, 9)), lake.query("select count(*), max(n) from raw.firsts"));
  }

  @Test
  void aDamagedFileStopsTheRunOrGivesWhatCanBeRead() throws IOException {
    StringBuilder text = new StringBuilder("n\n");
    for (int i = 0; i < 300_000; i++) {
      text.append(Integer.reverse(i)).append('\n');
    }
    java.io.ByteArrayOutputStream bytes = new java.io.ByteArrayOutputStream();
    try (var gzip = new java.util.zip.GZIPOutputStream(bytes)) {
      gzip.write(text.toString().getBytes(java.nio.charset.StandardCharsets.UTF_8));
    }
    byte[] half = java.util.Arrays.copyOf(bytes.toByteArray(), bytes.size() / 2);
    lake.file("x/cut.csv.gz", half);
    String feed = "feed: cut\nfiles: x/*\ntext: {}\ncolumns: {n: int}\n";

    assertTrue(failure(feed).contains("is damaged"));
    Map<String, Tally> tallies = land(feed + "damaged-files: keep-readable\n");

    long rows = tallies.get("rows").rowsOut();
    assertTrue(rows > 100_000, tallies.toString());
    assertEquals(Map.of("damaged-file", 1L, "wrong-type", 1L), lake.lastRun().setAsideByReason());
    long sum = 0;
    for (int i = 0; i < rows; i++) {
      sum += Integer.reverse(i);
    }
    assertEquals(List.of(List.of(sum)), lake.query("select sum(n) from raw.cut"));
  }

  private static final String NEW_ONLY =
      """
      feed: fresh
      files: n/*
      text: {header: false}
      intake: {%s}
      columns: {roll: varchar}
      """;

  private List<List<Object>> fresh(String intake) {
    land(NEW_ONLY.formatted(intake));
    return lake.query("select roll, count(*) from raw.fresh group by roll order by roll");
  }

  @Test
  void takesEachFileOnceAndNoticesReplacedAndRepeatedOnes() throws IOException {
    lake.file("n/1", "R1\n").file("n/2", "R2\n");
    assertEquals("[[R1, 1], [R2, 1]]", fresh("").toString());
    lake.file("n/3", "R1\n");
    assertEquals("[[R1, 1], [R2, 1]]", fresh("").toString());
    assertTrue(lake.log().toString().contains("[n/3] has the same contents as [n/1]"));
    assertEquals("[[R1, 2], [R2, 1]]", fresh("repeated: take").toString());
    lake.file("n/2", "R2b\n");
    assertTrue(
        failure(NEW_ONLY.formatted(""))
            .contains("[n/2] was taken in before and has other contents"));
    assertEquals("[[R1, 2], [R2, 1]]", fresh("replaced: skip").toString());
    assertEquals("[[R1, 2], [R2, 1], [R2b, 1]]", fresh("replaced: take").toString());
    lake.file("n/5", "R5\n").file("n/4", "R4\n").file("n/6", "R6\n");
    assertEquals(
        "[[R1, 2], [R2, 1], [R2b, 1], [R4, 1], [R5, 1]]", fresh("most-files: 2").toString());
    assertTrue(lake.log().toString().contains("1 files wait for the next run"));
    assertEquals(5, fresh("still-for: 1h").size());
    assertEquals(6, fresh("most-bytes: 1").size());
  }

  @Test
  void readsParquetFilesOfOtherWriters() throws IOException {
    lake.file(
        "j/1",
        "{\"roll\":\"R1\",\"day\":\"2026-03-01\",\"m\":1.25,\"defects\":[{\"kind\":\"slub\"}],\"marks\":{\"a\":1}}\n{\"roll\":\"R2\"}\n");
    String columns =
        "columns: {roll: varchar, day: date, m: \"decimal(9, 2)\", defects: \"list(struct(kind varchar))\", marks: \"map(varchar, int)\"}\n";
    land("feed: first\nfiles: j/*\njson: {}\n" + columns);
    try (var written = java.nio.file.Files.walk(folder)) {
      Path data = written.filter(p -> p.toString().endsWith(".parquet")).findFirst().orElseThrow();
      lake.file("p/rolls.parquet", java.nio.file.Files.readAllBytes(data));
    }
    lake.file("p/broken.parquet", "PAR1 but nothing else");
    String feed = "feed: anew\nfiles: p/rolls.parquet\nparquet: {}\n" + columns;

    land(feed);

    assertEquals(
        lake.query("select * from raw.first").toString(),
        lake.query("select * from raw.anew").toString());
    assertTrue(
        failure(feed.replace("p/rolls.parquet", "p/broken.parquet").replace("anew", "third"))
            .contains("[p/broken.parquet] cannot be read as Parquet"));
  }

  private void follow(String feed) {
    lake.declare(feed);
    lake.run(
        "pipeline: p\nsteps:\n  rows: {read: {feed: f}}\n  out: {from: rows, write: {table: raw.f, columns: follow}}\n");
  }

  @Test
  void acceptingAChangeGivesTheTableItsColumns() {
    String first =
        """
        feed: f
        files: f/*
        json: {}
        columns:
          # whose roll
          roll: varchar
          n: {type: int, required: true} # counted
          loom: struct(hall varchar)
          d: list(struct(k varchar))
        change: stop
        """;
    lake.file("f/1", "{\"roll\":\"R1\",\"n\":1,\"loom\":{\"hall\":\"N\"},\"d\":[{\"k\":\"a\"}]}\n");
    follow(first);
    lake.file(
        "f/2",
        "{\"roll\":\"R2\",\"n\":9999999999,\"loom\":{\"hall\":\"S\",\"nr\":7},\"d\":[{\"k\":\"b\",\"m\":1.5}],\"Shade No\":\"07\"}\n");
    assertThrows(RunFailedException.class, () -> follow(first));

    var changes =
        yardage.core.feed.propose.FeedChanges.of(
            FeedDefinition.parse(first).feed().orElseThrow(),
            first,
            FileDiscovery.find(
                lake.lake().raw(), FeedDefinition.parse(first).feed().orElseThrow()));
    follow(changes.text());

    assertEquals(
        """
        feed: f
        files: f/*
        json: {}
        columns:
          # whose roll
          roll: varchar
          n: {type: bigint, required: true} # counted
          loom: "struct(hall varchar, nr int)"
          d: "list(struct(k varchar, m decimal(9, 1)))"
          shade_no: {type: varchar, from: "Shade No"}
        change: stop
        """,
        changes.text());
    assertEquals(
        """
        [R1, 1, {hall=N, nr=null}, [{k=a, m=null}], null]
        [R2, 9999999999, {hall=S, nr=7}, [{k=b, m=1.5}], 07]
        """,
        lines(lake.query("select * from raw.f order by roll")));
    assertEquals(
        "[[R1, null], [R2, 1.5]]",
        lake.query("select roll, d[1].m from raw.f order by 1").toString());
  }

  @Test
  void aMissingFieldIsToldAndCanBeAccepted() {
    String feed =
        "feed: f\nfiles: f/*\ntext: {}\ncolumns: {roll: varchar, shade: varchar, n: int}\n";
    lake.file("f/1", "roll,n,shade\nR1,1,blue\n");
    follow(feed);
    lake.file("f/2", "roll,n\nR2,2\n");
    String message = assertThrows(RunFailedException.class, () -> follow(feed)).getMessage();
    var changes =
        yardage.core.feed.propose.FeedChanges.of(
            FeedDefinition.parse(feed).feed().orElseThrow(),
            feed,
            FileDiscovery.matching(lake.lake().inbox(), List.of("f/2")));
    follow(changes.text());

    assertTrue(message.contains("it lacks [shade]"), message);
    assertTrue(
        changes.text().contains("shade: {type: varchar, may-be-absent: true}, n: int"),
        changes.text());
    assertEquals(
        "[[R1, blue, 1], [R2, null, 2]]",
        lake.query("select * from raw.f order by roll").toString());
  }

  @Test
  void xmlRowsWithAttributesGoThroughATable() {
    lake.file("f/1", "<a><r><t k='x'>1</t><t k='y'>2</t></r></a>");

    follow(
        "feed: f\nfiles: f/*\nxml: {row: r}\ncolumns:\n  t: 'list(struct(\"@k\" varchar, \".\" int))'\n");

    assertEquals("[[[{@k=x, .=1}, {@k=y, .=2}]]]", lake.query("select * from raw.f").toString());
    assertEquals("[[y, 2]]", lake.query("select t[2].\"@k\", t[2].\".\" from raw.f").toString());
  }

  @Test
  void movedFieldsAreNoticed() {
    String feed = "feed: f\nfiles: f/*\ntext: {%s}\ncolumns: {roll: varchar, n: int}\n";
    lake.file("f/1", "N,spare,roll\n1,x,R1\n");
    FeedDefinition byName =
        FeedDefinition.parse(feed.formatted("") + "change: ignore\n").feed().orElseThrow();

    follow(feed.formatted("") + "change: ignore\n");
    lake.file("f/2", "N,roll\n1,R1\n");
    String byPlace =
        assertThrows(RunFailedException.class, () -> follow(feed.formatted("match: position")))
            .getMessage();

    String found =
        "Fields have another order in f/1: [n] is number 1 there and number 2 in the contract";
    assertTrue(lake.log().contains(found + "; they were matched by name"), lake.log().toString());
    assertTrue(
        byPlace.contains(found.replace("f/1", "f/2") + ", and the feed matches them by place"),
        byPlace);
    assertTrue(
        yardage.core.feed.propose.FeedChanges.of(
                byName,
                feed.formatted(""),
                FileDiscovery.matching(lake.lake().inbox(), List.of("f/1")))
            .changes()
            .stream()
            .anyMatch(c -> c.found().startsWith(found)));
  }

  @Test
  void valuesStandAgainstANarrowerContract() {
    String feed = "feed: f\nfiles: f/*\ntext: {}\ncolumns: {n: %s, t: timestamp}\n";
    lake.file("f/1", "n,t\n1,2026-03-01 00:00:00\n70000000000,2026-03-02 06:30:00\n");
    FeedDefinition wide = FeedDefinition.parse(feed.formatted("bigint")).feed().orElseThrow();
    java.util.function.Function<String, List<String>> against =
        text ->
            yardage.core.feed.propose.FeedChanges.againstNarrowing(
                wide,
                FeedDefinition.parse(text).feed().orElseThrow(),
                FileDiscovery.matching(lake.lake().inbox(), List.of("f/1")));

    assertEquals(
        "[1 of 2 values of [n] in f/1 are not valid int values: line 3 \"70000000000\"]",
        against.apply(feed.formatted("int")).toString());
    assertEquals(List.of(), against.apply(feed.formatted("{type: int, if-wrong: \"null\"}")));
    assertEquals(List.of(), against.apply(feed.formatted("'decimal(12, 0)'")));
    assertEquals(
        1, against.apply(feed.formatted("bigint").replace("t: timestamp", "t: date")).size());
  }

  @Test
  void wholeNumbersBecomeDecimalsInTheTableToo() {
    String feed = "feed: f\nfiles: f/*\ntext: {}\ncolumns: {d: date, n: int, m: 'decimal(6, 1)'}\n";
    String pipeline =
        "pipeline: p\nsteps:\n  rows: {read: {feed: f}}\n  out: {from: rows, write: {table: raw.f, columns: follow, partition: [month(d)]%s}}\n";
    lake.declare(feed).file("f/1", "d,n,m\n2026-03-01,7,1.5\n2026-04-01,8,2.5\n");
    lake.run(pipeline.formatted(""));
    lake.file("f/2", "d,n,m\n2026-04-02,9.25,3.125\n");
    var changes =
        yardage.core.feed.propose.FeedChanges.of(
            FeedDefinition.parse(feed).feed().orElseThrow(),
            feed,
            FileDiscovery.matching(lake.lake().inbox(), List.of("f/2")));
    lake.declare(changes.text());

    Tally written = lake.run(pipeline.formatted("")).get("out");

    assertEquals(1, written.rowsOut());
    assertEquals(
        """
        [2026-03-01, 7.00, 1.500]
        [2026-04-01, 8.00, 2.500]
        [2026-04-02, 9.25, 3.125]
        """,
        lines(lake.query("select * from raw.f order by d")));
    assertTrue(lake.log().toString().contains("2 rows that were in raw.f were written again"));

    lake.declare(feed.replace("n: int", "n: 'decimal(14, 3)'").replace("6, 1", "8, 3"));
    lake.file("f/3", "d,n,m\n2026-04-03,1,1\n");
    lake.run(pipeline.formatted(", mode: replace-partitions"));

    assertEquals(
        "[[2026-03-01, 7.000, 1.500], [2026-04-03, 1.000, 1.000]]",
        lake.query("select * from raw.f order by d").toString(),
        "the partition that was replaced is not written again");
  }

  @Test
  void aTableThatCannotFollowSaysSo() {
    lake.file("f/1", "n\n1\n");
    follow("feed: f\nfiles: f/*\ntext: {}\ncolumns: {n: date}\nset-aside-limit: {share: 100%}\n");
    lake.declare("feed: f\nfiles: f/*\ntext: {}\ncolumns: {n: int}\n");

    String problems =
        lake.check(
                "pipeline: p\nsteps:\n  rows: {read: {feed: f}}\n  out: {from: rows, write: {table: raw.f, columns: follow}}\n")
            .problems()
            .toString();

    assertTrue(problems.contains("[n] is int here and date in the table"), problems);
  }
}
