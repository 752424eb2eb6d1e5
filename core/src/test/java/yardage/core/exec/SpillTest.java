package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.locks.LockSupport;
import java.util.stream.Stream;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.EnumSource;
import org.junit.jupiter.params.provider.MethodSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.column.*;
import yardage.core.expr.Comparison;
import yardage.core.expr.Expression;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.GivenRows;
import yardage.core.plan.JoinKind;
import yardage.core.plan.JoinSpec;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;
import yardage.core.step.LikenessStep;
import yardage.core.step.SampleCount;
import yardage.core.testing.LivePlans;
import yardage.core.testing.RandomColumns;
import yardage.core.testing.Rows;

/**
 * Every operator that gathers, with so little memory that it spills: it gives the rows, the order
 * and the account that it gives with plenty, holds no more than it may, and leaves nothing behind.
 */
@Tag("thorough")
class SpillTest {
  private static final long SEED = Long.getLong("yardage.seed", 31);
  private static final long PLENTY = 1L << 32;
  private static final int ROWS = 40_000;
  private static final Schema TABLE =
      Schema.of(
          new Schema.Field("k", Type.VARCHAR),
          new Schema.Field("n", Type.INT),
          new Schema.Field("v", Type.BIGINT),
          new Schema.Field("d", Type.decimal(9, 2)),
          new Schema.Field("t", Type.VARCHAR),
          new Schema.Field("l", Type.parse("list(int)")));

  /** Rows with a heavy key, nulls in keys, and as many keys as there may be. */
  private static List<Batch> table(long seed, int rows, int keys, int heavy) {
    SplittableRandom random = new SplittableRandom(seed);
    RandomColumns columns = new RandomColumns(seed);
    List<Batch> out = new ArrayList<>();
    for (int at = 0; at < rows; ) {
      int n = Math.min(rows - at, 1 + random.nextInt(3000));
      String[] k = new String[n];
      int[] numbers = new int[n];
      for (int i = 0; i < n; i++) {
        k[i] =
            random.nextInt(100) < heavy
                ? "heavy"
                : random.nextInt(50) == 0 ? null : "key " + random.nextInt(keys);
        numbers[i] = random.nextInt(4);
      }
      out.add(
          new Batch(
              List.of(
                  TextColumn.of(k),
                  new IntColumn(Type.INT, numbers, null, n),
                  new LongColumn(Type.BIGINT, random.longs(n).toArray(), null, n),
                  columns.column(Type.decimal(9, 2), n),
                  columns.column(Type.VARCHAR, n),
                  columns.column(Type.parse("list(int)"), n)),
              n,
              0));
      at += n;
    }
    return out;
  }

  private static PlanNode scan(List<Batch> batches) {
    return new PlanNode.Scan(GivenRows.of(TABLE, batches), TABLE, "scan");
  }

  private static PlanNode keptTwice(List<Batch> rows) {
    PlanNode once = new PlanNode.Kept(scan(rows), "rows", "op");
    return new PlanNode.Union(List.of(once, once), TABLE);
  }

  /** What a plan gave, and what it took. */
  private record Outcome(List<List<Object>> rows, Tally tally, long spilledBytes) {}

  private static Outcome run(PlanNode plan, long memoryBytes, boolean inOrder) {
    StepTally tally = new StepTally("op", "test");
    Scratch scratch = Scratch.temporary(1L << 32);
    MemoryPool pool = MemoryPool.root("test", memoryBytes);
    List<List<Object>> rows = new ArrayList<>();
    List<Batch> given = new ArrayList<>();
    Executor executor =
        LivePlans.executor(new ExecutionContext(pool, scratch, new CancelToken(), 3), tally);
    executor.run(
        plan,
        worker ->
            batch -> {
              synchronized (given) {
                given.add(batch);
              }
            },
        "op");

    if (inOrder) {
      given.sort((a, b) -> a.comparePlace(0, b, 0));
    }
    rows.addAll(Rows.rows(given));
    assertEquals(0, pool.usedBytes(), "memory that is not given back");
    assertEquals(0, scratch.usedBytes(), "scratch that is not given back");
    assertTrue(pool.peakBytes() <= memoryBytes);
    return new Outcome(rows, tally.snapshot(), tally.bytesSpilled.sum());
  }

