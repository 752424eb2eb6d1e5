package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.locks.LockSupport;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import yardage.core.column.Batch;
import yardage.core.column.LongColumn;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Arithmetic;
import yardage.core.expr.Comparison;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortSpec;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/** Reading stops once the first rows are there, and they are the first whoever reads how fast. */
class FirstRowsTest {
  private static final Schema NUMBERS = Schema.of(new Schema.Field("n", Type.BIGINT));
  private static final int BATCHES = 8;
  private static final int BATCH_ROWS = 50;

  private final AtomicInteger batches = new AtomicInteger();

  /** Numbers one after the other, in splits that are read at different speeds. */
  private PlanNode numbers(long from, int splits) {
    ScanSource source =
        () -> {
          List<ScanSource.Split> out = new ArrayList<>();
          for (int s = 0; s < splits; s++) {
            long first = from + (long) s * BATCHES * BATCH_ROWS;
            out.add((worker, to) -> read(first, to));
          }
          return out;
        };
    return new PlanNode.Scan(LivePlans.source(source), NUMBERS, "read");
  }

  private void read(long first, BatchConsumer to) {
    long nanos = ThreadLocalRandom.current().nextLong(400_000);
    for (int b = 0; b < BATCHES; b++) {
      LockSupport.parkNanos(nanos);
      batches.incrementAndGet();
      long start = first + (long) b * BATCH_ROWS;
      long[] values = LongStream.range(start, start + BATCH_ROWS).toArray();
      to.accept(
          new Batch(List.of(new LongColumn(Type.BIGINT, values, null, BATCH_ROWS)), BATCH_ROWS, b));
    }
  }

  /** One number of so many stays. */
  private static PlanNode each(PlanNode input, long of) {
    Expression rest =
        new Arithmetic(
            Arithmetic.Op.MOD,
            Expression.input(0, Type.BIGINT),
            Literal.of(Type.BIGINT, of),
            Type.BIGINT);
    return new PlanNode.Filter(
        input,
        new Comparison(Comparison.Op.EQ, rest, Literal.of(Type.BIGINT, 0L)),
        List.of(),
        "keep");
  }

  private static List<Long> first(PlanNode input, long offset, long fetch) {
    PlanNode plan =
        new PlanNode.Sort(
            input, new SortSpec("first", List.of(), offset, fetch, true, input.schema()));
    ExecutionContext context =
        new ExecutionContext(
            MemoryPool.root("test", 1L << 28), Scratch.temporary(1L << 30), new CancelToken(), 4);
    return Rows.rows(LivePlans.executor(context).collect(plan, "first")).stream()
        .map(row -> (Long) row.get(0))
        .toList();
  }

  @Test
  void theyAreTheFirstHoweverFastOthersAre() {
    SplittableRandom random = new SplittableRandom(Long.getLong("yardage.seed", 3));
    int all = 0;
    for (int i = 0; i < 40; i++) {
      int splits = 1 + random.nextInt(30);
      long of = 1 + random.nextInt(60);
      long offset = random.nextInt(3) * random.nextInt(200);
      long fetch = random.nextInt(4) * random.nextInt(60);
      long end = 2L * splits * BATCHES * BATCH_ROWS;
      PlanNode both =
          new PlanNode.Union(List.of(numbers(0, splits), numbers(end / 2, splits)), NUMBERS);
      List<Long> expected =
          LongStream.range(0, end)
              .filter(n -> n % of == 0)
              .skip(offset)
              .limit(fetch)
              .boxed()
              .toList();
      String what = "%d splits, each %d, from %d %d rows".formatted(splits, of, offset, fetch);
      assertEquals(expected, first(each(both, of), offset, fetch), what);
      all += 2 * splits * BATCHES;
    }
    assertTrue(batches.get() < all * 3 / 4, "%d of %d".formatted(batches.get(), all));
  }

  @Test
  void hardlyMoreIsReadThanIsWanted() {
    assertEquals(List.of(0L, 1L, 2L), first(numbers(0, 500), 0, 3));
    assertTrue(batches.get() <= 2 * 4, "read " + batches);
  }
}
