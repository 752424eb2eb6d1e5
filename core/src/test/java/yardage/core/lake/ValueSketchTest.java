package yardage.core.lake;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.ByteBuffer;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.SplittableRandom;
import org.apache.datasketches.memory.Memory;
import org.apache.datasketches.theta.CompactSketch;
import org.apache.datasketches.theta.Sketches;
import org.apache.datasketches.theta.UpdateSketch;
import org.apache.iceberg.types.Conversions;
import org.junit.jupiter.api.Test;
import yardage.core.column.Column;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.testing.RandomColumns;

/** Sketches of values beside those of the library that the table format's specification names. */
class ValueSketchTest {
  private static final long SEED = Long.getLong("yardage.seed", 11);

  private static ValueSketch ours(SplittableRandom random, int values, int range) {
    ValueSketch out = new ValueSketch();
    for (int i = 0; i < values; i++) {
      out.add(ValueSketch.hash(random.nextInt(range)));
    }
    return out;
  }

  @Test
  void othersReadThemAndWeReadTheirs() {
    for (int values : new int[] {0, 1, 2, 500, 1_023, 1_024, 5_000, 1_000_000}) {
      ValueSketch ours = new ValueSketch();
      UpdateSketch theirs = Sketches.updateSketchBuilder().setNominalEntries(1 << 14).build();
      for (long v = 0; v < values; v++) {
        byte[] bytes =
            ByteBuffer.allocate(8).order(java.nio.ByteOrder.LITTLE_ENDIAN).putLong(v).array();
        ours.add(ValueSketch.hash(v));
        ours.add(ValueSketch.hash(bytes, 0, 8));
        theirs.update(bytes);
      }
      CompactSketch read = Sketches.heapifyCompactSketch(Memory.wrap(ours.toBytes()));
      assertEquals(ours.estimate(), read.getEstimate(), 1);
      assertEquals(values, ours.estimate(), values * 0.12);
      assertEquals(values < 1_024, ours.estimate() == values, "few are counted");
      ValueSketch back = ValueSketch.of(theirs.compact().toByteArray());
      assertEquals(values, back.estimate(), values * 0.12);
      if (values < 1_024) {
        assertArrayEquals(theirs.compact().toByteArray(), ours.toBytes());
      }
    }
  }

  @Test
  void valuesOfAllTypesHaveTheFormatsHashes() {
    RandomColumns random = new RandomColumns(SEED);
    int sketched = 0;
    for (Type type : RandomColumns.PLAIN) {
      Column column = random.column(type, 300);
      Schema schema = new Schema(List.of(new Schema.Field("c", type, true)));
      org.apache.iceberg.Schema iceberg = IcebergTypes.toIceberg(schema);
      ColumnSketches sketches = new ColumnSketches(schema, iceberg);
      sketches.all(0, column);
      UpdateSketch theirs = Sketches.updateSketchBuilder().build();
      for (int r = 0; r < column.size(); r++) {
        if (!column.isNull(r)) {
          ByteBuffer bytes =
              Conversions.toByteBuffer(iceberg.columns().get(0).type(), asTheFormat(column, r));
          theirs.update(Arrays.copyOfRange(bytes.array(), bytes.position(), bytes.limit()));
        }
      }
      for (ColumnSketches.Encoded one : sketches.encoded()) {
        sketched++;
        assertArrayEquals(
            theirs.compact().toByteArray(), Base64.getDecoder().decode(one.sketch()), "" + type);
      }
    }
    assertEquals(10, sketched);
  }

  /** A value as the format's library takes it. */
  private static Object asTheFormat(Column column, int row) {
    Object value = column.value(row);
    return switch (column.type().kind()) {
      case DATE, TIME, TIMESTAMP, TIMESTAMP_TZ ->
          column instanceof yardage.core.column.IntColumn days
              ? (Object) days.values()[row]
              : ((yardage.core.column.LongColumn) column).values()[row];
      case BINARY -> ByteBuffer.wrap(java.util.HexFormat.of().parseHex((String) value));
      case UUID -> java.util.UUID.fromString(value.toString());
      default -> value;
    };
  }

  @Test
  void sketchesOfPartsMakeOneOfAll() {
    SplittableRandom random = new SplittableRandom(SEED);
    for (int range : new int[] {50, 2_000, 100_000}) {
      ValueSketch all = new ValueSketch();
      ValueSketch parts = new ValueSketch();
      for (int p = 0; p < 6; p++) {
        SplittableRandom same = random.split();
        ValueSketch part = ours(same, range, range);
        parts.addAll(ValueSketch.of(part.toBytes()));
        all.addAll(part);
      }
      assertArrayEquals(all.toBytes(), parts.toBytes());
      assertEquals(range, parts.estimate(), range * 0.15);
    }
  }

  @Test
  void whatIsNoSketchIsRefused() {
    byte[] bytes = ours(new SplittableRandom(SEED), 100, 1_000).toBytes();
    assertThrows(IllegalArgumentException.class, () -> ValueSketch.of(new byte[3]));
    assertThrows(IllegalArgumentException.class, () -> ValueSketch.of(new byte[64]));
    assertThrows(IllegalArgumentException.class, () -> ValueSketch.of(Arrays.copyOf(bytes, 100)));
    byte[] otherSeed = bytes.clone();
    otherSeed[6]++;
    assertThrows(IllegalArgumentException.class, () -> ValueSketch.of(otherSeed));
    assertTrue(ValueSketch.of(bytes).sizeBytes() <= 16 << 10);
  }
}
