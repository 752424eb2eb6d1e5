package yardage.core.task;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.exec.Tally;
import yardage.core.feed.SetAsideStore;
import yardage.core.lake.TableName;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.Mills;
import yardage.core.testing.OtherProcess;
import yardage.core.testing.TestLake;

/** Every pipeline of the demo, with each stage run from its bytes in a second process. */
@Tag("thorough")
class OtherProcessTest {
  @TempDir Path folder;

  /** What does not depend on clocks, on memory, or on which worker wrote which file. */
  private static List<Object> account(Tally t) {
    return List.of(
        List.of(t.step(), t.verb(), t.rowsIn(), t.rightIn(), t.rowsOut(), t.setAside()),
        List.of(t.merged(), t.filtered(), t.unmatched(), t.multiplied(), t.added(), t.folded()),
        List.of(t.absorbed(), t.matched(), t.filesRead(), t.filesSkipped(), t.filesWritten()));
  }

  private static List<String> asides(Path folder, String run) throws IOException {
    List<String> out = new ArrayList<>();
    try (Stream<Path> files = Files.list(Files.createDirectories(folder))) {
      for (Path file : files.filter(f -> f.getFileName().toString().startsWith(run)).toList()) {
        if (file.toString().endsWith(".jsonl")) {
          SetAsideStore.each(
              LocalStorage.place(file),
              row -> out.add(row.toString().replaceFirst("number=\\d+, ", "")));
        }
      }
    }
    return out.stream().sorted().toList();
  }

  @Test
  void tablesAndAccountsAreTheSame() throws IOException {
    TestLake here = Mills.lake(folder.resolve("here"), 1500);
    TestLake there = Mills.lake(folder.resolve("there"), 1500);
    int[] runs = {0};
    try (OtherProcess other =
        new OtherProcess(folder.resolve("there"), folder.resolve("between"))) {
      there.ranBy((endpoints, tallies) -> other.runner(there.lake(), "test" + runs[0], tallies));
      // The second time tables are there, and nothing has changed.
      for (String pipeline :
          Stream.concat(Mills.PIPELINES.stream(), Stream.of("land-ledger", "cloth-star"))
              .toList()) {
        String text = Mills.document("pipelines/" + pipeline + ".yaml");
        Map<String, Tally> mine = here.run(text);
        runs[0]++;
        Map<String, Tally> theirs = there.run(text);

        assertEquals(
            mine.values().stream().map(OtherProcessTest::account).toList(),
            theirs.values().stream().map(OtherProcessTest::account).toList(),
            pipeline);
        assertEquals(here.lastRun().checkResults(), there.lastRun().checkResults(), pipeline);
        assertEquals(here.lastRun().warnings(), there.lastRun().warnings(), pipeline);
        assertEquals(
            asides(folder.resolve("here/set-aside"), runs[0] + "."),
            asides(other.folder(), "test" + runs[0] + "-"),
            pipeline);
      }
      assertTrue(other.tasks() > 40, other.tasks() + " tasks");
    }
    assertEquals(here.tables(), there.tables());
    for (TableName table : here.tables()) {
      String sql = "select * from " + table;
      assertEquals(
          here.query(sql).stream().map(List::toString).sorted().toList(),
          there.query(sql).stream().map(List::toString).sorted().toList(),
          table.toString());
    }
  }
}
