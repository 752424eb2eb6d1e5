package yardage.core.format.parquet;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotEquals;

import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.schema.LogicalTypeAnnotation;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import org.apache.parquet.schema.Types;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.column.Column;
import yardage.core.column.LongColumn;
import yardage.core.column.TextBuilder;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.testing.RandomColumns;

/** The values of a column, numbered and ordered as one that looks at all of each would. */
class ChunkDictionaryTest {
  private static final long SEED = Long.getLong("yardage.seed", 5);
  private final SplittableRandom random = new SplittableRandom(SEED);

  /** Texts that are alike in their first 8 or 16 bytes, end there, or go on with zeros. */
  private TextColumn texts(int rows, int different) {
    byte[][] all = new byte[different][];
    Arrays.setAll(
        all,
        i -> {
          byte[] text = new byte[random.nextInt(26)];
          Arrays.fill(text, (byte) 'w');
          for (int k = 0; k < 2 && text.length > 0; k++) {
            text[text.length - 1 - random.nextInt(Math.min(9, text.length))] =
                (byte) random.nextInt(256);
          }
          return text;
        });
    TextBuilder out = new TextBuilder();
    for (int r = 0; r < rows; r++) {
      byte[] text = all[random.nextInt(different)];
      if (random.nextInt(9) == 0) {
        out.appendNull();
      } else {
        out.append(text, 0, text.length);
      }
    }
    return out.build();
  }

  private static void assertNumbered(Column column, ChunkDictionary dictionary) {
    Map<Object, Integer> numbers = new LinkedHashMap<>();
    int entries = dictionary.build(column);
    for (int r = 0; r < column.size(); r++) {
      if (column.isNull(r)) {
        continue;
      }
      Object value =
          column instanceof TextColumn t
              ? Arrays.toString(Arrays.copyOfRange(t.bytes(), t.start(r), t.end(r)))
              : column.value(r);
      int row = r;
      int number =
          numbers.computeIfAbsent(
              value,
              v -> {
                assertEquals(row, dictionary.rows()[numbers.size()], "first row, seed " + SEED);
                return numbers.size();
              });
      assertEquals(number, dictionary.codes()[r], "row %d, seed %d".formatted(r, SEED));
    }
    assertEquals(numbers.size(), entries);
  }

  @Test
  void equalTextsHaveOneNumber() {
    ChunkDictionary dictionary = new ChunkDictionary();
    for (int different : new int[] {1, 3, 300, 2_000}) {
      TextColumn texts = texts(5_000, different);
      assertNumbered(texts, dictionary);
      int[] order = random.ints(5_000, 0, 5_000).toArray();
      assertNumbered(texts.gather(order, 5_000), dictionary);
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"int", "bigint", "double", "decimal(9, 2)", "decimal(30, 4)", "date", "timestamp"})
  void equalNumbersHaveOneNumber(String type) {
    Column few = new RandomColumns(SEED).column(Type.parse(type), 700);
    int[] rows = IntStream.range(0, 9_000).map(i -> random.nextInt(i / 20 + 1)).toArray();
    ChunkDictionary dictionary = new ChunkDictionary();
    assertNumbered(few.gather(rows, rows.length), dictionary);
    Arrays.sort(rows);
    assertNumbered(few.gather(rows, rows.length), dictionary);
  }

  @Test
  void manyAreNotNumbered() {
    int rows = 200_000;
    long[] values = IntStream.range(0, rows).asLongStream().toArray();
    Column all = new LongColumn(Type.BIGINT, values, null, rows);
    ChunkDictionary dictionary = new ChunkDictionary();
    assertEquals(-1, dictionary.build(all), "all of the first rows differ");
    int[] late = IntStream.range(0, rows).map(i -> i < 10_000 ? i % 100 : i / 2).toArray();
    assertEquals(-1, dictionary.build(all.gather(late, rows)), "more than there is room for");
    int[] few = IntStream.range(0, rows).map(i -> i % (1 << 15)).toArray();
    assertEquals(-1, dictionary.build(all.gather(few, rows)), "all of the first rows differ");
    Arrays.sort(few);
    assertEquals(1 << 15, dictionary.build(all.gather(few, rows)));
  }

  @Test
  void theSmallestAndTheLargestTextAreThoseOfTheirBytes() {
    for (int round = 0; round < 300; round++) {
      TextColumn texts = texts(1 + random.nextInt(40), 30);
      int[] rows = IntStream.range(0, texts.size()).filter(r -> !texts.isNull(r)).toArray();
      if (rows.length == 0) {
        continue;
      }
      byte[][] sorted =
          IntStream.of(rows)
              .mapToObj(r -> Arrays.copyOfRange(texts.bytes(), texts.start(r), texts.end(r)))
              .sorted(Arrays::compareUnsigned)
              .toArray(byte[][]::new);
      Statistics<?> found =
          ChunkStatistics.of(
              texts,
              Types.optional(PrimitiveTypeName.BINARY)
                  .as(LogicalTypeAnnotation.stringType())
                  .named("t"),
              rows,
              rows.length,
              texts.size() - rows.length);
      assertArrayEquals(sorted[0], found.getMinBytes(), "round %d, seed %d".formatted(round, SEED));
      assertArrayEquals(sorted[sorted.length - 1], found.getMaxBytes(), "round " + round);
      assertEquals(texts.size() - rows.length, found.getNumNulls());
    }
    assertNotEquals(
        TextHeads.mixed(new byte[] {1}, 0, 1, 1), TextHeads.mixed(new byte[] {1, 0}, 0, 2, 1));
  }
}
