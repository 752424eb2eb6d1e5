package yardage.core.storage;

import static org.junit.jupiter.api.Assertions.*;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.lake.TableName;
import yardage.core.testing.MemoryStorage;
import yardage.core.testing.Mills;
import yardage.core.testing.TestLake;

/** The mills' pipelines in a store that is no disk: nothing reads or writes but by address. */
class WithoutFoldersTest {
  @TempDir Path folder;

  @Test
  void tablesAreWhatTheyAreOnTheDisk() throws IOException {
    TestLake here = Mills.lake(folder.resolve("here"), 1500);
    MemoryStorage storage = new MemoryStorage();
    TestLake there = Mills.declared(new TestLake(storage.root(), folder.resolve("there")));
    try (Stream<Path> files = Files.walk(here.inbox())) {
      for (Path file : files.filter(Files::isRegularFile).toList()) {
        byte[] bytes = Files.readAllBytes(file);
        there
            .lake()
            .inbox()
            .child(here.inbox().relativize(file).toString())
            .put(out -> out.write(bytes));
      }
    }
    for (String pipeline : Mills.PIPELINES) {
      String text = Mills.document("pipelines/" + pipeline + ".yaml");
      here.run(text);
      there.run(text);
    }
    // Again, so that tables change, and dimensions and upserts write files again.
    String star = Mills.document("pipelines/cloth-star.yaml");
    here.run(star);
    there.run(star);

    assertEquals(here.tables(), there.tables());
    for (TableName table : here.tables()) {
      String sql = "select * from " + table;
      assertEquals(
          here.query(sql).stream().map(List::toString).sorted().toList(),
          there.query(sql).stream().map(List::toString).sorted().toList(),
          table.toString());
      there.lake().sweep(table, Instant.MAX);
      assertFalse(there.query(sql).isEmpty(), "a sweep removes nothing that is needed");
    }
    assertEquals(List.of(), there.lake().unsettledRuns());
    assertEquals(List.of(), there.lake().root().child("staging").listAll());
    try (Stream<Path> files = Files.walk(folder.resolve("there"))) {
      assertEquals(
          List.of(),
          files
              .filter(Files::isRegularFile)
              .filter(f -> !f.toString().contains("set-aside"))
              .toList(),
          "nothing of the lake is on the disk");
    }
  }
}