  private static List<List<Object>> sorted(List<List<Object>> rows) {
    return rows.stream()
        .map(r -> Map.entry(text(r), r))
        .sorted(Map.Entry.comparingByKey())
        .map(Map.Entry::getValue)
        .toList();
  }

  /** Without doubles, whose last digits depend on the order in which they were added. */
  private static String text(List<Object> row) {
    return row.stream()
        .map(v -> v instanceof Double d ? "double" : String.valueOf(v))
        .toList()
        .toString();
  }

  private static String account(Tally t) {
    return "in %d right %d merged %d filtered %d unmatched %d multiplied %d added %d folded %d absorbed %d matched %d"
        .formatted(
            t.rowsIn(),
            t.rightIn(),
            t.merged(),
            t.filtered(),
            t.unmatched(),
            t.multiplied(),
            t.added(),
            t.folded(),
            t.absorbed(),
            t.matched());
  }

  private static Outcome assertSame(PlanNode plan, long memoryBytes, boolean inOrder) {
    Outcome plenty = run(plan, PLENTY, inOrder);
    Outcome little = run(plan, memoryBytes, inOrder);
    assertEquals(0, plenty.spilledBytes);
    assertTrue(little.spilledBytes > 0, "it spilled");
    assertSame(plenty, little, inOrder);
    return little;
  }

  private static void assertSame(Outcome plenty, Outcome little, boolean inOrder) {
    assertEquals(plenty.rows.size(), little.rows.size());
    List<List<Object>> expected = inOrder ? plenty.rows : sorted(plenty.rows);
    List<List<Object>> given = inOrder ? little.rows : sorted(little.rows);
    for (int i = 0; i < expected.size(); i++) {
      String row = "row %d, seed %d".formatted(i, SEED);
      assertEquals(text(expected.get(i)), text(given.get(i)), row);
      for (int c = 0; c < expected.get(i).size(); c++) {
        if (expected.get(i).get(c) instanceof Double d) {
          assertEquals(d, (Double) given.get(i).get(c), 1e-9 * Math.max(1, Math.abs(d)), row);
        }
      }
    }
    assertEquals(account(plenty.tally), account(little.tally));
  }

  private static final List<AggregateCall> CALLS =
      Stream.of(AggregateFunction.values())
          .flatMap(
              f ->
                  Stream.of(false, true)
                      .filter(distinct -> f != AggregateFunction.SINGLE_VALUE)
                      .map(distinct -> call(f, distinct)))
          .toList();

  private static AggregateCall call(AggregateFunction f, boolean distinct) {
    Type type =
        switch (f.family()) {
          case COUNT -> Type.BIGINT;
          case AVG -> NumberTypes.average(Type.decimal(9, 2));
          case MOMENTS, PAIRS, PERCENTILE -> Type.DOUBLE;
          case SUM -> Type.decimal(18, 2);
          case JOINED -> Type.VARCHAR;
          case LIST -> Type.list(Type.decimal(9, 2));
          case EXTREME, FOREMOST, COMMONEST, RANKED, SINGLE -> Type.decimal(9, 2);
        };
    List<SortKey> order =
        f == AggregateFunction.FIRST || f == AggregateFunction.LIST
            ? List.of(SortKey.of(1, false), SortKey.of(4, true))
            : f.isOfPairs() ? List.of(SortKey.of(3, false)) : List.of();
    return new AggregateCall(
        f, 3, distinct, -1, type, order, f == AggregateFunction.JOINED ? "/" : "0.3");
  }

  @ParameterizedTest
  @ValueSource(ints = {3_000, 50_000})
  void groupsOfAllFunctions(int keys) {
    List<Batch> rows = table(SEED, ROWS, keys, 0);
    List<Schema.Field> fields = new ArrayList<>(List.of(TABLE.field(0), TABLE.field(1)));
    for (int i = 0; i < CALLS.size(); i++) {
      fields.add(new Schema.Field("c" + i, CALLS.get(i).type()));
    }

    assertSame(
        new PlanNode.Aggregate(scan(rows), new int[] {0, 1}, CALLS, new Schema(fields), "op"),
        1 << 21,
        false);
  }

