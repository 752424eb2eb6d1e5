package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import yardage.core.column.Batch;
import yardage.core.plan.GivenRows;
import yardage.core.plan.Output;
import yardage.core.plan.PlanNode;
import yardage.core.plan.StageCutter;
import yardage.core.plan.StageText;
import yardage.core.testing.LivePlans;
import yardage.core.testing.NaivePlans;
import yardage.core.testing.RandomPlans;
import yardage.core.testing.Rows;

/**
 * Random plans against an interpreter that takes them row by row: rows, what every step has let
 * out, and that its books balance; with much and with little memory. More of them: {@code
 * -Dyardage.plans=20000}, from another seed: {@code -Dyardage.seed=7}.
 */
@Tag("thorough")
class RandomPlansTest {
  private static final int PLANS = Integer.getInteger("yardage.plans", 1_500);
  private static final long SEED = Long.getLong("yardage.seed", 11);
  private static final long[] MEMORY = {1L << 28, 1L << 20, 1L << 18};

  /** What is wrong; empty when nothing is, or when there is nothing to compare. */
  private static Optional<String> wrong(PlanNode plan, long memoryBytes, int workers) {
    NaivePlans naive = new NaivePlans();
    List<List<Object>> expected;
    try {
      expected = naive.rows(plan);
    } catch (NaivePlans.TooManyException e) {
      return Optional.empty();
    }
    Map<String, StepTally> tallies = new ConcurrentHashMap<>();
    MemoryPool pool = MemoryPool.root("test", memoryBytes);
    Scratch scratch = Scratch.temporary(1L << 30);
    List<Batch> given = new ArrayList<>();
    try {
      LivePlans.executor(
              new ExecutionContext(pool, scratch, new CancelToken(), workers),
              step -> tallies.computeIfAbsent(step, s -> new StepTally(s, "")))
          .run(
              plan,
              worker ->
                  batch -> {
                    synchronized (given) {
                      given.add(batch.kept());
                    }
                  },
              "end");
    } catch (StepFailedException e) {
      // What cannot be spilled may need more than there is; that is told, and leaves nothing.
      return e.reason() instanceof MemoryExceededException && memoryBytes < MEMORY[0]
          ? left(pool, scratch)
          : Optional.of(e.toString());
    } catch (RuntimeException e) {
      return e instanceof MemoryExceededException && memoryBytes < MEMORY[0]
          ? left(pool, scratch)
          : Optional.of(e.toString());
    }
    List<String> ours = Rows.rows(given).stream().map(List::toString).sorted().toList();
    if (!ours.equals(expected.stream().map(List::toString).sorted().toList())) {
      return Optional.of("rows: %s instead of %s".formatted(few(ours), few(expected)));
    }
    for (Map.Entry<String, Long> e : new TreeMap<>(naive.rowsOut()).entrySet()) {
      Tally tally = tallies.get(e.getKey()).snapshot();
      if (tally.rowsOut() != e.getValue() || tally.imbalance() != 0) {
        return Optional.of("%d rows out wanted: %s".formatted(e.getValue(), tally));
      }
    }
    return left(pool, scratch);
  }

  private static Optional<String> left(MemoryPool pool, Scratch scratch) {
    return pool.usedBytes() == 0 && scratch.usedBytes() == 0
        ? Optional.empty()
        : Optional.of(
            "%d bytes of memory and %d of scratch are kept"
                .formatted(pool.usedBytes(), scratch.usedBytes()));
  }

  private static String few(List<?> rows) {
    return rows.size() + " rows " + rows.subList(0, Math.min(5, rows.size()));
  }

  /** The smallest part of the plan, over the fewest rows, that is wrong in the same setting. */
  private static PlanNode reduced(PlanNode plan, long memoryBytes, int workers) {
    PlanNode now = plan;
    boolean smaller = true;
    while (smaller) {
      smaller = false;
      for (PlanNode candidate : Reductions.of(now)) {
        if (wrong(candidate, memoryBytes, workers).isPresent()) {
          now = candidate;
          smaller = true;
          break;
        }
      }
    }
    return now;
  }

  private static String document(PlanNode plan) {
    StringBuilder out =
        new StringBuilder(
            StageText.of(
                StageCutter.cut(
                    List.of(new StageCutter.Root(plan, new Output.Handed("end", plan.schema()))))));
    for (PlanNode.Scan scan : Reductions.scans(plan)) {
      out.append("rows of [%s] %s\n".formatted(scan.step(), scan.schema().names()));
      GivenRows given = (GivenRows) scan.source();
      for (int f = 0; f < given.frames().size(); f++) {
        out.append("  batch ").append(Rows.rows(List.of(given.batch(f)))).append('\n');
      }
    }
    return out.toString();
  }

  @Test
  void rowsAndBooksAreThoseOfThePlainestWay() {
    SplittableRandom random = new SplittableRandom(SEED);
    for (int n = 0; n < PLANS; n++) {
      long seed = random.nextLong();
      PlanNode plan = new RandomPlans(seed).plan();
      long memory = MEMORY[random.nextInt(MEMORY.length)];
      int workers = 1 + random.nextInt(3);
      Optional<String> wrong = wrong(plan, memory, workers);
      if (wrong.isPresent()) {
        PlanNode small = reduced(plan, memory, workers);
        throw new AssertionError(
            "plan %d of seed %d, %,d bytes, %d workers: %s\nreduced: %s\n%s"
                .formatted(
                    n,
                    SEED,
                    memory,
                    workers,
                    wrong.get(),
                    wrong(small, memory, workers).orElse("(passes now and then)"),
                    document(small)));
      }
    }
  }

  /** The oracle is no use if nothing comes to it, or if it never disagrees. */
  @Test
  void plansAreWorthIt() {
    int rows = 0;
    int plans = 0;
    for (int seed = 0; seed < 200; seed++) {
      try {
        List<List<Object>> out = new NaivePlans().rows(new RandomPlans(seed).plan());
        rows += out.size();
        plans += out.isEmpty() ? 0 : 1;
      } catch (NaivePlans.TooManyException e) {
        // Some are too large.
      }
    }
    assertTrue(plans > 100 && rows > 10_000, plans + " plans give " + rows + " rows");
    assertEquals(Optional.empty(), wrong(new RandomPlans(1).plan(), 1L << 28, 1).map(w -> "wrong"));
  }
}
