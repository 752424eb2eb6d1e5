package yardage.core.pipeline.edit;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.document.Problem;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.describe.StepCatalog;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.testing.Mills;
import yardage.core.testing.TestLake;
import yardage.demo.WeavingMills;

/** Steps that are put in, taken out and renamed in the demo's documents; all else stays. */
class StepEditsTest {
  private static final List<String> NAMES =
      List.of("land-ledger", "land-yard", "roll-inspection", "cloth-star", "faulty-cloth");

  @TempDir static Path folder;
  private static TestLake lake;
  private static final List<String> texts = new ArrayList<>();

  @BeforeAll
  static void land() throws IOException {
    lake = new TestLake(folder);
    WeavingMills.write(lake.inbox(), 200, 7);
    for (String feed : Mills.FEEDS) {
      lake.declare(Mills.document("feeds/" + feed + ".yaml"));
    }
    lake.declarePart(Mills.document("parts/tidy-rolls.yaml"));
    lake.run(Mills.document("pipelines/land-reference.yaml"));
    lake.run(Mills.document("pipelines/land-ledger.yaml"));
    for (String name : NAMES) {
      texts.add(Mills.document("pipelines/" + name + ".yaml"));
    }
  }

  private static StepEdit.Edited edit(String text, StepEdit edit) {
    return StepEdits.apply(text, edit, lake);
  }

  private static StepEdit.Add add(String verb, String behind, List<String> readers) {
    return new StepEdit.Add(verb, Optional.of(behind), readers, Optional.empty(), Optional.empty());
  }

  private static List<String> readers(PipelineDocument document, String step) {
    return document.steps().values().stream()
        .filter(s -> s.inputs().stream().anyMatch(i -> i.text().equals(step)))
        .map(PipelineDocument.Step::name)
        .toList();
  }

  private static List<String> errors(PipelineCheck check) {
    return check.problems().stream()
        .filter(p -> p.severity() == Problem.Severity.ERROR)
        .map(p -> p.step() + ": " + p.message())
        .toList();
  }

  @Test
  @Tag("thorough")
  void whatIsPutInAndTakenOutAgainLeavesTheTextAsItWas() {
    int put = 0;
    for (String text : texts) {
      PipelineDocument document = PipelineDocument.parse(text);
      for (PipelineDocument.Step step : document.steps().values()) {
        if (step.verb().word().equals("write")) {
          continue;
        }
        List<String> readers = readers(document, step.name());
        for (List<String> rewired : List.of(List.<String>of(), readers)) {
          StepEdit.Edited with = edit(text, add("keep", step.name(), rewired));
          String name = with.step().orElseThrow();
          PipelineDocument after = PipelineDocument.parse(with.text());

          assertEquals(rewired, readers(after, name), with.text());
          assertEquals(text, edit(with.text(), new StepEdit.Remove(name)).text());
          put++;
        }
      }
    }
    assertTrue(put > 60, "steps in all documents: " + put);
  }

  @Test
  void aStepBeginsWithWhatItsColumnsAllow() {
    String text = texts.get(NAMES.indexOf("roll-inspection"));
    for (String verb :
        List.of(
            "shape",
            "keep",
            "fill",
            "sample",
            "dedupe",
            "aggregate",
            "check",
            "across",
            "sql",
            "write")) {
      for (String step : List.of("rolls", "tidy", "latest", "named", "by_day")) {
        StepEdit.Edited edited = edit(text, add(verb, step, List.of()));
        PipelineCheck check = lake.check(edited.text());
        assertEquals(List.of(), errors(check), () -> verb + " behind " + step);
      }
    }
    String star = texts.get(NAMES.indexOf("cloth-star"));
    StepEdit.Edited again = edit(star, add("write", "dim_loom", List.of()));
    assertTrue(again.text().contains("write: {table: star.dim_loom, mode: replace}"), star);
    StepEdit.Edited joined = edit(text, add("join", "tidy", List.of()));
    assertTrue(joined.text().contains("join: {with: looms, on: [loom_code], kind: left}"));
    assertEquals(List.of(), errors(lake.check(joined.text())));
  }

  @Test
  @Tag("thorough")
  void aNameChangesWhereverItIsMentioned() {
    Random random = new Random(11);
    for (String text : texts) {
      String now = text;
      for (PipelineDocument.Step step : PipelineDocument.parse(text).steps().values()) {
        String other = step.name() + "_" + (char) ('a' + random.nextInt(26)) + "z";
        String renamed = edit(now, new StepEdit.Rename(step.name(), other)).text();

        PipelineCheck check = lake.check(renamed);
        assertEquals(List.of(), errors(check), renamed);
        assertEquals(
            readers(PipelineDocument.parse(now), step.name()).size(),
            readers(PipelineDocument.parse(renamed), other).size());
        assertEquals(now, edit(renamed, new StepEdit.Rename(other, step.name())).text());
        now = renamed;
      }
      assertTrue(now.lines().count() == text.lines().count() && !now.equals(text));
    }
  }