  /** So many that each worker cuts its own into parts, before it spills. */
  @ParameterizedTest
  @ValueSource(ints = {0, 2})
  void moreGroupsThanFitACache(int key) {
    List<Batch> rows = table(SEED, 300_000, 150_000, 2);
    List<AggregateCall> calls =
        List.of(
            new AggregateCall(AggregateFunction.COUNT, -1, false, -1, Type.BIGINT),
            call(AggregateFunction.SUM, false),
            call(AggregateFunction.LIST, false));
    int[] by = {key};
    List<Schema.Field> fields = new ArrayList<>(List.of(TABLE.field(by[0])));
    for (int i = 0; i < calls.size(); i++) {
      fields.add(new Schema.Field("c" + i, calls.get(i).type()));
    }
    PlanNode plan = new PlanNode.Aggregate(scan(rows), by, calls, new Schema(fields), "op");
    Outcome plenty = run(plan, PLENTY, false);
    // All workers cut their groups, some of them do and hand them on, and none has room to.
    for (int megabytes : new int[] {80, 50, 20}) {
      assertSame(plenty, run(plan, megabytes << 20, false), false);
    }
  }

  @Test
  void oneGroupThatIsTooLargeIsRefusedInWords() {
    List<Batch> rows = table(SEED, ROWS, 1, 100);
    MemoryExceededException refused =
        (MemoryExceededException)
            assertThrows(
                    StepFailedException.class,
                    () ->
                        run(
                            new PlanNode.Aggregate(
                                scan(rows),
                                new int[] {0},
                                List.of(call(AggregateFunction.LIST, false)),
                                Schema.of(
                                    TABLE.field(0),
                                    new Schema.Field("l", Type.list(Type.decimal(9, 2)))),
                                "op"),
                            1 << 19,
                            false))
                .reason();
    assertTrue(refused.getMessage().contains("more for groups"), refused.getMessage());
  }

  static Stream<List<SortKey>> orders() {
    return Stream.of(
        List.of(),
        List.of(SortKey.of(2, false)),
        List.of(SortKey.of(0, true), SortKey.of(4, false)));
  }

  @ParameterizedTest
  @MethodSource("orders")
  void oneRowOfEachKey(List<SortKey> order) {
    for (boolean last : new boolean[] {false, true}) {
      for (int heavy : new int[] {0, 60}) {
        List<Batch> rows = table(SEED + heavy, ROWS, 20_000, heavy);
        assertSame(
            new PlanNode.Deduplicate(scan(rows), new int[] {0, 1}, order, last, "op"),
            1 << 19,
            false);
      }
    }
  }

  @ParameterizedTest
  @MethodSource("orders")
  void sortedRowsKeepTheOrderOfEquals(List<SortKey> order) {
    List<Batch> rows = table(SEED, ROWS, 50, 20);
    for (long[] cut : new long[][] {{0, -1}, {70, 30_000}, {0, 10}}) {
      PlanNode plan = new PlanNode.Sort(scan(rows), order, cut[0], cut[1], "op");
      if (cut[1] == 10) {
        Outcome few = run(plan, 6 << 20, true);
        assertEquals(0, few.spilledBytes, "few rows that are wanted are held");
        assertEquals(run(plan, PLENTY, true).rows, few.rows);
      } else {
        assertSame(plan, 1 << 20, true);
      }
    }
  }

  @Test
  void manyRunsAreMergedInSeveralPasses() {
    List<Batch> rows = table(SEED, ROWS, 50, 20);
    Outcome little =
        assertSame(
            new PlanNode.Sort(
                scan(rows), List.of(SortKey.of(0, false), SortKey.of(2, true)), 0, -1, "op"),
            1 << 18,
            true);
    assertTrue(little.spilledBytes > 500_000, "" + little.spilledBytes);
  }

