package yardage.core.pipeline.preview;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.column.Batch;
import yardage.core.exec.Tally;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.sql.SqlProblemException;
import yardage.core.testing.Mills;
import yardage.core.testing.TestLake;
import yardage.demo.WeavingMills;

/** What a preview shows is what a run does, as far as sources were read. */
class PreviewTest {
  @TempDir Path folder;
  private TestLake lake;
  private final Map<Object, Sample> shelf = new HashMap<>();
  private int reads;

  @BeforeEach
  void declareTheMills() throws IOException {
    lake = new TestLake(folder);
    WeavingMills.write(lake.inbox(), 3000, 7);
    for (String feed : Mills.FEEDS) {
      lake.declare(Mills.document("feeds/" + feed + ".yaml"));
    }
    lake.declarePart(Mills.document("parts/tidy-rolls.yaml"));
  }

  private Preview preview(String pipeline, Preview.Question question) {
    PipelineRun.Setting setting = lake.toLook();
    Samples samples =
        (key, read) ->
            shelf.computeIfAbsent(
                key,
                k -> {
                  reads++;
                  return read.get();
                });
    Preview out = PreviewRun.of(lake.check(pipeline), setting, samples, question);
    assertEquals(0, setting.execution().memory().usedBytes());
    return out;
  }

  private static Preview.Question whole(String step) {
    return new Preview.Question(step, 10, Optional.empty(), true, false, Map.of());
  }

  private static Preview.Question first(String step, int shown, Map<String, SourceChoice> choices) {
    return new Preview.Question(step, shown, Optional.empty(), false, false, choices);
  }

  private static List<List<Object>> rows(Preview preview) {
    List<List<Object>> out = new ArrayList<>();
    for (Batch batch : preview.rows()) {
      for (int r = 0; r < batch.rowCount(); r++) {
        out.add(batch.row(r));
      }
    }
    return out;
  }

  private void land() throws IOException {
    lake.run(Mills.document("pipelines/land-reference.yaml"));
    lake.run(Mills.document("pipelines/land-ledger.yaml"));
  }

  @Test
  void everyStepOfTheDemoGivesWhatItGivesInARun() throws IOException {
    land();
    for (String name : List.of("roll-inspection", "faulty-cloth")) {
      String text = Mills.document("pipelines/" + name + ".yaml");
      PipelineCheck check = lake.check(text);
      Map<String, Preview> previews = new HashMap<>();
      check.document().steps().keySet().forEach(s -> previews.put(s, preview(text, whole(s))));
      Map<String, Tally> run = lake.run(text);

      run.forEach(
          (step, tally) -> {
            Preview preview = previews.get(step);
            assertEquals(tally.rowsOut(), preview.given(), name + " " + step);
            assertEquals(check.schema(step), preview.schema());
            assertTrue(preview.sources().stream().allMatch(Preview.SourceRead::isWhole), step);
            assertEquals(Math.min(10, tally.rowsOut()), rows(preview).size(), name + " " + step);
            Tally counted =
                preview.account().stream().filter(t -> t.step().equals(step)).findAny().get();
            assertEquals(0, counted.imbalance(), name + " " + step);
            assertEquals(tally.filtered(), counted.filtered(), name + " " + step);
            assertEquals(tally.merged(), counted.merged(), name + " " + step);
            assertEquals(tally.unmatched(), counted.unmatched(), name + " " + step);
          });
    }
  }

  @Test
  void readsTheFirstRowsOnceAndSaysSo() throws IOException {
    land();
    String text = Mills.document("pipelines/roll-inspection.yaml");

    Preview placed = preview(text, first("placed", 5, Map.of()));
    int readsForPlaced = reads;
    Preview tidy = preview(text, first("tidy", 5, Map.of()));

    assertEquals(2, readsForPlaced, "rolls and looms");
    assertEquals(2, reads, "what is known is not read again");
    long rolls = (Long) lake.query("select count(*) from raw.rolls").get(0).get(0);
    long looms = (Long) lake.query("select count(*) from mill.looms").get(0).get(0);
    assertEquals(
        List.of(
            "first 1,000 of %,d rows of rolls".formatted(rolls),
            "all %,d rows of looms".formatted(looms)),
        placed.sources().stream().map(Preview.SourceRead::words).toList());
    assertEquals(1000, tidy.given());
    assertEquals(
        lake.query("select roll_id, trim(loom_code), len_m from raw.rolls limit 5"),
        rows(tidy).stream().map(r -> List.of(r.get(0), r.get(1), r.get(4))).toList());
  }

  @Test
  void aConditionIsAskedOfAllRows() throws IOException {
    land();
    String text = Mills.document("pipelines/roll-inspection.yaml");
    Object last = lake.query("select max(roll_id) from raw.rolls").get(0).get(0);

    Preview found =
        preview(
            text,
            new Preview.Question(
                "once", 10, Optional.of("roll_id = '" + last + "'"), true, false, Map.of()));

    assertEquals(OptionalLong.of(1), found.matching());
    assertEquals(last, rows(found).get(0).get(0));
    assertTrue(found.given() > 2000);
    assertThrows(
        SqlProblemException.class,
        () ->
            preview(
                text,
                new Preview.Question("once", 9, Optional.of("nosuch = 1"), true, false, Map.of())));
  }

