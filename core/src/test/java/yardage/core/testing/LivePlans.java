package yardage.core.testing;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import yardage.core.column.Batch;
import yardage.core.column.BooleanColumn;
import yardage.core.column.Column;
import yardage.core.column.IntColumn;
import yardage.core.column.LongColumn;
import yardage.core.column.Values;
import yardage.core.exec.*;
import yardage.core.expr.ExpressionException;
import yardage.core.plan.ColumnCondition;
import yardage.core.plan.FirstValues;
import yardage.core.plan.KeyRange;
import yardage.core.plan.RecordCodec;
import yardage.core.plan.RowCondition;
import yardage.core.plan.RowDescription;
import yardage.core.plan.ScanDescription;
import yardage.core.plan.TargetDescription;
import yardage.core.task.TaskKinds;

/** Plans over sources and steps of a test's own, which plans name by number. */
public final class LivePlans implements Endpoints {
  private static final Map<Integer, ScanSource> SOURCES = new ConcurrentHashMap<>();
  private static final Map<Integer, RowWork> STEPS = new ConcurrentHashMap<>();
  private static final AtomicInteger NEXT = new AtomicInteger();
  private static final LivePlans ALL = new LivePlans();
  private static final RecordCodec CODEC = TaskKinds.codec(kinds());

  /** A source of this process. */
  public record Live(int number) implements ScanDescription {
    @Override
    public String words() {
      return "rows of a test";
    }
  }

  /** A step of this process. */
  public record LiveStep(int number) implements RowStep {
    @Override
    public BatchConsumer bind(StepTally tally, BatchConsumer next) {
      return STEPS.get(number).bind(tally, next);
    }
  }

  /** What a step does. */
  @FunctionalInterface
  public interface RowWork {
    BatchConsumer bind(StepTally tally, BatchConsumer next);
  }

  private LivePlans() {}

  private static Map<Class<?>, List<Class<?>>> kinds() {
    Map<Class<?>, List<Class<?>>> out = new HashMap<>(TaskKinds.ALL);
    out.merge(ScanDescription.class, List.of(Live.class), LivePlans::both);
    out.merge(RowDescription.class, List.of(LiveStep.class), LivePlans::both);
    return out;
  }

  private static List<Class<?>> both(List<Class<?>> a, List<Class<?>> b) {
    List<Class<?>> out = new ArrayList<>(a);
    out.addAll(b);
    return out;
  }

  public static ScanDescription source(ScanSource source) {
    int number = NEXT.incrementAndGet();
    SOURCES.put(number, source);
    return new Live(number);
  }

  public static RowStep step(RowWork work) {
    int number = NEXT.incrementAndGet();
    STEPS.put(number, work);
    return new LiveStep(number);
  }

  /** Counts steps in the given tallies, by their names, and other steps nowhere. */
  public static Executor executor(ExecutionContext context, StepTally... tallies) {
    Map<String, StepTally> byStep =
        new ConcurrentHashMap<>(
            Arrays.stream(tallies).collect(Collectors.toMap(StepTally::step, t -> t)));
    return new Executor(
        context, ALL, step -> byStep.computeIfAbsent(step, s -> new StepTally(s, "test")));
  }

  /** Counts steps in the tallies that are given for their names. */
  public static Executor executor(
      ExecutionContext context, java.util.function.Function<String, StepTally> tallies) {
    return new Executor(context, ALL, tallies);
  }

  @Override
  public ScanSource source(ScanDescription what, List<RowCondition> counting, StepTally tally) {
    ScanSource source = SOURCES.get(((Live) what).number());
    return counting.isEmpty() ? source : onlyCounting(source, counting, tally);
  }

  /**
   * Leaves out every row that does not meet a condition, where files leave out those that cost
   * nothing: a condition that should not have come so far shows.
   */
  private static ScanSource onlyCounting(
      ScanSource source, List<RowCondition> counting, StepTally tally) {
    return new ScanSource() {
      @Override
      public List<Split> splits() {
        return source.splits().stream()
            .<Split>map(
                split ->
                    new Split() {
                      @Override
                      public void read(Worker worker, BatchConsumer out) {
                        split.read(worker, batch -> out.accept(counting(batch, counting, tally)));
                      }

                      @Override
                      public long place() {
                        return split.place();
                      }
                    })
            .toList();
      }

      @Override
      public int inputs() {
        return source.inputs();
      }
    };
  }

  private static Batch counting(Batch batch, List<RowCondition> counting, StepTally tally) {
    int[] rows =
        IntStream.range(0, batch.rowCount())
            .filter(r -> counting.stream().allMatch(c -> counts(c, batch.column(c.column()), r)))
            .toArray();
    // So that the books balance.
    tally.filtered.add(batch.rowCount() - rows.length);
    return batch.gather(rows, rows.length);
  }

  private static boolean counts(RowCondition condition, Column column, int row) {
    if (condition instanceof FirstValues first) {
      Optional<Column> last = first.reach().last();
      return last.isEmpty()
          || (column.isNull(row)
              ? first.reach().nullsFirst()
              : !first.reach().isBefore(Values.compare(last.get(), 0, column, row)));
    }
    if (condition instanceof KeyRange range) {
      long value =
          column.isNull(row)
              ? 0
              : column instanceof IntColumn i
                  ? i.values()[row]
                  : ((LongColumn) column).values()[row];
      return !column.isNull(row)
          && value >= ((Number) range.smallest()).longValue()
          && value <= ((Number) range.largest()).longValue()
          && range.which().map(keys -> keys.has(value)).orElse(true);
    }
    try {
      Batch one = new Batch(List.of(column.gather(new int[] {row}, 1)), 1, 0);
      BooleanColumn met = (BooleanColumn) ((ColumnCondition) condition).condition().evaluate(one);
      return !met.isNull(0) && met.values()[0] != 0;
    } catch (ExpressionException e) {
      return true;
    }
  }

  @Override
  public Sink target(TargetDescription what, StepTally tally, ExecutionContext context) {
    throw new UnsupportedOperationException();
  }

  @Override
  public RecordCodec codec() {
    return CODEC;
  }
}