  @ParameterizedTest
  @EnumSource(JoinKind.class)
  void joinsOfAllKinds(JoinKind kind) {
    boolean leftOnly = !kind.givesRight();
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    if (kind.givesLeft() && !leftOnly) {
      TABLE.fields().forEach(f -> fields.add(new Schema.Field("r" + f.name(), f.type())));
    }
    Optional<Expression> further =
        Optional.of(
            new Comparison(
                Comparison.Op.LE,
                Expression.input(1, Type.INT),
                Expression.input(TABLE.size() + 1, Type.INT)));
    for (boolean condition : new boolean[] {false, true}) {
      for (int heavy : new int[] {0, 1}) {
        List<Batch> left = table(SEED + 1, 5_000, 4_000, heavy);
        List<Batch> right = table(SEED + 2, 16_000, 4_000, heavy);
        for (boolean mainIsRight : new boolean[] {false, true}) {
          boolean cannot =
              mainIsRight
                  ? leftOnly || kind == JoinKind.LEFT || kind == JoinKind.FULL
                  : !kind.givesLeft();
          if (cannot) {
            continue;
          }
          assertSame(
              new PlanNode.Join(
                  scan(left),
                  scan(right),
                  new JoinSpec(
                      "op",
                      kind,
                      new int[] {0},
                      new int[] {0},
                      condition ? further : Optional.empty(),
                      TABLE,
                      TABLE,
                      new Schema(fields),
                      mainIsRight,
                      false,
                      false)),
              3 << 17,
              false);
        }
      }
    }
  }

  @Test
  void aJoinOfOneKeyTakesItsRightRowsInPortions() {
    List<Batch> left = table(SEED + 1, 40, 1, 100);
    List<Batch> right = table(SEED + 2, 30_000, 1, 100);
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    TABLE.fields().forEach(f -> fields.add(new Schema.Field("r" + f.name(), f.type())));
    for (JoinKind kind : List.of(JoinKind.INNER, JoinKind.LEFT, JoinKind.FULL)) {
      PlanNode join =
          new PlanNode.Join(
              scan(left),
              scan(right),
              kind,
              new int[] {0},
              new int[] {0},
              Optional.empty(),
              new Schema(fields),
              "op");
      PlanNode counted =
          new PlanNode.Aggregate(
              join,
              new int[] {1, 7},
              List.of(new AggregateCall(AggregateFunction.COUNT, -1, false, -1, Type.BIGINT)),
              Schema.of(fields.get(1), fields.get(7), new Schema.Field("c", Type.BIGINT)),
              "op");
      assertSame(counted, 1 << 19, false);
    }
  }

  @Test
  void rowsThatSeveralReadKeepTheirOrder() {
    List<Batch> rows = table(SEED, ROWS, 50, 20);
    assertSame(keptTwice(rows), 1 << 18, true);
  }

  /** Many partitions, one that holds half of the rows, and none. */
  @ParameterizedTest
  @ValueSource(ints = {3_000, 2, 0})
  void windows(int keys) {
    List<Batch> rows = table(SEED, ROWS, Math.max(1, keys), 2);
    WindowStep.Frame near =
        new WindowStep.Frame(false, new WindowStep.Steps(-700), new WindowStep.Steps(20));
    WindowStep.Frame soFar =
        new WindowStep.Frame(true, WindowStep.Edge.START, WindowStep.Edge.HERE);
    List<WindowStep.Call> calls =
        List.of(
            new WindowStep.Rank(WindowStep.Ranking.ROW_NUMBER, 0),
            new WindowStep.Rank(WindowStep.Ranking.CUME_DIST, 0),
            new WindowStep.Before(2, 900, true, Type.BIGINT),
            new WindowStep.Nth(2, -1, true, near, Type.BIGINT),
            total(AggregateFunction.SUM, 3, Type.decimal(18, 2), near),
            total(AggregateFunction.MAX, 3, TABLE.field(3).type(), near),
            total(AggregateFunction.AVG, 2, Type.DOUBLE, soFar),
            total(AggregateFunction.STDDEV_POP, 2, Type.DOUBLE, WindowStep.Frame.WHOLE));
    assertSame(
        window(rows, keys == 0 ? new int[0] : new int[] {0}, List.of(SortKey.of(4, false)), calls),
        1 << 20,
        false);
  }

