package yardage.core.insight.profile;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Random;
import java.util.function.IntFunction;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.StepTally;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/** Profiles of made-up columns, held against what plain Java finds in them. */
class ProfileTest {
  private static Profile.ColumnProfile profile(String type, List<?> values) {
    Type t = Type.parse(type);
    Schema schema = new Schema(List.of(new Schema.Field("loom", t)));
    List<Batch> batches = new ArrayList<>();
    for (int from = 0; from < values.size(); from += 1000) {
      List<?> some = values.subList(from, Math.min(values.size(), from + 1000));
      batches.add(new Batch(List.of(Rows.column(t, some)), some.size(), 0));
    }
    ExecutionContext context = ExecutionContext.standalone(1L << 30);
    StepTally tally = new StepTally("s", "read");
    ProfileSink sink = new ProfileSink(schema, tally, context);
    LivePlans.executor(context, tally)
        .run(new PlanNode.Scan(GivenRows.of(schema, batches), schema, "s"), sink, "s");
    assertEquals(0, context.memory().usedBytes());
    assertEquals(values.size(), sink.profile().rows());
    return sink.profile().columns().get(0);
  }

  private static <T> List<T> values(int n, IntFunction<T> each) {
    return IntStream.range(0, n).mapToObj(each).collect(Collectors.toCollection(ArrayList::new));
  }

  private static List<String> codes(Profile.ColumnProfile p) {
    return p.findings().stream().map(Profile.Oddity::code).toList();
  }

  @Test
  void fewValuesAreCountedExactly() {
    Random random = new Random(5);
    for (String type : List.of("int", "bigint", "decimal(9, 2)", "decimal(30, 2)", "double")) {
      List<Object> values =
          values(
              20_000,
              i -> {
                int v = (int) Math.abs(random.nextGaussian() * 300);
                return i % 11 == 0
                    ? null
                    : type.equals("int")
                        ? (Object) v
                        : type.equals("bigint")
                            ? (Object) (long) v
                            : type.equals("double") ? (Object) (v / 4.0) : BigDecimal.valueOf(v, 2);
              });
      Profile.ColumnProfile p = profile(type, values);
      Map<Object, Long> counts =
          values.stream()
              .filter(Objects::nonNull)
              .collect(Collectors.groupingBy(v -> v, Collectors.counting()));
      List<Comparable<Object>> sorted = sorted(values);

      assertEquals(values.stream().filter(Objects::isNull).count(), p.nulls());
      assertEquals(counts.size(), p.distinct());
      assertTrue(p.isExact());
      assertEquals(Optional.of(sorted.get(0)), p.smallest());
      assertEquals(Optional.of(sorted.get(sorted.size() - 1)), p.largest());
      assertEquals(sorted.get((sorted.size() - 1) / 2), p.quantiles().get(2));
      for (Profile.Counted c : p.commonest()) {
        assertEquals(counts.get(c.value()), c.count(), type);
      }
      assertEquals(
          counts.values().stream().max(Comparator.naturalOrder()).get(),
          p.commonest().get(0).count());
      assertEquals(sorted.size(), p.histogram().stream().mapToLong(Profile.Bucket::count).sum());
    }
  }

  @SuppressWarnings("unchecked")
  private static List<Comparable<Object>> sorted(List<Object> values) {
    return values.stream()
        .filter(Objects::nonNull)
        .map(v -> (Comparable<Object>) v)
        .sorted()
        .toList();
  }

  @Test
  void manyValuesAreEstimatedAndFrequentOnesFound() {
    Random random = new Random(7);
    int n = 400_000;
    List<Long> values =
        values(n, i -> i % 20 == 0 ? 77L : i % 50 == 3 ? 99L : random.nextLong(1L << 40));
    long distinct = values.stream().distinct().count();
    Map<Long, Long> counts = new HashMap<>();
    values.forEach(v -> counts.merge(v, 1L, Long::sum));

    Profile.ColumnProfile p = profile("bigint", values);

    assertFalse(p.isExact());
    assertEquals(1.0, (double) p.distinct() / distinct, 0.05);
    assertEquals(77L, p.commonest().get(0).value());
    assertEquals(99L, p.commonest().get(1).value());
    for (int i = 0; i < 2; i++) {
      Profile.Counted c = p.commonest().get(i);
      assertTrue(c.count() <= counts.get(c.value()) && c.count() > counts.get(c.value()) * 0.9);
    }
    List<Long> sorted = values.stream().sorted().toList();
    double rank = (double) sorted.indexOf(p.quantiles().get(2)) / n;
    assertEquals(0.5, rank, 0.03);
    assertEquals(n, p.histogram().stream().mapToLong(Profile.Bucket::count).sum(), n / 1000.0);
  }

  @Test
  void textsHaveLengthsAndShapes() {
    Profile.ColumnProfile p =
        profile(
            "varchar",
            values(1000, i -> i % 10 == 0 ? "L-7 " : i % 97 == 1 ? "" : "L-%04d".formatted(i)));

    assertEquals(
        List.of("A-9+", "A-9 ", ""), p.shapes().stream().map(Profile.TextShape::shape).toList());
    assertEquals(0.1, p.shapes().get(1).share(), 1e-9);
    assertEquals(0, p.lengths().get().shortest());
    assertEquals(6, p.lengths().get().longest());
    assertEquals(List.of("blank-ends", "empty-text", "mixed-shapes"), codes(p));
    assertTrue(p.findings().get(0).words().startsWith("100 values have blanks"));
    assertEquals(4, profile("varchar", List.of("Löß\uD83E\uDDF5")).lengths().get().longest());
  }

  @Test
  void whatIsOddIsNamed() {
    assertEquals(List.of("only-nulls"), codes(profile("int", values(30, i -> null))));
    assertEquals(List.of("one-value"), codes(profile("int", values(30, i -> 4))));
    assertEquals(
        List.of("nearly-unique"), codes(profile("int", values(100, i -> i == 99 ? 5 : i))));
    assertEquals(List.of(), codes(profile("int", values(100, i -> i))));
    assertEquals(
        List.of("far-values"), codes(profile("int", values(100, i -> i == 50 ? 99_999 : i % 40))));
    assertEquals(
        List.of("numbers-as-text"), codes(profile("varchar", values(100, i -> i % 7 + ".50"))));
    assertEquals(
        Optional.empty(),
        profile("varchar", values(100, i -> "00" + i % 7)).findings().get(0).offer(),
        "codes stay text");
    assertEquals(
        List.of("dates-as-text"),
        codes(profile("varchar", values(100, i -> "2026-01-%02d".formatted(i % 28 + 1)))));
    assertEquals(
        List.of("alike"),
        codes(
            profile(
                "varchar",
                values(100, i -> i % 2 == 0 ? "north" : i % 3 == 0 ? "North" : "south"))));
    assertEquals(List.of(), codes(profile("varchar", List.of())));
  }
}
