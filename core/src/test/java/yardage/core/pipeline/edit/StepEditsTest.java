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
    WeavingMills.write(lake.lake().inbox(), 200, 7);
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
}