  @Test
  void theFlowHealsWhereAStepIsTakenOut() {
    String text = texts.get(NAMES.indexOf("roll-inspection"));
    String without = edit(text, new StepEdit.Remove("usable")).text();

    assertEquals(List.of(), errors(lake.check(without)));
    assertTrue(without.contains("    from: tidy\n    dedupe"), without);
    assertTrue(!without.contains("cut on the loom"), "its comment goes with it");
    assertTrue(without.contains("# A corrected line comes later"), "others stay");
    String sql = edit(text, new StepEdit.Remove("graded")).text();
    assertTrue(sql.contains("from: [placed, mills, patterns]"), sql);
    assertTrue(sql.contains("from placed g"), sql);
  }

  @Test
  void whatCannotBeDoneIsSaid() {
    String text = texts.get(NAMES.indexOf("roll-inspection"));
    Map<StepEdit, String> wrong =
        Map.ofEntries(
            Map.entry(
                new StepEdit.Remove("rolls"),
                "Step [rolls] has no step before it that [tidy] could read instead"),
            Map.entry(new StepEdit.Remove("rols"), "did you mean [rolls]?"),
            Map.entry(new StepEdit.Rename("tidy", "once"), "There is a step [once] already"),
            Map.entry(new StepEdit.Rename("tidy", "Tidy Up"), "Invalid step name [Tidy Up]"),
            Map.entry(add("kep", "tidy", List.of()), "did you mean [keep]?"),
            Map.entry(add("keep", "tidy", List.of("once")), "Step [once] does not read [tidy]"),
            Map.entry(add("read", "tidy", List.of()), "A step that reads has no step before it"),
            Map.entry(
                new StepEdit.Add(
                    "keep", Optional.empty(), List.of(), Optional.empty(), Optional.empty()),
                "Say behind which step"));
    wrong.forEach(
        (edit, said) -> {
          String message =
              assertThrows(IllegalArgumentException.class, () -> edit(text, edit)).getMessage();
          assertTrue(message.contains(said), message);
        });
    String flow = "pipeline: p\nsteps: {a: {read: {feed: mills}}, b: {from: a, keep: 1 = 1}}\n";
    assertTrue(
        assertThrows(IllegalArgumentException.class, () -> edit(flow, new StepEdit.Remove("b")))
            .getMessage()
            .contains("does not begin a line of its own"));
    String same =
        "pipeline: p\nsteps:\n  mill_code:\n    read: {feed: mills}\n  b:\n    from: mill_code\n    sql: select mill_code, 1 as n from mill_code\n";
    assertTrue(
        assertThrows(
                IllegalArgumentException.class,
                () -> edit(same, new StepEdit.Rename("mill_code", "m")))
            .getMessage()
            .contains("rename it in the text"));
  }

  @Test
  void everyVerbCanBePutIn() {
    String text = texts.get(NAMES.indexOf("roll-inspection"));
    for (String verb : StepCatalog.verbs()) {
      StepEdit.Add add =
          StepCatalog.begins(verb)
              ? new StepEdit.Add(
                  verb, Optional.empty(), List.of(), Optional.empty(), Optional.empty())
              : add(verb, "tidy", List.of());
      StepEdit.Edited edited = edit(text, add);
      List<String> before = text.lines().toList();
      assertTrue(edited.text().lines().toList().containsAll(before), verb);
      assertTrue(edited.text().lines().count() - before.size() >= 2, verb);
    }
  }

  private static final String LINE =
      """
      pipeline: line
      steps:
        rolls:
          read: {feed: roll-ledger}
        # blanks of the scale
        tidy:
          from: rolls
          shape: {trim: {of: text}} # all of them
        long_ones:
          from: tidy
          keep: cast(len_m as double) > 10
        once:
          from: long_ones
          dedupe: {by: [roll_id]}
        publish:
          from: once
          write: {table: mart.line}
      """;

  private static List<String> flow(String text) {
    return PipelineDocument.parse(text).steps().values().stream()
        .map(s -> s.name() + "<" + s.inputs().stream().map(i -> i.text()).toList())
        .sorted()
        .toList();
  }

  @Test
  void aStepGoesToAnotherPlaceAndBackToTheLetter() {
    String moved = edit(LINE, new StepEdit.Move("tidy", "once", List.of("publish"))).text();
    assertEquals(
        List.of(
            "long_ones<[rolls]", "once<[long_ones]", "publish<[tidy]", "rolls<[]", "tidy<[once]"),
        flow(moved));
    assertTrue(
        moved.contains("    dedupe: {by: [roll_id]}\n  # blanks of the scale\n  tidy:\n"), moved);
    assertEquals(List.of(), errors(lake.check(moved)));
    assertEquals(
        LINE, edit(moved, new StepEdit.Move("tidy", "rolls", List.of("long_ones"))).text());

    String branch = edit(LINE, new StepEdit.Move("once", "rolls", List.of())).text();
    assertTrue(flow(branch).containsAll(List.of("once<[rolls]", "publish<[long_ones]")), branch);
    Map<StepEdit, String> wrong =
        Map.of(
            new StepEdit.Move("rolls", "once", List.of()), "Step [rolls] reads",
            new StepEdit.Move("tidy", "tidy", List.of()), "cannot come behind itself",
            new StepEdit.Move("tidy", "once", List.of("rolls")),
                "Step [rolls] does not read [once]");
    wrong.forEach(
        (move, said) -> {
          String message =
              assertThrows(IllegalArgumentException.class, () -> edit(LINE, move)).getMessage();
          assertTrue(message.contains(said), message);
        });
  }

