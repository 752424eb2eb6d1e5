package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.testing.Mills;
import yardage.core.testing.TestLake;

/**
 * The plans of the demo's pipelines, against what they were: a change of the planner shows here.
 * Where it is meant, {@code -Dyardage.plans.write=true} writes them again.
 */
class PlanTextsTest {
  private static final Path TEXTS = Path.of("src/test/resources/plans");

  @TempDir Path folder;

  @Test
  void thePlannerChoosesAsItDid() throws IOException {
    TestLake lake = Mills.lake(folder, 300);
    for (String pipeline : Mills.PIPELINES) {
      String text = Mills.document("pipelines/" + pipeline + ".yaml");
      // A dimension has the time of the run, in microseconds.
      String plan = lake.stages(text).replaceAll("\\b\\d{16}\\b", "NOW");
      if (!List.of("roll-inspection", "faulty-cloth", "cloth-star").contains(pipeline)) {
        lake.run(text);
      }
      Path file = TEXTS.resolve(pipeline + ".txt");
      if (Boolean.getBoolean("yardage.plans.write")) {
        Files.createDirectories(TEXTS);
        Files.writeString(file, plan);
      }
      assertEquals(Files.readString(file), plan, pipeline);
    }
  }
}