  /** All rows as one group, four groups, and one heavy group among many. */
  @ParameterizedTest
  @CsvSource({"-1, 3000", "1, 3000", "0, 3000"})
  void percentilesOfGroupsThatDoNotFit(int key, int keys) {
    List<Batch> rows = table(SEED, ROWS, keys, 60);
    int[] by = key < 0 ? new int[0] : new int[] {key};
    List<AggregateCall> calls = new ArrayList<>();
    for (boolean distinct : new boolean[] {false, true}) {
      calls.add(
          new AggregateCall(
              AggregateFunction.PERCENTILE, 2, distinct, -1, Type.DOUBLE, List.of(), "0.37"));
      calls.add(
          new AggregateCall(
              AggregateFunction.PERCENTILE_DISC,
              4,
              distinct,
              -1,
              Type.VARCHAR,
              List.of(SortKey.of(4, true)),
              "0.8"));
    }
    calls.add(new AggregateCall(AggregateFunction.COUNT, 3, false, -1, Type.BIGINT));
    calls.add(
        new AggregateCall(
            AggregateFunction.LAST, 4, false, -1, Type.VARCHAR, List.of(SortKey.of(2, false)), ""));
    List<Schema.Field> fields = new ArrayList<>();
    Arrays.stream(by).forEach(k -> fields.add(TABLE.field(k)));
    for (int i = 0; i < calls.size(); i++) {
      fields.add(new Schema.Field("c" + i, calls.get(i).type()));
    }
    assertSame(
        new PlanNode.Aggregate(scan(rows), by, calls, new Schema(fields), "op"), 1 << 20, false);
  }

  /** Blocks of a quarter of the rows, and a heavy one among small ones that are cut again. */
  @ParameterizedTest
  @EnumSource(LikenessStep.Measure.class)
  void likenessBlockByBlock(LikenessStep.Measure measure) {
    List<Batch> rows = table(SEED, ROWS / 2, 3_000, 2);
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    fields.add(new Schema.Field("group", Type.INT));
    fields.add(new Schema.Field("score", Type.DOUBLE));
    for (int[] by : new int[][] {{1}, {1, 4}}) {
      LikenessStep step = new LikenessStep(by, 0, measure, 0.9);
      PlanNode plan =
          new PlanNode.Whole(scan(rows), step, "rows to compare", new Schema(fields), "op");
      int block =
          switch (measure) {
            case TRIGRAMS -> 3 << 20;
            case EDITS -> 4 << 20;
            case SOUND -> 5 << 19;
          };
      assertSame(plan, by.length == 1 ? block : 1 << 20, false);
    }
  }

  @Test
  void aBlockThatIsTooLargeIsRefusedInWords() {
    List<Batch> rows = table(SEED, ROWS, 3_000, 2);
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    fields.add(new Schema.Field("group", Type.INT));
    fields.add(new Schema.Field("score", Type.DOUBLE));
    for (int[] by : new int[][] {{}, {1}}) {
      LikenessStep step = new LikenessStep(by, 0, LikenessStep.Measure.TRIGRAMS, 0.9);
      PlanNode plan =
          new PlanNode.Whole(scan(rows), step, "rows to compare", new Schema(fields), "op");
      Throwable refused =
          assertThrows(StepFailedException.class, () -> run(plan, 1 << 20, false)).reason();
      assertTrue(refused.getMessage().contains("more for rows to compare"), refused.getMessage());
    }
  }

  @Test
  void samplesOfMoreRowsThanMemoryTakes() {
    List<Batch> rows = table(SEED, ROWS, 3_000, 2);
    SampleCount half = new SampleCount(new int[] {2}, ROWS / 2, 7);
    assertSame(
        new PlanNode.Whole(scan(rows), half, "rows to sample from", TABLE, "op"), 1 << 20, false);
  }

