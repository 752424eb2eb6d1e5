package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;

import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;
import yardage.core.column.*;
import yardage.core.plan.SortKey;
import yardage.core.testing.RandomColumns;

/** Many rows sorted by the bytes of their keys, beside the same rows merged by comparing them. */
class RowOrderTest {
  private static final long SEED = Long.getLong("yardage.seed", 41);
  private static final SplittableRandom RANDOM = new SplittableRandom(SEED);

  private static void assertSorted(List<Column> columns, List<SortKey> keys) {
    RowOrder order = new RowOrder(keys);
    int[] rows = IntStream.range(0, columns.get(0).size()).toArray();
    int[] expected = rows.clone();
    order.merge(columns, expected, 0, expected.length, 0, new CancelToken());

    order.sort(columns, rows);

    assertArrayEquals(expected, rows, "seed %d, by %s".formatted(SEED, keys));
  }

  @RepeatedTest(40)
  void ordersAsComparingDoes() {
    RandomColumns random = new RandomColumns(RANDOM.nextLong());
    int rows = RANDOM.nextInt(1, 9_000);
    List<Column> columns = new ArrayList<>();
    List<SortKey> keys = new ArrayList<>();
    for (int k = 0; k < 3; k++) {
      Type type = RandomColumns.PLAIN.get(RANDOM.nextInt(RandomColumns.PLAIN.size()));
      columns.add(random.column(type, rows));
      keys.add(new SortKey(k, RANDOM.nextBoolean(), RANDOM.nextBoolean()));
    }
    assertSorted(columns, keys);
  }

  /** Texts that are alike for long, end early, or differ by a zero byte at their end. */
  @Test
  void textsThatAreAlikeForLong() {
    String[] texts = new String[8_000];
    for (int i = 0; i < texts.length; i++) {
      String stem = "warp thread number ".substring(0, RANDOM.nextInt(20));
      String end =
          switch (RANDOM.nextInt(4)) {
            case 0 -> "";
            case 1 -> "\0";
            case 2 -> "\0\0";
            default -> "" + (char) RANDOM.nextInt(0x20, 0xFF);
          };
      texts[i] = stem + end;
    }
    Column column = TextColumn.of(texts);
    Column second = new IntColumn(Type.INT, RANDOM.ints(8_000, 0, 5).toArray(), null, 8_000);
    for (boolean descending : new boolean[] {false, true}) {
      assertSorted(
          List.of(column, second), List.of(SortKey.of(0, descending), SortKey.of(1, !descending)));
    }
  }

  @Test
  void severalWorkersSortAsOneDoes() {
    for (int round = 0; round < 16; round++) {
      int rows = 99_999 + RANDOM.nextInt(60_000);
      RandomColumns random = new RandomColumns(RANDOM.nextLong());
      List<Column> columns = new ArrayList<>();
      List<SortKey> keys = new ArrayList<>();
      for (int k = 0; k < 2; k++) {
        columns.add(
            random.column(RandomColumns.PLAIN.get((round + k) % RandomColumns.PLAIN.size()), rows));
        keys.add(new SortKey(k, RANDOM.nextBoolean(), RANDOM.nextBoolean()));
      }
      RowOrder order = new RowOrder(keys);
      int[] one = IntStream.range(0, rows).toArray();
      order.sort(columns, one);
      int[] many = IntStream.range(0, rows).toArray();
      ExecutionContext context =
          new ExecutionContext(
              MemoryPool.root("test", 1 << 28),
              Scratch.temporary(1),
              new CancelToken(),
              2 + round % 3);

      order.sort(columns, many, context);

      assertArrayEquals(one, many, "seed %d, round %d, by %s".formatted(SEED, round, keys));
    }
  }

  @Test
  void numbersAtTheirLimits() {
    double[] doubles = {
      0.0,
      -0.0,
      Double.NaN,
      1,
      -1,
      Double.MIN_VALUE,
      Double.MAX_VALUE,
      Double.NEGATIVE_INFINITY,
      Double.POSITIVE_INFINITY
    };
    long[] longs = {0, -1, 1, Long.MIN_VALUE, Long.MAX_VALUE, 1L << 55, -(1L << 55), 255, 256};
    int n = 4_000;
    double[] d = new double[n];
    long[] l = new long[n];
    for (int i = 0; i < n; i++) {
      d[i] = doubles[RANDOM.nextInt(doubles.length)];
      l[i] = longs[RANDOM.nextInt(longs.length)];
    }
    List<Column> columns =
        List.of(new DoubleColumn(d, null, n), new LongColumn(Type.BIGINT, l, null, n));
    assertSorted(columns, List.of(SortKey.of(0, false), SortKey.of(1, true)));
    assertSorted(columns, List.of(SortKey.of(1, false), SortKey.of(0, true)));
  }
}
