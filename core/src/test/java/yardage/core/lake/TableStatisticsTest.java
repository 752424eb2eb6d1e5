package yardage.core.lake;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.OptionalDouble;
import java.util.stream.Stream;
import org.apache.datasketches.memory.Memory;
import org.apache.datasketches.theta.Sketches;
import org.apache.iceberg.StatisticsFile;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.puffin.Puffin;
import org.apache.iceberg.puffin.PuffinReader;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.ReadCache;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.TestLake;

/** How many different values columns have is kept with each state of a table. */
class TableStatisticsTest {
  private static final TableName ROLLS = TableName.parse("t.rolls");

  @TempDir Path folder;
  private TestLake lake;
  private int files;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder.resolve("home"));
  }

  /** Lands rolls from one number to another, of some looms. */
  private void land(String type, String write, int from, int to, int looms) {
    lake.declare(
        "feed: rolls\nfiles: r%d/*\ntext: {}\ncolumns: {roll: %s, loom: varchar, price: \"decimal(9, 2)\", weight: double}\n"
            .formatted(++files, type));
    StringBuilder rows = new StringBuilder("roll,loom,price,weight\n");
    for (int i = from; i < to; i++) {
      rows.append("%d,L%d,%d.50,%d\n".formatted(i, i % looms, i % 5, i));
    }
    lake.file("r%d/1.csv".formatted(files), rows.toString());
    lake.run(
        "pipeline: p%d\nsteps:\n  rows: {read: {feed: rolls}}\n  out: {from: rows, write: {table: t.rolls%s}}\n"
            .formatted(files, write));
  }

  private LakeTable table() {
    return lake.table(ROLLS).orElseThrow();
  }

  private void counts(LakeTable table, double... expected) {
    for (int c = 0; c < expected.length; c++) {
      double told = table.valueCount(c).orElse(Double.NaN);
      assertEquals(expected[c], told, expected[c] * 0.1, "column " + c);
    }
  }

  @Test
  void theyFollowWhatIsWritten() {
    land("int", "", 0, 20_000, 700);
    counts(table(), 20_000, 700, 5);
    assertEquals(OptionalDouble.empty(), table().valueCount(3), "nobody groups by fractions");
    LakeTable first = table();

    land("int", "", 10_000, 40_000, 900);
    counts(table(), 40_000, 900, 5);
    counts(first, 20_000, 700, 5);

    land("int", ", mode: upsert, key: [roll]", 39_000, 41_000, 10);
    counts(table(), 41_000, 900, 5);

    // All of its rows are written again: also those whose values nobody has counted.
    land("int", ", mode: upsert, key: [roll]", 0, 41_000, 30);
    counts(table(), 41_000, 30, 5);
    land("int", "", 41_000, 41_010, 900);

    Compaction.compact(lake.lake(), ROLLS, "c", ExecutionContext.standalone(1 << 28), lake::swap);
    assertEquals(1, table().fileCount());
    counts(table(), 41_010, 40, 5);

    land("int", ", mode: replace", 0, 300, 3);
    counts(table(), 300, 3, 5);
    lake.lake().rollBack(ROLLS, first.snapshotId().orElseThrow(), "back", lake::swap);
    counts(table(), 20_000, 700, 5);
  }

  /** What is not known of some rows is not told of all. */
  @Test
  void aColumnThatChangesItsTypeIsNotCounted() {
    land("int", "", 0, 3_000, 70);
    land("bigint", ", columns: follow", 5_000, 6_000, 70);
    assertEquals(4_000, table().valueCount(0).orElseThrow(), "no more than there are rows");
    assertTrue(
        TableStatistics.values(table().metadata(), table().snapshotId().orElseThrow(), 1).isEmpty(),
        "the smallest and the largest tell of it");
  }

  /** Then the smallest and the largest of the files tell, of whole numbers. */
  @Test
  void aStateMayHaveNone() {
    land("int", "", 0, 1_000, 7);
    land("int", "", 5_000, 6_000, 7);
    LakeTable without =
        new LakeTable(
            lake.lake().storage(),
            ROLLS,
            TableMetadata.buildFrom(table().metadata())
                .removeStatistics(table().snapshotId().orElseThrow())
                .build(),
            ReadCache.none());
    assertEquals(
        OptionalDouble.of(2_000), without.valueCount(0), "6,000 lie between, in 2,000 rows");
    assertEquals(OptionalDouble.empty(), without.valueCount(1), "texts");
    land("int", ", mode: replace", 0, 0, 1);
    land("int", "", 7, 10, 1);
    assertEquals(OptionalDouble.of(3), table().valueCount(0));
  }

  @Test
  void otherReadersFindThem() throws IOException {
    land("int", "", 0, 20_000, 700);
    StatisticsFile file = table().metadata().statisticsFiles().get(0);
    StagedFiles io = new StagedFiles(lake.lake().storage());
    try (PuffinReader reader = Puffin.read(io.newInputFile(file.path())).build()) {
      List<Double> told = new ArrayList<>();
      for (var blob : reader.readAll(reader.fileMetadata().blobs())) {
        byte[] bytes = new byte[blob.second().remaining()];
        blob.second().get(bytes);
        told.add(Sketches.wrapCompactSketch(Memory.wrap(bytes)).getEstimate());
      }
      assertEquals(3, told.size());
      assertEquals(20_000, told.get(0), 2_000);
      assertEquals(700, told.get(1), 70);
      assertEquals(5, told.get(2));
    }
  }

  @Test
  void theirFilesGoWithTheirStatesAndMoveWithTheLake() throws IOException {
    land("int", "", 0, 100, 7);
    land("int", "", 100, 200, 9);
    lake.lake().sweep(ROLLS, Instant.MAX);
    assertEquals(2, files("home"), "each state has one");

    Files.move(folder.resolve("home"), folder.resolve("moved"));
    String old = lake.metadataLocation(ROLLS).orElseThrow();
    TestLake moved = new TestLake(folder.resolve("moved")).afterRuns(50);
    moved.withPointer(
        ROLLS, Relocation.move(moved.lake(), old, Relocation.rootOf(ROLLS, old).orElseThrow()));
    lake = moved;
    counts(table(), 200, 9, 5);
    land("int", "", 200, 300, 11);
    counts(table(), 300, 11, 5);

    Expiry.expire(
        moved.lake(), ROLLS, 1, Instant.now().plusSeconds(60), Instant.MAX, "e", moved::swap);
    assertEquals(1, files("moved"));
    counts(table(), 300, 11, 5);

    // Without it the table is read as before, and told of no more.
    String file = table().metadata().statisticsFiles().get(0).path();
    Files.delete(Path.of(file));
    land("int", "", 300, 400, 11);
    assertEquals(400L, lake.query("select count(distinct roll) from t.rolls").get(0).get(0));
    assertEquals(OptionalDouble.empty(), table().valueCount(1));
  }

  private long files(String home) throws IOException {
    try (Stream<Path> all = Files.walk(folder.resolve(home))) {
      List<Path> found = all.filter(f -> f.toString().endsWith(".stats")).toList();
      found.forEach(
          f -> assertFalse(LocalStorage.place(f).stat().orElseThrow().sizeBytes() > 64 << 10));
      return found.size();
    }
  }
}