  @Test
  void sourcesAreChosenByNumberShareFilesAndCondition() throws IOException {
    land();
    String text = Mills.document("pipelines/land-ledger.yaml");
    SourceChoice some =
        new SourceChoice(
            OptionalLong.of(7),
            Optional.empty(),
            Optional.of("**/*2026-01-2*"),
            Optional.of("len_m > 50"));
    Preview seven = preview(text, first("rolls", 100, Map.of("rolls", some)));
    SourceChoice tenth =
        new SourceChoice(
            OptionalLong.empty(), Optional.of(0.1), Optional.empty(), Optional.empty());
    Preview sampled = preview(text, first("rolls", 1, Map.of("rolls", tenth)));
    Preview again = preview(text, first("rolls", 1, Map.of("rolls", tenth)));

    assertEquals(7, seven.given());
    assertFalse(seven.sources().get(0).isWhole());
    assertEquals(
        "first 7 rows of rolls in **/*2026-01-2* where len_m > 50", seven.sources().get(0).words());
    rows(seven).forEach(r -> assertTrue(r.get(3).toString().startsWith("2026-01-2"), r::toString));
    assertTrue(sampled.given() > 200 && sampled.given() < 400, "" + sampled.given());
    assertEquals(rows(sampled), rows(again));
    assertTrue(
        seven.notes().isEmpty() || seven.notes().get(0).contains("do not fit"),
        seven.notes()::toString);
    for (String wrong : List.of("rols", "keep_rolls")) {
      String message =
          assertThrows(
                  IllegalArgumentException.class,
                  () -> preview(text, first("rolls", 1, Map.of(wrong, tenth))))
              .getMessage();
      assertTrue(message.contains("[" + wrong + "]") && message.contains("rolls"), message);
    }
  }

  /** Of a draft over five marks, what becomes of each. */
  private List<String> changes(String step) {
    lake.declare(
        "feed: marks\nfiles: marks.csv\ntext: {separator: \",\", header: true}\ncolumns:\n  id: int\n  mark: varchar\n  grams: int\n");
    lake.file("marks.csv", "id,mark,grams\n1,warp ,5\n2,weft,6\n3,warp ,\n4,weft,8\n5,hem,9\n");
    String text =
        "pipeline: draft\nsteps:\n  marks: {read: {feed: marks}}\n  more: {read: {feed: marks}}\n  kinds: {from: more, shape: {rename: {id: other}, drop: [mark]}}\n  s: {from: marks, %s}\n"
            .formatted(step);
    Preview preview =
        preview(text, new Preview.Question("s", 4, Optional.empty(), false, true, Map.of()));
    BeforeAndAfter found = preview.comparison().orElseThrow();
    List<String> out = new ArrayList<>(List.of(found.words()));
    for (BeforeAndAfter.Row row : found.rows()) {
      out.add(
          row.number()
              + row.after().map(a -> " " + row.changed()).orElse("")
              + row.reason().map(r -> " " + r).orElse(""));
    }
    return out;
  }

  @Test
  void rowsAreHeldAgainstThoseBeforeTheStep() {
    String others = "The rows behind this step are others than those before it";
    assertEquals(
        List.of(
            "2 of 5 rows have changed values; none is taken away",
            "1 [mark]",
            "2 []",
            "3 [mark]",
            "4 []",
            "5 []"),
        changes("shape: {trim: [mark], set: {twice: 2 * id}, drop: [grams]}"));
    assertEquals(
        List.of(
            "2 of 5 rows are taken away: filtered",
            "1 filtered",
            "2 []",
            "3 filtered",
            "4 []",
            "5 []"),
        changes("keep: grams > 5"));
    assertEquals(
        List.of(
            "2 of 5 rows are taken away: merged", "1 merged", "2 merged", "3 []", "4 []", "5 []"),
        changes("dedupe: {by: [mark], keep: last, order: [id]}"));
    assertEquals(
        List.of(others),
        changes("aggregate: {by: [mark], set: {id: count(*), grams: sum(grams)}}"));
    assertEquals(
        List.of(
            "1 of 5 rows are taken away: unmatched", "1 []", "2 []", "3 unmatched", "4 []", "5 []"),
        changes("join: {with: kinds, on: [grams], take: [other]}"));
  }

  @Test
  void aDraftWithErrorsElsewhereStillShowsItsRows() {
    String text =
        """
        pipeline: draft
        steps:
          rolls: {read: {feed: roll-ledger}}
          long: {from: rolls, keep: len_m > 90}
          broken: {from: long, keep: nosuch > 1}
        """;
    Preview longOnes = preview(text, whole("long"));

    assertTrue(longOnes.given() > 0);
    assertTrue(longOnes.notes().get(0).contains("do not fit"), longOnes.notes()::toString);
    assertThrows(IllegalArgumentException.class, () -> preview(text, whole("broken")));
  }

  @Test
  void aSampleIsReadAnewWhenItsSourceHasChanged() {
    lake.declare(
        "feed: marks\nfiles: marks.csv\ntext: {separator: \",\", header: true}\ncolumns:\n  mark: varchar\n");
    lake.file("marks.csv", "mark\nwarp\n");
    String text = "pipeline: draft\nsteps:\n  marks: {read: {feed: marks}}\n";
    preview(text, first("marks", 1, Map.of()));
    preview(text, first("marks", 1, Map.of()));
    assertEquals(1, reads);

    lake.file("marks.csv", "mark\nweft\nwarp\n");
    Preview now = preview(text, first("marks", 1, Map.of()));

    assertEquals(2, reads);
    assertEquals(2, now.given());
    assertEquals(List.of(List.of("weft")), rows(now));
  }
}
