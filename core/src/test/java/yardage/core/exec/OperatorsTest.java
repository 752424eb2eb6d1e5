package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.function.BiPredicate;
import java.util.stream.IntStream;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.EnumSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.column.*;
import yardage.core.expr.Comparison;
import yardage.core.expr.Expression;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.JoinKind;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/**
 * Operators on random rows against the plainest code that says the same; always with several
 * workers and small batches.
 */
class OperatorsTest {
  private static final long SEED = Long.getLong("yardage.seed", 17);
  private static final Schema LEFT =
      Schema.of(
          new Schema.Field("k", Type.VARCHAR),
          new Schema.Field("j", Type.INT),
          new Schema.Field("v", Type.BIGINT));
  private static final Schema RIGHT =
      Schema.of(
          new Schema.Field("rk", Type.VARCHAR),
          new Schema.Field("rj", Type.INT),
          new Schema.Field("rv", Type.BIGINT));

  private final StepTally tally = new StepTally("op", "test");
  private final SplittableRandom random = new SplittableRandom(SEED);

  /** Rows with nulls in keys and half of them under one key. */
  private List<List<Object>> rows(int count, int keys) {
    List<List<Object>> out = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      Object k =
          random.nextInt(10) == 0
              ? null
              : random.nextInt(2) == 0 ? "skew" : "key " + random.nextInt(keys);
      out.add(
          Arrays.asList(
              k, random.nextInt(7) == 0 ? null : random.nextInt(3), (long) random.nextInt(100)));
    }
    return out;
  }

  private PlanNode scan(Schema schema, List<List<Object>> rows) {
    return Rows.relation(schema, rows, 13).read(new int[] {0, 1, 2}, List.of(), "scan");
  }

  private static List<List<Object>> run(PlanNode plan, StepTally counts) {
    ExecutionContext context =
        new ExecutionContext(
            MemoryPool.root("test", 1 << 28), Scratch.temporary(1L << 40), new CancelToken(), 3);
    Executor executor = LivePlans.executor(context, counts);
    List<List<Object>> out = Rows.rows(executor.collect(plan, "result"));
    assertEquals(0, context.memory().usedBytes(), "all memory is given back");
    return out;
  }

  private static List<String> sorted(List<List<Object>> rows) {
    return rows.stream().map(Object::toString).sorted().toList();
  }

  @ParameterizedTest
  @EnumSource(JoinKind.class)
  void joinsAsNestedLoopsWouldWithAndWithoutAFurtherCondition(JoinKind kind) {
    for (boolean further : new boolean[] {false, true}) {
      for (int round = 0; round < 8; round++) {
        List<List<Object>> left = rows(round == 0 ? 0 : 60, 12);
        List<List<Object>> right = rows(round == 1 ? 0 : 40, 12);
        List<Schema.Field> fields = given(kind);
        Optional<Expression> residual =
            further
                ? Optional.of(
                    new Comparison(
                        Comparison.Op.LT,
                        Expression.input(2, Type.BIGINT),
                        Expression.input(5, Type.BIGINT)))
                : Optional.empty();
        StepTally counts = new StepTally("join", "join");

        List<List<Object>> ours =
            run(
                new PlanNode.Join(
                    scan(LEFT, left),
                    scan(RIGHT, right),
                    kind,
                    new int[] {0, 1},
                    new int[] {0, 1},
                    residual,
                    new Schema(fields),
                    counts.step()),
                counts);

        assertEquals(
            sorted(nestedLoops(kind, left, right, further)),
            sorted(ours),
            "seed " + SEED + ", round " + round + ", further " + further);
        Tally t = counts.snapshot();
        assertEquals(
            ours.size(),
            (kind.givesLeft() ? left : right).size()
                + t.multiplied()
                + t.added()
                - t.unmatched()
                - t.filtered(),
            t.toString());
      }
    }
  }

  /** Keys that lie close together have a table of their own; its edges are where others begin. */
  @ParameterizedTest
  @EnumSource(JoinKind.class)
  void numbersJoinHoweverFarApartTheyLie(JoinKind kind) {
    List<long[]> keySets =
        List.of(
            new long[] {0, 1, 2, 5},
            new long[] {-7, -1023, 0, 1016},
            new long[] {Long.MIN_VALUE, Long.MIN_VALUE + 3},
            new long[] {Long.MAX_VALUE - 900, Long.MAX_VALUE},
            new long[] {Long.MIN_VALUE, Long.MAX_VALUE},
            new long[] {0, 1L << 32, 1L << 33},
            new long[] {1L << 40, 7},
            new long[] {5, 6},
            new long[] {6, 5},
            new long[] {});
    for (long[] keys : keySets) {
      for (boolean nulls : new boolean[] {false, true}) {
        // What is looked up lies inside, at both edges, beyond them, and where a sum wraps around.
        List<List<Object>> left =
            numbered(
                LongStream.of(keys)
                    .flatMap(k -> LongStream.of(k - 1, k, k + 1, k ^ Long.MIN_VALUE))
                    .toArray(),
                true);
        List<List<Object>> right = numbered(keys, nulls);
        right.addAll(numbered(keys.length > 2 ? Arrays.copyOf(keys, 1) : new long[0], false));
        List<Schema.Field> fields = given(kind);
        List<List<Object>> ours =
            run(
                new PlanNode.Join(
                    scan(LEFT, left),
                    scan(RIGHT, right),
                    kind,
                    new int[] {2},
                    new int[] {2},
                    Optional.empty(),
                    new Schema(fields),
                    tally.step()),
                tally);

        assertEquals(
            sorted(
                nestedLoops(
                    kind, left, right, (l, r) -> l.get(2) != null && l.get(2).equals(r.get(2)))),
            sorted(ours),
            Arrays.toString(keys));
      }
    }
  }

  private static List<Schema.Field> given(JoinKind kind) {
    List<Schema.Field> out = new ArrayList<>(kind.givesLeft() ? LEFT.fields() : List.of());
    out.addAll(kind.givesRight() ? RIGHT.fields() : List.of());
    return out;
  }

  private static List<List<Object>> numbered(long[] keys, boolean withNull) {
    List<List<Object>> out = new ArrayList<>();
    for (long key : keys) {
      out.add(Arrays.asList("row", out.size(), key));
    }
    if (withNull) {
      out.add(out.size() / 2, Arrays.asList("row", out.size(), null));
    }
    return out;
  }

  private static List<List<Object>> nestedLoops(
      JoinKind kind, List<List<Object>> left, List<List<Object>> right, boolean further) {
    return nestedLoops(
        kind,
        left,
        right,
        (l, x) ->
            l.get(0) != null
                && l.get(1) != null
                && l.get(0).equals(x.get(0))
                && l.get(1).equals(x.get(1))
                && (!further || (long) l.get(2) < (long) x.get(2)));
  }

  private static List<List<Object>> nestedLoops(
      JoinKind kind,
      List<List<Object>> left,
      List<List<Object>> right,
      BiPredicate<List<Object>, List<Object>> matches) {
    List<List<Object>> out = new ArrayList<>();
    boolean[] hit = new boolean[right.size()];
    for (List<Object> l : left) {
      boolean any = false;
      for (int r = 0; r < right.size(); r++) {
        List<Object> x = right.get(r);
        if (matches.test(l, x)) {
          any = true;
          hit[r] = true;
          if (kind.givesLeft() && kind.givesRight()) {
            out.add(joined(l, x));
          }
        }
      }
      if (kind == JoinKind.SEMI && any || kind == JoinKind.ANTI && !any) {
        out.add(l);
      } else if (kind.keepsLeft() && !any) {
        out.add(joined(l, Arrays.asList(null, null, null)));
      }
    }
    for (int r = 0; r < hit.length; r++) {
      if (!kind.givesLeft() && hit[r] == (kind == JoinKind.RIGHT_SEMI)) {
        out.add(right.get(r));
      } else if (kind.keepsRight() && !hit[r]) {
        out.add(joined(Arrays.asList(null, null, null), right.get(r)));
      }
    }
    return out;
  }

  private static List<Object> joined(List<Object> a, List<Object> b) {
    List<Object> out = new ArrayList<>(a);
    out.addAll(b);
    return out;
  }

  @ParameterizedTest
  @CsvSource({"0, 5", "1, 1", "500, 3", "20000, 9000", "400000, 300000"})
  void groupsAsAMapWould(int count, int keys) {
    List<List<Object>> rows = rows(count, keys);
    Map<List<Object>, long[]> expected = new LinkedHashMap<>();
    for (List<Object> r : rows) {
      long[] s =
          expected.computeIfAbsent(
              Arrays.asList(r.get(0), r.get(1)), k -> new long[] {0, 0, Long.MAX_VALUE});
      s[0] += (long) r.get(2);
      s[1]++;
      s[2] = Math.min(s[2], (long) r.get(2));
    }
    List<AggregateCall> calls =
        List.of(
            call(AggregateFunction.SUM, 2),
            call(AggregateFunction.COUNT, -1),
            call(AggregateFunction.MIN, 2));
    Schema schema =
        Schema.of(
            LEFT.field(0),
            LEFT.field(1),
            new Schema.Field("s", Type.BIGINT),
            new Schema.Field("n", Type.BIGINT),
            new Schema.Field("m", Type.BIGINT));

    List<List<Object>> ours =
        run(
            new PlanNode.Aggregate(scan(LEFT, rows), new int[] {0, 1}, calls, schema, tally.step()),
            tally);

    List<List<Object>> wanted = new ArrayList<>();
    expected.forEach((k, s) -> wanted.add(Arrays.asList(k.get(0), k.get(1), s[0], s[1], s[2])));
    assertEquals(sorted(wanted), sorted(ours), "seed " + SEED);
    assertEquals(count, ours.size() + tally.snapshot().folded());
  }

  private static AggregateCall call(AggregateFunction function, int argument) {
    return new AggregateCall(function, argument, false, -1, Type.BIGINT);
  }

  /**
   * Which row wins depends on the order, then on the place in the input, and never on how many
   * workers ran.
   */
  @ParameterizedTest
  @ValueSource(booleans = {false, true})
  void keepsTheRowThatAReaderFromTopToBottomWouldKeep(boolean last) {
    List<List<Object>> rows = rows(3000, 50);
    Map<Object, List<Object>> expected = new LinkedHashMap<>();
    for (List<Object> r : rows) {
      expected.merge(
          String.valueOf(r.get(0)),
          r,
          (old, now) -> {
            int c = Long.compare((long) now.get(2), (long) old.get(2));
            return last ? (c >= 0 ? now : old) : (c < 0 ? now : old);
          });
    }

    for (int round = 0; round < 5; round++) {
      StepTally counts = new StepTally("once", "dedupe");
      List<List<Object>> ours =
          run(
              new PlanNode.Deduplicate(
                  scan(LEFT, rows),
                  new int[] {0},
                  List.of(new SortKey(2, false, true)),
                  last,
                  counts.step()),
              counts);

      assertEquals(sorted(List.copyOf(expected.values())), sorted(ours), "seed " + SEED);
      assertEquals(rows.size(), ours.size() + counts.snapshot().merged());
    }
  }

  @Test
  void sortsStablyAndCuts() {
    List<List<Object>> rows = rows(5000, 20);
    Comparator<List<Object>> byKey =
        Comparator.comparing(
            (List<Object> r) -> (String) r.get(0), Comparator.nullsLast(Comparator.reverseOrder()));
    List<List<Object>> expected =
        rows.stream()
            .sorted(
                byKey.thenComparing(
                    r -> (Integer) r.get(1), Comparator.nullsFirst(Comparator.naturalOrder())))
            .toList();

    List<List<Object>> ours =
        run(
            new PlanNode.Sort(
                scan(LEFT, rows),
                List.of(new SortKey(0, true, false), new SortKey(1, false, true)),
                10,
                200,
                tally.step()),
            tally);

    assertEquals(expected.subList(10, 210), ours);
    assertEquals(4800, tally.snapshot().filtered());
  }

  @Test
  void aCancelStopsWorkersBetweenBatches() {
    CancelToken cancel = new CancelToken();
    ScanSource endless =
        () ->
            List.of(
                (worker, out) -> {
                  while (true) {
                    out.accept(
                        new Batch(List.of(new IntColumn(Type.INT, new int[] {1}, null, 1)), 1, 0));
                    cancel.cancel("enough");
                  }
                });
    Schema one = Schema.of(new Schema.Field("n", Type.INT));

    CancelledException e =
        assertThrows(
            CancelledException.class,
            () ->
                LivePlans.executor(
                        new ExecutionContext(
                            MemoryPool.root("test", 1 << 20),
                            Scratch.temporary(1L << 40),
                            cancel,
                            2))
                    .collect(new PlanNode.Scan(LivePlans.source(endless), one, "scan"), "result"));

    assertEquals("enough", e.getMessage());
  }

  @Test
  void memoryIsTakenFromThePoolAndItsParentOrNotAtAll() {
    MemoryPool parent = MemoryPool.root("all", 100);
    MemoryPool a = parent.child("a", 80);
    MemoryPool b = parent.child("b", 80);

    assertTrue(a.tryReserve(60));
    assertTrue(!b.tryReserve(50), "the parent has no more");
    assertEquals(0, b.usedBytes());
    assertEquals(60, parent.usedBytes());
    MemoryPool.Reservation claim = b.reservation(tally, "rows");
    claim.resize(40);
    MemoryExceededException e = assertThrows(MemoryExceededException.class, () -> claim.resize(90));
    assertTrue(
        e.getMessage()
            .startsWith("Step [op] needs 50 B more for rows, but b has used 40 B of its 80 B"),
        e.getMessage());
    claim.close();
    a.release(60);
    assertEquals(0, parent.usedBytes());
    assertEquals(100, parent.peakBytes());
  }

  @Test
  void groupsOfManyWorkersMeetInPartsAsWell() {
    List<List<Object>> rows = new ArrayList<>();
    Map<Object, long[]> expected = new HashMap<>();
    for (int i = 0; i < 240_000; i++) {
      // Nearly every worker has seen a group that others have, and many of its own.
      Integer key = random.nextInt(90) == 0 ? null : random.nextInt(100_000);
      long value = random.nextInt(1_000);
      rows.add(Arrays.asList("k", key, value));
      long[] sums = expected.computeIfAbsent(key, k -> new long[2]);
      sums[0] += value;
      sums[1]++;
    }
    Schema schema =
        Schema.of(
            new Schema.Field("j", Type.INT),
            new Schema.Field("s", Type.BIGINT),
            new Schema.Field("n", Type.BIGINT),
            new Schema.Field("l", Type.list(Type.BIGINT)));
    StepTally counts = new StepTally("groups", "aggregate");
    PlanNode scan = Rows.relation(LEFT, rows, 1_000).read(new int[] {0, 1, 2}, List.of(), "scan");

    List<List<Object>> ours =
        run(
            new PlanNode.Aggregate(
                scan,
                new int[] {1},
                List.of(
                    new AggregateCall(AggregateFunction.SUM, 2, false, -1, Type.BIGINT),
                    new AggregateCall(AggregateFunction.COUNT, -1, false, -1, Type.BIGINT),
                    new AggregateCall(
                        AggregateFunction.LIST, 2, false, -1, Type.list(Type.BIGINT))),
                schema,
                counts.step()),
            counts);

    assertEquals(expected.size(), ours.size());
    for (List<Object> row : ours) {
      long[] sums = expected.get(row.get(0));
      List<?> values = (List<?>) row.get(3);
      assertEquals(List.of(sums[0], sums[1]), row.subList(1, 3), "key " + row.get(0));
      assertEquals(sums[1], values.size());
      assertEquals(sums[0], values.stream().mapToLong(v -> (Long) v).sum());
    }
    assertEquals(rows.size() - ours.size(), counts.snapshot().folded());
  }

  @Test
  void whatLiesInThePlaceOfANullTellsNoKeysApart() {
    for (Type type : List.of(Type.BIGINT, Type.INT, Type.VARCHAR, Type.DOUBLE, Type.BOOLEAN)) {
      KeyTable table = new KeyTable(new Type[] {Type.INT, type});
      Column same = new IntColumn(Type.INT, new int[] {7, 7, 7}, null, 3);
      long[] nulls = {0b111};
      Column anything =
          switch (type.kind()) {
            case BIGINT -> new LongColumn(type, new long[] {1, 2, 3}, nulls, 3);
            case INT -> new IntColumn(type, new int[] {1, 2, 3}, nulls, 3);
            case DOUBLE -> new DoubleColumn(new double[] {1, 2, 3}, nulls, 3);
            case BOOLEAN -> new BooleanColumn(new byte[] {1, 0, 1}, nulls, 3);
            default -> TextColumn.plain("abc".getBytes(), new int[] {0, 1, 2, 3}, nulls, 3);
          };
      int[] numbers = new int[3];

      table.numberOf(new Column[] {same, anything}, 3, numbers);

      assertEquals("[0, 0, 0]", Arrays.toString(numbers), type.toString());
    }
  }

  @Test
  void keysOfEqualHashesStayApart() {
    // 70,000 keys in batches: some 32-bit hashes meet, and numbers must not.
    KeyTable table = new KeyTable(new Type[] {Type.BIGINT, Type.VARCHAR});
    Map<List<Object>, Integer> expected = new LinkedHashMap<>();
    int[] numbers = new int[1000];
    for (int b = 0; b < 100; b++) {
      List<Long> k = new ArrayList<>();
      List<String> t = new ArrayList<>();
      for (int i = 0; i < 1000; i++) {
        k.add(random.nextInt(20) == 0 ? null : (long) random.nextInt(300));
        t.add(random.nextInt(20) == 0 ? null : "t" + random.nextInt(300));
      }
      table.numberOf(
          new Column[] {Rows.column(Type.BIGINT, k), Rows.column(Type.VARCHAR, t)}, 1000, numbers);
      for (int i = 0; i < 1000; i++) {
        int number = numbers[i];
        int known = expected.computeIfAbsent(Arrays.asList(k.get(i), t.get(i)), x -> number);
        assertTrue(Objects.equals(known, number), "seed " + SEED + ", row " + i);
      }
    }
    assertEquals(expected.size(), Set.copyOf(expected.values()).size(), "seed " + SEED);
    assertEquals(expected.size(), table.count());
  }

  /** Keys close together count up, down and to both sides, at the ends of what a long holds too. */
  @Test
  void wholeNumbersCloseTogetherAreKeys() {
    long[] starts = {0, -900, Long.MIN_VALUE, Long.MAX_VALUE - 5, 1L << 40, Long.MAX_VALUE};
    for (long start : starts) {
      for (int step : new int[] {1, -1, 7, -613, 70_000}) {
        KeyTable table = new KeyTable(new Type[] {Type.BIGINT});
        Map<Long, Integer> expected = new LinkedHashMap<>();
        for (int b = 0; b < 4; b++) {
          int n = b * 90;
          long[] values =
              IntStream.range(0, 100).mapToLong(i -> start + (n + i / 3) * (long) step).toArray();
          Column[] keys = {new LongColumn(Type.BIGINT, values, null, values.length)};
          int[] numbers = new int[values.length];
          table.numberOf(keys, values.length, numbers);
          int[] found = new int[values.length];
          table.find(keys, values.length, found, new KeyTable.Scratch());
          for (int i = 0; i < values.length; i++) {
            expected.putIfAbsent(values[i], expected.size());
            assertEquals(expected.get(values[i]), numbers[i], "%d by %d".formatted(start, step));
            assertEquals(numbers[i], found[i]);
          }
        }
        assertEquals(List.copyOf(expected.keySet()), keys(table));
      }
    }
  }

  private static List<Long> keys(KeyTable table) {
    LongColumn all = (LongColumn) table.build()[0];
    return LongStream.of(all.values()).limit(all.size()).boxed().toList();
  }

  /** More keys than the table begins with, negative ones, the least, 0 and null among them. */
  @ParameterizedTest
  @ValueSource(strings = {"int", "bigint", "date", "decimal(9, 2)"})
  void wholeNumbersAreKeysByThemselves(String of) {
    Type type = Type.parse(of);
    boolean isInt = type.held() == Type.Held.INTS;
    KeyTable table = new KeyTable(new Type[] {type});
    Map<Long, Integer> expected = new LinkedHashMap<>();
    for (int b = 0; b < 40; b++) {
      int rows = random.nextInt(1, 3_000);
      long[] values =
          random
              .longs(rows, -20_000, 20_000)
              .map(v -> v % 77 == 0 ? isInt ? Integer.MIN_VALUE : Long.MIN_VALUE : v)
              .toArray();
      long[] nulls = Bits.allocate(rows);
      for (int r = 0; b % 2 == 1 && r < rows; r += 50) {
        Bits.set(nulls, r);
      }
      long[] orNone = b % 2 == 0 ? null : nulls;
      Column column =
          isInt
              ? new IntColumn(
                  type, LongStream.of(values).mapToInt(v -> (int) v).toArray(), orNone, rows)
              : new LongColumn(type, values, orNone, rows);
      int[] numbers = new int[rows];
      table.numberOf(new Column[] {column}, rows, numbers);
      for (int r = 0; r < rows; r++) {
        // In order of first sight, without a gap.
        Long key = column.isNull(r) ? null : (Long) values[r];
        expected.putIfAbsent(key, expected.size());
        assertEquals(expected.get(key), numbers[r], "row %d, seed %d".formatted(r, SEED));
      }
      int[] found = new int[rows];
      table.find(new Column[] {column}, rows, found, new KeyTable.Scratch());
      assertEquals(Arrays.toString(numbers), Arrays.toString(found));
    }
    assertEquals(expected.size(), table.count());
    int[] absent = new int[1];
    Column other =
        isInt
            ? new IntColumn(type, new int[] {30_000}, null, 1)
            : new LongColumn(type, new long[] {30_000}, null, 1);
    table.find(new Column[] {other}, 1, absent, new KeyTable.Scratch());
    assertEquals(-1, absent[0]);
    assertEquals(expected.size(), table.build()[0].size());
  }

  @ParameterizedTest
  @ValueSource(ints = {2, 127, 128, 129, 300, 2048})
  void aUnionKeepsTheOrderOfItsInputsHoweverManyThereAre(int inputs) {
    List<PlanNode> scans = new ArrayList<>();
    List<List<Object>> expected = new ArrayList<>();
    for (int i = 0; i < inputs; i++) {
      List<List<Object>> rows = List.of(Arrays.asList("k", i, (long) i));
      scans.add(scan(LEFT, rows));
      expected.addAll(rows);
    }

    assertEquals(expected, run(new PlanNode.Union(scans, LEFT), tally));
  }
}