  @Test
  void totalsOfAllRows() {
    List<Batch> rows = table(SEED, ROWS, 3_000, 2);
    WindowStep.Frame all = new WindowStep.Frame(true, WindowStep.Edge.START, WindowStep.Edge.HERE);
    assertSame(
        window(
            rows,
            new int[0],
            List.of(),
            List.of(
                total(AggregateFunction.COUNT, 3, Type.BIGINT, all),
                total(AggregateFunction.SUM, 3, Type.decimal(18, 2), all),
                total(AggregateFunction.MAX, 3, TABLE.field(3).type(), all))),
        1 << 18,
        true);
  }

  private static WindowStep.Total total(
      AggregateFunction function, int argument, Type type, WindowStep.Frame frame) {
    return new WindowStep.Total(new AggregateCall(function, argument, false, -1, type), frame);
  }

  private static PlanNode window(
      List<Batch> rows, int[] partition, List<SortKey> order, List<WindowStep.Call> calls) {
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    for (int i = 0; i < calls.size(); i++) {
      fields.add(new Schema.Field("w" + i, calls.get(i).type()));
    }
    return new PlanNode.Whole(
        scan(rows),
        new WindowStep(partition, order, calls),
        "rows in windows",
        new Schema(fields),
        "op");
  }

  /** What a spilled join gives keeps its places, so that "first" means the same. */
  @Test
  void theFirstRowOfAKeyIsTheSameBehindASpilledJoin() {
    List<Batch> left = table(SEED + 1, ROWS, 30_000, 10);
    List<Batch> right = table(SEED + 2, 30_000, 30_000, 0);
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    for (boolean last : new boolean[] {false, true}) {
      assertSame(
          new PlanNode.Deduplicate(
              new PlanNode.Join(
                  scan(left),
                  scan(right),
                  JoinKind.SEMI,
                  new int[] {0},
                  new int[] {0},
                  Optional.empty(),
                  new Schema(fields),
                  "op"),
              new int[] {1},
              List.of(),
              last,
              "op"),
          1 << 19,
          false);
    }
  }

  private static PlanNode deduped(PlanNode input, int key, boolean last) {
    return new PlanNode.Deduplicate(input, new int[] {key}, List.of(), last, "op");
  }

  @Test
  void rowsOfSeveralInputsKeepTheirOrderThroughSpilledSteps() {
    // The parts of a first spill, put together again, are cut by other keys twice more.
    PlanNode some =
        new PlanNode.Union(
            List.of(
                deduped(scan(table(SEED, 8_000, 6_000, 0)), 0, false),
                scan(table(SEED + 1, 2_000, 1_000, 0)),
                deduped(scan(table(SEED + 2, 8_000, 6_000, 0)), 0, true)),
            TABLE);
    PlanNode kept = new PlanNode.Kept(some, "some", "op");
    PlanNode all =
        new PlanNode.Union(
            List.of(scan(table(SEED + 3, 2_000, 1_000, 0)), kept, deduped(kept, 0, true)), TABLE);
    for (boolean last : new boolean[] {false, true}) {
      assertSame(deduped(deduped(all, 2, last), 1, !last), 3 << 18, false);
    }
  }

  /** A plan of four operators that all spill. */
  private static PlanNode chain(List<Batch> rows, RowStep between) {
    PlanNode once =
        new PlanNode.Deduplicate(
            scan(rows), new int[] {0, 2}, List.of(SortKey.of(4, false)), true, "op");
    List<Schema.Field> fields = new ArrayList<>(TABLE.fields());
    TABLE.fields().forEach(f -> fields.add(new Schema.Field("r" + f.name(), f.type())));
    PlanNode joined =
        new PlanNode.Join(
            new PlanNode.Apply(once, between, TABLE, "op"),
            scan(rows),
            JoinKind.LEFT,
            new int[] {2},
            new int[] {2},
            Optional.empty(),
            new Schema(fields),
            "op");
    PlanNode sorted = new PlanNode.Sort(joined, List.of(SortKey.of(4, false)), 0, -1, "op");
    return new PlanNode.Aggregate(
        sorted,
        new int[] {2},
        List.of(new AggregateCall(AggregateFunction.COUNT, -1, false, -1, Type.BIGINT)),
        Schema.of(TABLE.field(2), new Schema.Field("c", Type.BIGINT)),
        "op");
  }

