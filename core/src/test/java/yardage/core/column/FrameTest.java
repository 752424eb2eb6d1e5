package yardage.core.column;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Optional;
import java.util.SplittableRandom;
import org.junit.jupiter.api.Test;
import yardage.core.testing.RandomColumns;
import yardage.core.testing.Rows;

/** Frames come back as they were written, and never otherwise without a word. */
class FrameTest {
  private static final long SEED = Long.getLong("yardage.seed", 23);
  private final SplittableRandom random = new SplittableRandom(SEED);
  private final RandomColumns columns = new RandomColumns(SEED);
  private final FrameWriter writer = new FrameWriter();

  private Batch there(Batch batch, List<Type> types) {
    Batch back = FrameReader.read(writer.write(batch), types);
    assertEquals(Rows.rows(List.of(batch)), Rows.rows(List.of(back)), "seed " + SEED);
    assertEquals(batch.input(), back.input());
    assertEquals(batch.sequence(), back.sequence());
    for (int c = 0; c < types.size(); c++) {
      assertEquals(batch.column(c).type(), back.column(c).type());
    }
    return back;
  }

  @Test
  void allTypesComeBackAsTheyWere() {
    for (int round = 0; round < 60; round++) {
      int rows = round < 3 ? round : random.nextInt(300);
      Batch batch =
          new Batch(
              RandomColumns.TYPES.stream().map(t -> columns.column(t, rows)).toList(), rows, round);
      there(batch, RandomColumns.TYPES);
      // Rows taken out of others: coded text, lists with holes between them.
      int[] some = random.ints(rows, 0, Math.max(1, rows)).map(r -> r % 3 == 0 ? -1 : r).toArray();
      there(batch.gather(some, some.length), RandomColumns.TYPES);
    }
  }

  @Test
  void extremesAndDictionariesComeBack() {
    long[] longs = {Long.MIN_VALUE, Long.MAX_VALUE, 0, -1, 1L << 33};
    int[] ints = {Integer.MIN_VALUE, Integer.MAX_VALUE, 0, -1, 70_000};
    Batch batch =
        new Batch(
            List.of(
                new LongColumn(Type.BIGINT, longs, null, 5),
                new IntColumn(Type.INT, ints, null, 5),
                TextColumn.coded(
                    "abcd".getBytes(), new int[] {0, 1, 4}, 2, new int[] {1, 0, 1, 1, 0}, null, 5)),
            5,
            3,
            Long.MAX_VALUE,
            Optional.of(new Places(new int[] {0, 0, 1, 1, 9}, new long[] {5, 4, 3, 2, 1}, ints)));

    Batch back = there(batch, List.of(Type.BIGINT, Type.INT, Type.VARCHAR));

    assertTrue(((TextColumn) back.column(2)).isDictionary());
    assertArrayEquals(new long[] {5, 4, 3, 2, 1}, back.places().orElseThrow().sequences());
    assertArrayEquals(ints, back.places().orElseThrow().rows());
  }

  @Test
  void aBitThatFlippedIsNoticed() {
    Batch batch = columns.batch(Schema.of(new Schema.Field("t", Type.VARCHAR)), 500, 1);
    byte[] frame = writer.write(batch);
    for (int i = 0; i < 200; i++) {
      int at = random.nextInt(frame.length);
      frame[at] ^= 1 << random.nextInt(8);
      byte[] damaged = frame.clone();
      assertThrows(
          IllegalStateException.class, () -> FrameReader.read(damaged, List.of(Type.VARCHAR)));
      frame = writer.write(batch);
    }
  }
}
