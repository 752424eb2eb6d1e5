package yardage.core.pipeline.insight;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.exec.Tally;
import yardage.core.pipeline.run.CheckResults;
import yardage.core.testing.TestLake;

/** What a run says of its joins by itself, and what becomes of a document that is mended. */
class JoinMendingTest {
  private static final String DOCUMENT =
      """
      pipeline: p
      # Where the looms stand.
      steps:
        hours: {read: {feed: hours}}
        looms: {read: {feed: looms}}
        # Counters pad their codes.
        placed:
          from: hours # all of them
          join: {kind: inner, with: looms, on: [loom]}
        out: {from: placed, write: {table: t.out, mode: replace}}
      """;

  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: hours\nfiles: hours\ntake: all\ntext: {}\ncolumns: {loom: varchar, h: int}\n");
    lake.declare(
        "feed: looms\nfiles: looms\ntake: all\ntext: {}\ncolumns: {loom: varchar, hall: varchar}\n");
  }

  private void files(String hours, String looms) {
    lake.file("hours", "loom,h\n" + hours.replace(' ', '\n').replace('_', ' ') + "\n");
    lake.file("looms", "loom,hall\n" + looms.replace(' ', '\n').replace('_', ' ') + "\n");
  }

  private String mended(String document) {
    JoinInsight insight = lake.diagnose(document, "placed");
    return JoinMending.apply(document, insight, insight.diagnosis().remedies().get(0).code())
        .orElseThrow();
  }

  @Test
  void putsTheStepBeforeTheJoinAndKeepsAllElse() {
    files("L1__,7 L2_,8 L3,9", "L1,N L2,S L3,E");

    assertEquals(
        """
        pipeline: p
        # Where the looms stand.
        steps:
          hours: {read: {feed: hours}}
          looms: {read: {feed: looms}}
          hours_mended:
            from: hours
            shape: {trim: [loom]}
          # Counters pad their codes.
          placed:
            from: hours_mended # all of them
            join: {kind: inner, with: looms, on: [loom]}
          out: {from: placed, write: {table: t.out, mode: replace}}
        """,
        mended(DOCUMENT));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "L1__,7 L2_,8 L3,9 | L1,N L2,S L3,E",
        "L1,7 L2,8 L3,9 | __L1,N _L2,S L3,E",
        "l1,7 L2,8 l3,9 | L1,N l2,S L3,E",
        "007,7 08,8 9,9 | 7,N 8,S 9,E",
        "Lã,7 Lé,8 L3,9 | La,N Le,S L3,E",
        "1.50,7 2.0,8 3,9 | 1.5,N 2,S 3.00,E",
        "05.03.2026,7 06.03.2026,8 07.03.2026,9 | 2026-03-05,N 2026-03-06,S 2026-03-07,E",
      })
  void aMendedDocumentIsSoundAndMatchesEveryRow(String hours, String looms) {
    files(hours, looms);

    Map<String, Tally> before = lake.run(DOCUMENT);
    Map<String, Tally> after = lake.run(mended(DOCUMENT));

    assertTrue(before.get("placed").matched() < 3, before.get("placed").toString());
    assertEquals(3, after.get("placed").matched());
    assertEquals(0, after.get("placed").unmatched());
  }

  @Test
  void aNameThatIsTakenIsNotTakenTwice() {
    files("L1_,7", "L1,N");
    String twice =
        DOCUMENT.replace("  looms:", "  hours_mended: {from: hours, keep: h > 0}\n  looms:");

    assertTrue(mended(twice).contains("  hours_mended_2:\n    from: hours\n"), mended(twice));
    assertEquals(1, lake.run(mended(twice)).get("placed").matched());
  }

  @Test
  void whatCannotBeEditedIsRefusedWithTheWayOut() {
    files("L1_,7", "L1,N");
    JoinInsight insight = lake.diagnose(DOCUMENT, "placed");
    String inOneLine =
        DOCUMENT.replaceAll(
            "(?s)steps:.*", "steps: {placed: {from: hours, join: {with: looms, on: [loom]}}}\n");

    assertTrue(
        assertThrows(
                IllegalArgumentException.class,
                () -> JoinMending.apply(DOCUMENT, insight, "moonlight"))
            .getMessage()
            .contains("no remedy [moonlight]; it has blanks"));
    assertTrue(
        assertThrows(
                IllegalArgumentException.class,
                () -> JoinMending.apply(inOneLine, insight, "blanks"))
            .getMessage()
            .contains("put the offered step in by hand"));
    assertTrue(
        assertThrows(
                IllegalArgumentException.class,
                () -> JoinMending.apply("pipeline: p\nsteps: {}\n", insight, "blanks"))
            .getMessage()
            .contains("stands in a part"));

    files("X9,1 X8,1", "9,S 8,N");
    assertEquals(
        Optional.empty(),
        JoinMending.apply(DOCUMENT, lake.diagnose(DOCUMENT, "placed"), "prefix"),
        "SQL has no short way");
  }

  private List<String> worthALook(String document) {
    lake.run(document);
    return JoinFindings.worthALook(lake.check(document), lake.lastRun().tallies());
  }

  @Test
  void onlyJoinsThatFindLittleAreLookedInto() {
    files("A,1 B,1 C,1 D,1 E,1 F,1 G,1 H,1 I,1 J,1", "A,1 B,1 C,1 D,1 E,1 F,1 G,1 H,1 I,1");
    assertEquals(List.of(), worthALook(DOCUMENT), "nine in ten are enough");

    files("A,1 B,1 C,1 D,1 E,1 F,1 G,1 H,1 I,1 J,1", "A,1 B,1 C,1 D,1 E,1 F,1 G,1 H,1");
    for (String kind : List.of("inner", "left", "full", "semi")) {
      assertEquals(
          List.of("placed"),
          worthALook(DOCUMENT.replace("inner", kind).replace("t.out", "t." + kind)),
          kind);
    }
    assertEquals(
        List.of(),
        worthALook(DOCUMENT.replace("inner", "anti").replace("t.out", "t.anti")),
        "which wants no match");

    files("", "A,1");
    assertEquals(List.of(), worthALook(DOCUMENT), "no rows say nothing");
  }

  @Test
  void aFindingIsToldInOneLine() {
    files("L1_,7 L2_,8 X9,9", "L1,N L2,S");

    assertEquals(
        "placed: 0 of 3 rows of hours found something in looms; 2 more would without blanks at the ends",
        JoinFindings.words(lake.diagnose(DOCUMENT, "placed")));
    files("Q,7", "L1,N");
    assertTrue(
        JoinFindings.words(lake.diagnose(DOCUMENT, "placed"))
            .endsWith("; nothing that is known to keep keys apart would make it more"));
    assertFalse(lake.diagnose(DOCUMENT, "placed").sampled());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "1298523.41 here and 98.5 in [once]|1,298,523.41 here and 98.5 in [once]",
        "1234567.8000000003 here and 1234567 in [a_2026]|1,234,567.8 here and 1,234,567 in [a_2026]",
        "-45000 here and 2026 in [t2026]|-45,000 here and 2,026 in [t2026]",
      })
  void totalsAreToldAsPeopleReadThem(String found, String told) {
    assertEquals(told, CheckResults.grouped(found));
  }
}