  /** Ends a spilling chain in some way, and looks at what it leaves. */
  private static Optional<Throwable> endedBy(List<Batch> rows, CancelToken cancel, RowStep between)
      throws InterruptedException {
    MemoryPool pool = MemoryPool.root("test", 1 << 20);
    Scratch scratch = Scratch.temporary(1L << 32);
    StepTally tally = new StepTally("op", "test");
    Throwable[] thrown = new Throwable[1];
    Thread run =
        new Thread(
            () -> {
              Executor executor =
                  LivePlans.executor(new ExecutionContext(pool, scratch, cancel, 3), tally);
              try {
                executor.run(chain(rows, between), worker -> batch -> {}, "op");
              } catch (RuntimeException e) {
                thrown[0] = e;
              }
            });
    run.start();
    run.join(20_000);
    assertFalse(run.isAlive(), "it ends");
    assertEquals(0, pool.usedBytes(), "memory");
    assertEquals(0, scratch.usedBytes(), "scratch");
    assertTrue(
        Thread.getAllStackTraces().keySet().stream()
            .noneMatch(t -> t.getName().startsWith("yardage-worker")),
        "workers");
    return Optional.ofNullable(thrown[0]);
  }

  @Test
  void aCancelAtAnyMomentLeavesNothing() throws InterruptedException {
    List<Batch> rows = table(SEED, 10_000, 5_000, 0);
    RowStep asIs = LivePlans.step((tally, next) -> next);
    SplittableRandom random = new SplittableRandom(SEED);
    assertEquals(Optional.empty(), endedBy(rows, new CancelToken(), asIs), "it runs at all");
    int cancelled = 0;
    for (int round = 0; round < 25; round++) {
      CancelToken cancel = new CancelToken();
      long wait = random.nextLong(250_000_000);
      Thread other =
          new Thread(
              () -> {
                LockSupport.parkNanos(wait);
                cancel.cancel("enough");
              });
      other.start();
      Optional<Throwable> end = endedBy(rows, cancel, asIs);
      other.join();
      end.ifPresent(e -> assertInstanceOf(CancelledException.class, e));
      cancelled += end.isPresent() ? 1 : 0;
    }
    assertTrue(cancelled > 3, cancelled + " were cancelled in time");
  }

  @Test
  void anOperatorThatFailsLeavesNothing() throws InterruptedException {
    List<Batch> rows = table(SEED, 10_000, 5_000, 0);
    for (int after : new int[] {1, 9, 40}) {
      AtomicInteger left = new AtomicInteger(after);
      RowStep failing =
          LivePlans.step(
              (tally, next) ->
                  batch -> {
                    if (left.decrementAndGet() == 0) {
                      throw new IllegalStateException("a loom stopped");
                    }
                    next.accept(batch);
                  });
      Throwable end = endedBy(rows, new CancelToken(), failing).orElseThrow();
      assertEquals("a loom stopped", ((StepFailedException) end).reason().getMessage());
    }
  }

  @Test
  void aFullScratchIsToldAndLeavesNothing() {
    List<Batch> rows = table(SEED, ROWS, 50, 20);
    MemoryPool pool = MemoryPool.root("test", 1 << 20);
    Scratch scratch = Scratch.temporary(100_000);
    Executor executor =
        LivePlans.executor(new ExecutionContext(pool, scratch, new CancelToken(), 2));
    StepFailedException full =
        assertThrows(
            StepFailedException.class,
            () ->
                executor.collect(
                    new PlanNode.Sort(
                        scan(rows), List.of(SortKey.of(0, false)), 0, -1, "order-all"),
                    "order-all"));
    assertTrue(
        full.reason().getMessage().contains("Step [order-all] needs more than the 100 kB"),
        full.reason().getMessage());

    assertEquals(0, pool.usedBytes());
    assertEquals(0, scratch.usedBytes());
  }
}
