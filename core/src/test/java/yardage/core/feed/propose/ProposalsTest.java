package yardage.core.feed.propose;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Type;
import yardage.core.feed.FeedDefinition;
import yardage.core.testing.TestLake;

/** Feeds proposed from files: each is right, sound, and reads the files that it was made from. */
class ProposalsTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
  }

  private Proposal propose(String path, byte[] contents) {
    lake.file(path, contents);
    Proposals.Result result = Proposals.of(lake.lake().inbox(), List.of(path), List.of());
    assertEquals(java.util.Map.of(), result.unknown());
    return result.proposals().get(0);
  }

  /** The proposal's lines from the format on; its feed is run, and nothing may be set aside. */
  private String check(Proposal proposal) {
    FeedDefinition.Parsed parsed = FeedDefinition.parse(proposal.text());
    assertTrue(parsed.feed().isPresent(), parsed.problems() + "\n" + proposal.text());
    lake.declare(proposal.text());
    lake.run(
        "pipeline: land\nsteps:\n  rows: {read: {feed: %s}}\n  out: {from: rows, write: {table: raw.t%d}}\n"
            .formatted(proposal.name(), Math.abs(proposal.name().hashCode())));
    assertEquals(java.util.Map.of(), lake.lastRun().setAsideByReason(), proposal.text());
    StringBuilder out = new StringBuilder();
    proposal
        .text()
        .lines()
        .skip(3)
        .filter(l -> !l.strip().startsWith("#"))
        .forEach(l -> out.append(l).append('\n'));
    return out.toString();
  }

  private static byte[] utf8(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }

  @Test
  void delimitedTextWithAPreambleAndOtherEncoding() {
    StringBuilder text =
        new StringBuilder(
            "Rolls of mill Vilsanã\nmade 2026-03-01\nRoll No;Größe;Code;Woven;Metres;Share;Good;Weight;Remark\n");
    for (int i = 0; i < 200; i++) {
      text.append(
          "R%d;%d;%05d;%02d.03.2026 14:05;1.%03d,5;%d.5%%;%s;%s;%s\n"
              .formatted(
                  i,
                  i,
                  i * 7,
                  1 + i % 28,
                  i % 1000,
                  i % 90,
                  i % 2 == 0 ? "ja" : "nein",
                  i == 7 ? "n/a" : i + ".25",
                  i % 3 == 0 ? "" : "\"a; b\""));
    }

    Proposal proposal =
        propose("rolls/2026-03-01.csv", text.toString().getBytes(Charset.forName("windows-1252")));

    assertEquals(
        """
        encoding: iso-8859-1
        text: {separator: ";", skip-lines: 2}
        columns:
          roll_no: {type: varchar, from: "Roll No", required: true}
          grosse: {type: int, from: "Größe"}
          code: {type: varchar, required: true}
          woven: {type: timestamp, format: "dd.MM.yyyy HH:mm"}
          metres: {type: "decimal(9, 1)", numbers: {decimal: ",", group: "."}}
          share: {type: "decimal(9, 3)", numbers: {percent: true}}
          good: {type: boolean, yes: ja, no: nein}
          weight: {type: "decimal(9, 2)", nulls: ["", n/a]}
          remark: varchar
        """,
        check(proposal));
    assertTrue(
        proposal
            .text()
            .contains("# digits only, but some start with a zero, like line 4 \"00000\""),
        proposal.text());
    assertTrue(
        proposal.text().contains("[;] gives 200 of 203 lines 9 fields each")
            || proposal.text().contains("[;] gives 201 of 203 lines 9 fields each"),
        proposal.text());
  }

  @Test
  void mixedColumnsSaySo() {
    StringBuilder text = new StringBuilder("day,metres\n");
    for (int i = 0; i < 1000; i++) {
      text.append(i % 10 == 3 ? "soon" : "2026-03-01")
          .append(',')
          .append(i == 500 ? "about 7" : "7")
          .append('\n');
    }

    Proposal proposal = propose("x.csv", utf8(text.toString()));

    assertTrue(
        proposal
            .text()
            .contains(
                "# mixed: 900 of 1,000 values are dates; the other 100 are not, such as line 5 \"soon\", line 15 \"soon\", line 25 \"soon\", so it stays text\n  day: varchar"),
        proposal.text());
    assertTrue(
        proposal
            .text()
            .contains(
                "# 999 of 1,000 values are whole numbers like 7; the other 1 would be set aside: line 502 \"about 7\"\n  metres: int"),
        proposal.text());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '`',
      value = {
        "{\"roll\":\"R1\",\"n\":1}~{\"roll\":\"R2\",\"d\":[{\"k\":\"slub\",\"m\":1.5}]}~ ` json: {records: lines}~columns:~  roll: varchar~  n: int~  d: \"list(struct(k varchar, m decimal(9, 1)))\"~",
        "[{\"a b\":1},{\"a b\":true}] ` json: {records: array}~columns:~  a_b: {type: varchar, from: \"a b\"}~",
        "{\"meta\":{\"n\":2},\"data\":{\"rolls\":[{\"at\":\"2026-03-01T10:00:00Z\"},{\"at\":null}]}} ` json: {records: \"$.data.rolls[*]\"}~columns:~  at: timestamp~",
        "<lots><lot id='7'><name>x</name><spinner code='S'><city>Orfa</city></spinner><t>1</t><t>2</t></lot><lot id='8'/></lots> ` xml: {row: lot}~columns:~  id: {type: int, from: \"@id\"}~  name: varchar~  spinner_code: {type: varchar, from: \"spinner/@code\"}~  spinner_city: {type: varchar, from: spinner/city}~  t: {type: \"list(int)\", from: t}~",
        "code  hall     metres~L-001 north   1200.50~L-002 south     30.25~L-003 weaving  117.00~ ` fixed: {skip-lines: 1}~columns:~  code: {type: varchar, at: \"1-6\"}~  hall: {type: varchar, at: \"7-13\"}~  metres: {type: \"decimal(9, 2)\", at: \"14-21\"}~",
        "2026-03-01 06:00:00 [A1] in: João~2026-03-01 06:01:00 [A2] out: Ana~2026-03-01 06:02:00 [B1] in: Eva~ ` lines:~  pattern: '(?<at>\\d{4}-\\d\\d-\\d\\d[T ]\\d\\d:\\d\\d(?::\\d\\d(?:\\.\\d+)?)?(?:Z|[+-]\\d\\d:?\\d\\d)?) \\[(?<word>[^\\s:=\\[\\]()]+)\\] (?<word2>[^\\s:=\\[\\]()]+): (?<word3>[^\\s:=\\[\\]()]+)(?<rest>.*)'~",
      })
  void otherKinds(String text, String expected) {
    Proposal proposal = propose("day 1/x", utf8(text.replace('~', '\n')));

    String proposed = check(proposal);

    if (proposed.startsWith("lines")) {
      assertTrue(proposed.contains("(?<at>") && proposed.contains("(?<word2>"), proposed);
    } else {
      assertEquals(expected.replace('~', '\n'), proposed);
    }
  }

  @Test
  void aFolderOfManyKindsBecomesAFeedForEach() {
    for (int day = 1; day < 4; day++) {
      lake.file("in/rolls-2026-03-0" + day + ".csv", "id,m\nR" + day + ",5\n")
          .file("in/looms_" + day + ".txt", "code|hall\nL1|N\n")
          .file("in/mill=Orfa/gate-" + day + ".json", "{\"who\":\"Ana\"}\n");
    }
    lake.file("in/picture.png", new byte[] {(byte) 0x89, 'P', 'N', 'G', 0, 1, 2});

    Proposals.Result result = Proposals.of(lake.lake().inbox(), List.of("in"), List.of("in-looms"));

    assertEquals(
        List.of("in-looms-2", "in-mill-gate", "in-rolls"),
        result.proposals().stream().map(Proposal::name).toList());
    assertEquals(
        List.of("in/looms_*.txt", "in/mill=*/gate-*.json", "in/rolls-*.csv"),
        result.proposals().stream()
            .map(p -> FeedDefinition.parse(p.text()).feed().orElseThrow().files().get(0))
            .toList());
    assertEquals("[in/picture.png]", result.unknown().keySet().toString());
    result.proposals().forEach(this::check);
    assertEquals(
        Type.VARCHAR,
        FeedDefinition.parse(result.proposals().get(1).text())
            .feed()
            .orElseThrow()
            .schema()
            .field(1)
            .type());
  }

  @Test
  void aSchemaBesideTheDocumentsDeclaresTheColumns() {
    lake.file(
        "lots/lots.xsd",
        """
        <xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
          <xs:simpleType name="tex"><xs:restriction base="xs:decimal"/></xs:simpleType>
          <xs:element name="lots"><xs:complexType><xs:sequence>
            <xs:element name="lot" type="lot" maxOccurs="unbounded"/>
          </xs:sequence></xs:complexType></xs:element>
          <xs:complexType name="lot"><xs:sequence>
            <xs:element name="spinner"><xs:complexType><xs:simpleContent>
              <xs:extension base="xs:string"><xs:attribute name="code" type="xs:int" use="required"/></xs:extension>
            </xs:simpleContent></xs:complexType></xs:element>
            <xs:element name="tex" type="tex"/>
            <xs:element name="spun" type="xs:date" minOccurs="0"/>
            <xs:element name="fibre" maxOccurs="3"><xs:complexType><xs:simpleContent>
              <xs:extension base="xs:int"><xs:attribute name="kind"/></xs:extension>
            </xs:simpleContent></xs:complexType></xs:element>
          </xs:sequence><xs:attribute name="id" use="required"/><xs:attribute name="dyed" type="xs:boolean"/></xs:complexType>
        </xs:schema>
        """);
    Proposals.Result alone = Proposals.of(lake.lake().inbox(), List.of("lots"), List.of());
    lake.file(
        "lots/1.xml",
        "<lots><lot id='7' dyed='1'><spinner code='3'>S</spinner><tex>7</tex><fibre kind='x'>50</fibre><fibre kind='y'>50</fibre></lot><lot id='8'><spinner code='3'>S</spinner><tex>7.5</tex><fibre>100</fibre></lot></lots>");

    Proposals.Result result = Proposals.of(lake.lake().inbox(), List.of("lots"), List.of());

    assertEquals(1, result.proposals().size());
    assertEquals(
        """
        xml: {row: lot, xsd: lots/lots.xsd}
        columns:
          spinner: {type: varchar, required: true}
          spinner_code: {type: int, from: spinner/@code, required: true}
          tex: {type: "decimal(18, 6)", required: true}
          spun: date
          fibre: {type: "list(struct(\\".\\" int, \\"@kind\\" varchar))", from: fibre}
          id: {type: varchar, from: "@id", required: true}
          dyed: {type: boolean, from: "@dyed", yes: ["true", "1"], no: ["false", "0"]}
        """
            .replace("from: spinner/@code", "from: \"spinner/@code\""),
        check(result.proposals().get(0)));
    assertEquals(
        check(result.proposals().get(0)).lines().skip(2).toList(),
        check(alone.proposals().get(0)).lines().skip(2).toList(),
        "the schema alone proposes the same columns, before a document is there");
  }

  @Test
  void deepFilesAreProposedFromTheirUpperLevels() {
    for (int depth : new int[] {200, 20_000}) {
      String xml = "<lot><id>7</id>" + "<a>".repeat(depth) + "x" + "</a>".repeat(depth) + "</lot>";
      lake.file("deep/%d.xml".formatted(depth), utf8(xml));
      String json = "{\"id\": 7, \"a\": " + "[".repeat(depth) + "]".repeat(depth) + "}\n";
      lake.file("deep/%d.jsonl".formatted(depth), utf8(json));

      for (String path :
          List.of("deep/%d.xml".formatted(depth), "deep/%d.jsonl".formatted(depth))) {
        Proposals.Result result = Proposals.of(lake.lake().inbox(), List.of(path), List.of());

        assertEquals(1, result.proposals().size() + result.unknown().size(), path);
      }
    }
  }

  /** Each header stays a header, whatever is odd about it, and the feed reads its file. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "roll,roll,metres | match: position | roll: varchar",
        "roll,,metres | match: position | column_2: varchar",
        "roll,1st choice,metres (m) | {separator: \",\"} | c_1st_choice: {type: varchar, from: \"1st choice\"}",
        "Rolle,Größe/m²,Läufe [%] | {separator: \",\"} | rolle: varchar",
        "roll,hall,metres | {separator: \",\"} | hall: varchar",
      })
  void headersAreSeenWhateverIsOddAboutThem(String header, String format, String column) {
    StringBuilder text = new StringBuilder(header + "\n");
    for (int i = 0; i < 60; i++) {
      text.append(
          "R%04d,%s,%s\n"
              .formatted(i, i % 2 == 0 ? "north" : "south", i % 9 == 0 ? "n.k." : i + ".5"));
    }

    Proposal proposal = propose("odd/1.csv", utf8(text.toString()));
    String checked = check(proposal);

    assertTrue(checked.contains(format), proposal.text());
    assertTrue(checked.contains(column), proposal.text());
    assertEquals(
        "[[60]]",
        lake.query("select count(*) from raw.t" + Math.abs(proposal.name().hashCode())).toString());
  }

  @Test
  void recordsWithoutAHeaderHaveNone() {
    String text = "R0001,12,2026-01-05\nR0002,13,2026-01-05\n".repeat(30);

    assertTrue(check(propose("bare/1.csv", utf8(text))).contains("header: false"));
  }

  /** What could be meant in several ways is said, in the line above the column. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "woven | 05/03/2026;06/04/2026;07/05/2026 | format: dd/MM/yyyy | day and month cannot be told apart",
        "woven | 05/03/2026;26/04/2026;07/05/2026 | format: dd/MM/yyyy | !cannot be told apart",
        "woven | 05/13/2026;06/14/2026;07/15/2026 | format: MM/dd/yyyy | !cannot be told apart",
        "woven | 20260105;20260106;20251231 | {type: date, format: yyyyMMdd} | they could be whole numbers, too",
        "number | 20260105;20261306;20251231 | number: int | !dates",
        "seen_at | 1767600000;1767603600;1767607200 | format: epoch-seconds | taken as times for the column's name",
        "seen_at | 1767600000123;1767603600456;1767607200789 | format: epoch-millis | taken as times",
        "counter | 1767600000;1767603600;1767607200 | counter: int | they could be times: {type: timestamp, format: epoch-seconds}",
        "good | J;N;J | {type: boolean, yes: J, no: N} | truths",
        "good | N;N;N | good: varchar | text",
        "hall | N;S;N | hall: varchar | text",
        "good | 0;1;0 | good: int | only 0 and 1 occur",
      })
  void whatCanBeReadInSeveralWaysIsSaid(String name, String values, String column, String told) {
    StringBuilder text = new StringBuilder("roll," + name + "\n");
    String[] all = values.split(";");
    for (int i = 0; i < 60; i++) {
      text.append("R%d,%s\n".formatted(i, all[i % all.length]));
    }

    Proposal proposal = propose("several/1.csv", utf8(text.toString()));
    String checked = check(proposal);

    assertTrue(checked.replace("yes: j, no: n", "yes: J, no: N").contains(column), proposal.text());
    boolean absent = told.startsWith("!");
    assertEquals(
        !absent, proposal.text().contains(absent ? told.substring(1) : told), proposal.text());
  }

  @Test
  void backslashesThatEscapeQuotesAreSeen() {
    String text = "roll,note\n" + "R1,\"the \\\"good\\\" side, up\"\nR2,\"plain\"\n".repeat(30);

    Proposal proposal = propose("escapes/1.csv", utf8(text));

    assertTrue(check(proposal).contains("escape: \"\\\\\""), proposal.text());
    assertEquals(
        "[[the \"good\" side, up]]",
        lake.query(
                "select distinct note from raw.t%d where roll = 'R1'"
                    .formatted(Math.abs(proposal.name().hashCode())))
            .toString());
  }

  @Test
  void oldLineEndsAreSeen() {
    String checked = check(propose("old/1.csv", utf8("roll,metres\r" + "R1,5\rR2,6\r".repeat(20))));

    assertTrue(checked.contains("line-ends: cr"), checked);
    assertTrue(checked.contains("metres: int"), checked);
  }

  @Test
  void filesOfOneKindMakeOneFeedWhateverTheyAreCalled() {
    lake.file("rolls/north.csv", utf8("roll,metres\n" + "R1,5\n".repeat(30)));
    lake.file("rolls/south.csv", utf8("roll,metres\n" + "S1,5.25\n".repeat(30)));
    lake.file("looms/hall-a.csv", utf8("loom,hall\n" + "L1,5\n".repeat(30)));
    lake.file("looms/hall-b.csv", utf8("loom,built\n" + "L1,5\n".repeat(30)));

    List<Proposal> proposals =
        Proposals.of(lake.lake().inbox(), List.of("."), List.of()).proposals();

    assertEquals(
        List.of("looms-hall-a", "looms-hall-b", "rolls"),
        proposals.stream().map(Proposal::name).toList());
    Proposal rolls = proposals.get(2);
    assertTrue(rolls.text().contains("files: \"rolls/*.csv\""), rolls.text());
    assertTrue(check(rolls).contains("metres: \"decimal(9, 2)\""), "of both: " + rolls.text());
  }

  @Test
  void aSchemaThatLetsAValueBeNilDoesNotRequireIt() {
    lake.file(
        "lots/lot.xsd",
        utf8(
            """
            <xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
              <xs:element name="lots"><xs:complexType><xs:sequence>
                <xs:element name="lot" maxOccurs="unbounded"><xs:complexType><xs:sequence>
                  <xs:element name="weight" type="xs:int" nillable="true"/>
                  <xs:element name="code" type="xs:string"/>
                </xs:sequence></xs:complexType></xs:element>
              </xs:sequence></xs:complexType></xs:element>
            </xs:schema>
            """));

    String text =
        Proposals.of(lake.lake().inbox(), List.of("."), List.of()).proposals().get(0).text();

    assertTrue(text.contains("weight: int"), text);
    assertTrue(text.contains("code: {type: varchar, required: true}"), text);
  }
}
