package yardage.core.format.parquet;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import yardage.core.column.Column;
import yardage.core.column.LongColumn;
import yardage.core.column.Type;
import yardage.core.plan.KeyBits;
import yardage.core.testing.Rows;

/** Rows that are looked up, beside looking at each. */
class KeyPlacesTest {
  private final SplittableRandom random = new SplittableRandom(Long.getLong("yardage.seed", 5));

  /** Values between two, some of them null, in several parts. */
  private List<Object> values(Type type, int rows, long smallest, long apart) {
    List<Object> out = new ArrayList<>();
    for (int i = 0; i < rows; i++) {
      long v = random.nextLong(smallest, smallest + apart + 1);
      out.add(random.nextInt(8) == 0 ? null : type == Type.INT ? (Object) (int) v : (Object) v);
    }
    return out;
  }

  private static KeyPlaces.Parts parts(Type type, List<Object> values) {
    return taker -> {
      for (int from = 0; from < values.size(); from += 700) {
        List<Object> part = values.subList(from, Math.min(values.size(), from + 700));
        taker.accept(Rows.column(type, part));
      }
    };
  }

  private static KeyBits keys(long... keys) {
    Column column = new LongColumn(Type.BIGINT, keys, null, keys.length);
    long smallest = Arrays.stream(keys).min().orElseThrow();
    long largest = Arrays.stream(keys).max().orElseThrow();
    return KeyBits.of(column, smallest, (int) (largest - smallest) + 1);
  }

  @Test
  void rowsOfFewKeysAreFound() {
    int answers = 0;
    for (int round = 0; round < 200; round++) {
      Type type = random.nextBoolean() ? Type.INT : Type.BIGINT;
      // Dense, with gaps, negative, and as far apart as they can be.
      long smallest =
          type == Type.INT ? random.nextInt(-900, 900) : random.nextLong(Long.MIN_VALUE, 0);
      long apart = new long[] {0, 50, 3_000, 2_000_000_000L}[random.nextInt(4)];
      apart = type == Type.BIGINT && random.nextInt(3) == 0 ? Long.MAX_VALUE : apart;
      List<Object> values = values(type, random.nextInt(1, 3_000), smallest, apart);
      KeyPlaces.Parts parts = parts(type, values);
      Optional<KeyPlaces.Shape> shape = KeyPlaces.Shape.of(parts);
      if (shape.isEmpty()) {
        assertTrue(values.stream().allMatch(v -> v == null));
        continue;
      }
      KeyPlaces places = new KeyPlaces(shape.get(), parts);
      for (int ask = 0; ask < 5; ask++) {
        Object near = values.get(random.nextInt(values.size()));
        long some = near == null ? smallest - 1 : ((Number) near).longValue();
        KeyBits keys = keys(some, some + random.nextInt(3), some + random.nextInt(200));
        int[] all =
            IntStream.range(0, values.size())
                .filter(r -> values.get(r) != null)
                .filter(r -> keys.has(((Number) values.get(r)).longValue()))
                .toArray();
        Optional<int[]> found = places.of(keys, false);
        if (found.isEmpty()) {
          assertTrue(values.size() < 200 || all.length > values.size() / 100, "too many");
          continue;
        }
        int[] right =
            Arrays.stream(found.get())
                .filter(r -> keys.has(((Number) values.get(r)).longValue()))
                .toArray();
        assertEquals(
            Arrays.toString(Arrays.stream(right).distinct().sorted().toArray()),
            Arrays.toString(right),
            "in order, and once");
        assertEquals(Arrays.toString(all), Arrays.toString(right));
        assertTrue(found.get().length <= values.size() / 16, "few");
        answers += all.length > 0 ? 1 : 0;
        Set<Object> once =
            Arrays.stream(places.of(keys, true).orElseThrow())
                .mapToObj(values::get)
                .collect(Collectors.toSet());
        Arrays.stream(all).forEach(r -> assertTrue(once.contains(values.get(r)), "one of each"));
      }
    }
    assertTrue(answers > 100, "answers: " + answers);
  }
}
