package yardage.core.testing;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Collectors;
import yardage.core.exec.*;
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
    return SOURCES.get(((Live) what).number());
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
