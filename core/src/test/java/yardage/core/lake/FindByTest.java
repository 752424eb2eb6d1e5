package yardage.core.lake;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import org.apache.parquet.PlainReadOptions;
import org.apache.parquet.column.values.bloomfilter.BloomFilter;
import org.apache.parquet.compression.CompressionCodecFactory;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.hadoop.metadata.BlockMetaData;
import org.apache.parquet.hadoop.metadata.ColumnChunkMetaData;
import org.apache.parquet.io.LocalInputFile;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.column.Type;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.StepTally;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnPredicate;
import yardage.core.testing.TestLake;

/** Bloom filters of what rows are found by: written, kept by compactions, used, and given up. */
class FindByTest {
  private static final TableName CONES = TableName.parse("t.cones");
  private static final int ROWS = 4_000;
  private static final int FILES = 5;

  @TempDir Path folder;
  private TestLake lake;
  private final List<Long> serials = new ArrayList<>();

  @BeforeEach
  void land() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: cones\nfiles: cones/*.csv\ntext: {}\ncolumns: {serial: bigint, lot: int}\n");
    SplittableRandom random = new SplittableRandom(7);
    for (int f = 0; f < FILES; f++) {
      StringBuilder rows = new StringBuilder("serial,lot\n");
      for (int i = 0; i < ROWS; i++) {
        serials.add(random.nextLong(1L << 50));
        rows.append(serials.get(serials.size() - 1)).append(',').append(i % 90).append('\n');
      }
      lake.file("cones/%d.csv".formatted(f), rows.toString());
      write("append", "find-by: [serial]");
    }
  }

  private void write(String mode, String more) {
    lake.run(
        "pipeline: cones\nsteps:\n  cones: {read: {feed: cones}}\n  keep: {from: cones, write: {table: t.cones, mode: %s, %s}}\n"
            .formatted(mode, more));
  }

  private LakeTable table() {
    return lake.table(CONES).orElseThrow();
  }

  /** What was left out on the way to one serial number, and whether it was found. */
  private String look(long serial) {
    StepTally tally = new StepTally("read", "read");
    boolean[] found = new boolean[1];
    ColumnPredicate one =
        new ColumnPredicate.Compared(
            "serial", ColumnPredicate.Op.EQ, Literal.of(Type.BIGINT, serial));
    table()
        .scan(new int[] {0}, List.of(one), List.of(), tally, file -> true)
        .splits()
        .forEach(
            split ->
                split.read(
                    null,
                    batch -> {
                      for (int r = 0; r < batch.rowCount(); r++) {
                        found[0] |= batch.column(0).value(r).equals(serial);
                      }
                    }));
    StringBuilder out = new StringBuilder(found[0] ? "found" : "none");
    tally.leftOut().forEach((what, n) -> out.append("; ").append(what.words(n)));
    return out.toString();
  }

  @Test
  void filesWithoutTheValueArePassedOver() {
    long some = serials.get(ROWS * 2 + 17);
    String left = "found; %d row groups by Bloom filter: serial = %d".formatted(FILES - 1, some);
    assertEquals(left, look(some));
    long none = some + 1;
    assertEquals(
        "none; %d row groups by Bloom filter: serial = %d".formatted(FILES, none), look(none));

    Compaction.compact(lake.lake(), CONES, "c", ExecutionContext.standalone(1 << 28), lake::swap);
    assertEquals(1, table().fileCount());
    assertEquals("none; 1 row group by Bloom filter: serial = " + none, look(none));
    serials.stream().limit(50).forEach(s -> assertEquals("found", look(s)));
  }

  @Test
  void anotherReaderFindsTheSame() throws IOException {
    int asked = 0;
    for (LakeTable.FileInfo file : table().files()) {
      try (ParquetFileReader reader =
          new ParquetFileReader(
              new LocalInputFile(Path.of(file.path())),
              new PlainReadOptions(mock(CompressionCodecFactory.class)))) {
        BlockMetaData block = reader.getRowGroups().get(0);
        for (ColumnChunkMetaData chunk : block.getColumns()) {
          boolean has = chunk.getPath().toDotString().equals("serial");
          assertEquals(has, chunk.getBloomFilterOffset() >= 0, chunk.toString());
          BloomFilter bloom = reader.readBloomFilter(chunk);
          for (int i = 0; has && i < serials.size(); i++) {
            asked += bloom.findHash(bloom.hash(serials.get(i).longValue())) ? 1 : 0;
          }
        }
      }
    }
    // Each in its own file, and one of a hundred in another by mistake.
    assertTrue(asked >= FILES * ROWS, "found " + asked);
    assertTrue(asked < FILES * ROWS * 1.1, "found " + asked);
  }

  @Test
  void aWriteWithoutItGivesThemUp() {
    assertEquals(List.of("serial"), table().filling().findBy());
    lake.file("cones/9.csv", "serial,lot\n1,1\n");
    write("append", "target-size: 1 MB");
    assertEquals(List.of(), table().filling().findBy());
    Compaction.compact(lake.lake(), CONES, "c", ExecutionContext.standalone(1 << 28), lake::swap);
    String left = look(serials.get(0) + 1);
    assertTrue(left.startsWith("none") && !left.contains("Bloom"), left);
    assertTrue(look(serials.get(0)).startsWith("found"));
  }
}
