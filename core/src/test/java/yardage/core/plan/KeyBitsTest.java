package yardage.core.plan;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.LongColumn;
import yardage.core.column.Type;

/** Both ways of finding places beside looking each value up. */
class KeyBitsTest {
  @ParameterizedTest
  @CsvSource({"0, 700", "-5000000000, 3", "9223372036854775000, 100", "-9223372036854775808, 64"})
  void findsThePlacesOfItsKeys(long smallest, int keys) {
    SplittableRandom random = new SplittableRandom(keys);
    long[] held = random.ints(keys, 0, 800).mapToLong(i -> smallest + i).sorted().toArray();
    KeyBits bits = KeyBits.of(new LongColumn(Type.BIGINT, held, null, keys), smallest, 800);
    List<Long> each = new ArrayList<>();
    bits.forEach(each::add);
    assertEquals(Arrays.stream(held).distinct().boxed().toList(), each);
    assertEquals(each.size(), bits.size());
    long[] values = new long[1_000];
    for (int i = 0; i < values.length; i++) {
      // Some are far away, so that the difference from the smallest wraps around.
      values[i] = random.nextInt(5) == 0 ? random.nextLong() : smallest + random.nextInt(-50, 900);
    }
    int[] expected =
        IntStream.range(0, values.length)
            .filter(i -> Arrays.binarySearch(held, values[i]) >= 0)
            .map(i -> 7 + i)
            .toArray();
    for (boolean few : new boolean[] {false, true}) {
      int[] out = new int[values.length + 3];
      int found = bits.places(values, values.length, 7, out, 2, few);
      assertArrayEquals(expected, Arrays.copyOfRange(out, 2, found), "few " + few);
    }
  }
}