  @Test
  void everyFieldOfTheDemoIsReadAndPutBackToTheLetter() {
    int fields = 0;
    for (String text : texts) {
      for (String step : PipelineDocument.parse(text).stepNames()) {
        Map<String, Object> said = StepEdits.fields(text, step);
        for (Map.Entry<String, Object> field : said.entrySet()) {
          List<String> path = List.of(field.getKey());
          StepEdit same = new StepEdit.Set(step, path, Optional.of(field.getValue()));
          assertEquals(text, edit(text, same).text());
          String without = edit(text, new StepEdit.Set(step, path, Optional.empty())).text();
          assertTrue(!StepEdits.fields(without, step).containsKey(field.getKey()), without);
          Map<String, Object> again =
              StepEdits.fields(
                  edit(without, new StepEdit.Set(step, path, Optional.of(field.getValue()))).text(),
                  step);
          assertEquals(said, again);
          fields++;
        }
      }
    }
    assertTrue(fields > 90, "fields in all documents: " + fields);
  }

  @Test
  void aStepIsSwitchedOffWithoutBeingLost() throws IOException {
    StepEdit off = new StepEdit.Set("long_ones", List.of("off"), Optional.of("true"));
    String text = edit(LINE.replace("> 10", "> > 10"), off).text();
    PipelineCheck check = lake.check(text);
    assertEquals(List.of(), errors(check));
    assertEquals(
        List.of("Step [long_ones] is switched off: the rows of [tidy] pass as they come"),
        check.problems().stream().map(Problem::message).toList());
    assertEquals(check.schema("tidy"), check.schema("long_ones"));
    var tallies = lake.run(text);
    assertEquals("off", tallies.get("long_ones").verb());
    assertEquals(tallies.get("tidy").rowsOut(), tallies.get("long_ones").rowsOut());

    String read = "pipeline: p\nsteps:\n  a:\n    off: true\n    read: {feed: mills}\n";
    assertTrue(errors(lake.check(read)).get(0).contains("so it cannot be off"));
    String unwritten =
        edit(LINE, new StepEdit.Set("publish", List.of("off"), Optional.of("true"))).text();
    assertTrue(errors(lake.check(unwritten)).get(0).contains("No step writes"), unwritten);
  }

  @Test
  void pastedStepsKeepTogetherAndTakeFreeNames() {
    String copied =
        """
          # blanks of the scale
          tidy:
            from: rolls
            shape: {trim: {of: text}} # all of them
          asked:
            from: [tidy, looms]
            sql: |
              select t.*
              from tidy t  -- as they are
        """;
    StepPaste.Pasted pasted = StepPaste.paste(LINE, copied, Optional.of("once"), Map.of());
    assertEquals(Map.of("tidy", "tidy_2"), pasted.renamed());
    assertEquals(List.of("tidy_2", "asked"), pasted.steps());
    assertEquals(
        List.of(
            new StepPaste.Input("rolls", Optional.of("once")),
            new StepPaste.Input("looms", Optional.empty())),
        pasted.inputs());
    assertTrue(
        pasted
            .text()
            .contains(
                """
                    dedupe: {by: [roll_id]}
                  # blanks of the scale
                  tidy_2:
                    from: once
                    shape: {trim: {of: text}} # all of them
                  asked:
                    from: [tidy_2, looms]
                    sql: |
                      select t.*
                      from tidy_2 t  -- as they are
                  publish:
                """),
        pasted.text());
    assertTrue(pasted.text().lines().toList().containsAll(LINE.lines().toList()));

    // A whole document into one that has no steps yet, and one's own steps beside themselves.
    String empty = "pipeline: copy\nabout: nothing yet\nsteps: # below\n";
    assertEquals(
        empty + LINE.substring(LINE.indexOf("  rolls:")),
        StepPaste.paste(empty, LINE, Optional.empty(), Map.of()).text());
    String twice = StepPaste.paste(LINE, LINE, Optional.empty(), Map.of()).text();
    assertTrue(flow(twice).containsAll(List.of("once_2<[long_ones_2]", "tidy_2<[rolls_2]")), twice);

    Map<String, String> nonsense =
        Map.of(
            "hello there", "There is no step in this text",
            "", "There is no step in this text",
            "a: {from: b, kep: 1 > 0}", "Step [a] of the pasted text cannot be made out",
            "a: [", "There is no step in this text: line 1");
    nonsense.forEach(
        (fragment, said) -> {
          String message =
              assertThrows(
                      IllegalArgumentException.class,
                      () -> StepPaste.paste(LINE, fragment, Optional.empty(), Map.of()))
                  .getMessage();
          assertTrue(message.contains(said), message);
        });
  }
}
