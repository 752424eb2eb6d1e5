package yardage.core.lake;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.SplittableRandom;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.StepFailedException;
import yardage.core.testing.TestLake;

/** Data files whose bytes change on the disk are never answered from, and never copied on. */
class BitRotTest {
  private static final long SEED = Long.getLong("yardage.seed", 23);
  private static final TableName ROLLS = TableName.parse("t.rolls");
  private static final String QUERY =
      "select count(*), sum(roll), sum(metres), count(distinct loom) from t.rolls";

  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void write() {
    lake =
        new TestLake(folder)
            .declare(
                "feed: rolls\nfiles: rolls/*.csv\ntext: {}\ncolumns: {roll: int, loom: varchar, metres: \"decimal(9, 2)\"}\n");
    for (int f = 0; f < 2; f++) {
      StringBuilder rows = new StringBuilder("roll,loom,metres\n");
      for (int i = 0; i < 20_000; i++) {
        rows.append(f * 20_000 + i)
            .append(",L")
            .append(i % 97)
            .append(',')
            .append(i % 1000)
            .append(".5\n");
      }
      lake.file("rolls/%d.csv".formatted(f), rows.toString());
      lake.run(
          "pipeline: land\nsteps:\n  rolls: {read: {feed: rolls}}\n  keep: {from: rolls, write: {table: t.rolls}}\n");
    }
  }

  private Path file() {
    return Path.of(lake.table(ROLLS).orElseThrow().files().get(0).path());
  }

  private static String refusal(Throwable failed) {
    Throwable e = failed instanceof StepFailedException f ? f.reason() : failed;
    assertTrue(e instanceof LakeException, String.valueOf(e));
    return e.getMessage();
  }

  @Test
  void everyFlippedBitIsNoticedOrHarmless() throws IOException {
    String right = lake.query(QUERY).toString();
    byte[] sound = Files.readAllBytes(file());
    SplittableRandom random = new SplittableRandom(SEED);
    int noticed = 0;
    int named = 0;
    for (int i = 0; i < 60; i++) {
      byte[] rotten = sound.clone();
      int at = 4 + random.nextInt(sound.length - 8);
      rotten[at] ^= (byte) (1 << random.nextInt(8));
      Files.write(file(), rotten);
      try {
        assertEquals(right, lake.query(QUERY).toString(), "byte " + at + ", seed " + SEED);
      } catch (StepFailedException | LakeException e) {
        String said = refusal(e);
        noticed++;
        assertTrue(said.contains("[t.rolls]") && said.contains(file().toString()), said);
        named += said.contains("of column [") ? 1 : 0;
      }
    }
    assertTrue(noticed > 40, noticed + " of 60 were noticed");
    assertTrue(named > noticed / 2, named + " named their column");
  }

  @Test
  void aCompactionDoesNotWashDamageOff() throws IOException {
    byte[] sound = Files.readAllBytes(file());
    byte[] rotten = sound.clone();
    rotten[sound.length / 4] ^= 1;
    Files.write(file(), rotten);

    assertThrows(
        RuntimeException.class,
        () ->
            Compaction.compact(
                lake.lake(), ROLLS, "c", ExecutionContext.standalone(1 << 28), lake::swap));

    Files.write(file(), sound);
    assertEquals(40_000L, lake.query(QUERY).get(0).get(0));
    Compaction.compact(lake.lake(), ROLLS, "d", ExecutionContext.standalone(1 << 28), lake::swap);
    assertEquals(40_000L, lake.query(QUERY).get(0).get(0));
  }

  @Test
  void cutAndLostFilesAreCalledWhatTheyAre() throws IOException {
    byte[] sound = Files.readAllBytes(file());
    Files.write(file(), Arrays.copyOf(sound, sound.length / 2));
    String cut = refusal(assertThrows(StepFailedException.class, () -> lake.query(QUERY)));
    assertTrue(
        cut.contains("is cut: %,d of %,d bytes".formatted(sound.length / 2, sound.length)), cut);

    Files.delete(file());
    String lost = refusal(assertThrows(StepFailedException.class, () -> lake.query(QUERY)));
    assertTrue(lost.contains("is lost"), lost);
    TableHealth.Finding finding = TableHealth.of(lake.table(ROLLS).orElseThrow()).findings().get(0);
    assertEquals("lost-files", finding.code());
    assertTrue(finding.message().startsWith("1 of 2 files with 20,000 rows"), finding.message());
  }
}
