package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Set;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.plan.Input;
import yardage.core.plan.Output;
import yardage.core.plan.Stage;

/** When stages run, and what the end of one means to the others. */
class StageGraphTest {
  private static final Schema ONE = Schema.of(new Schema.Field("n", Type.INT));

  private final List<String> log = Collections.synchronizedList(new ArrayList<>());

  private static Stage stage(int id, int... needs) {
    List<Stage.Chain> chains = new ArrayList<>();
    for (int need : needs) {
      chains.add(new Stage.Chain("s", new Input.Rows(need), List.of()));
    }
    return new Stage(id, List.of(chains), new Output.Handed("s", ONE));
  }

  private interface Body {
    void run(int stage, CancelToken cancel) throws InterruptedException;
  }

  private void run(List<Stage> stages, ExecutionContext context, Body body) {
    new StageGraph(
            stages,
            context,
            new StageGraph.Work() {
              @Override
              public void begins(List<Stage> all) {}

              @Override
              public void run(Stage stage, ExecutionContext part) {
                try {
                  body.run(stage.id(), part.cancel());
                } catch (InterruptedException e) {
                  throw new AssertionError(e);
                }
              }

              @Override
              public void over(Stage stage, Set<Integer> neededStill) {
                log.add(stage.id() + " " + neededStill);
              }
            })
        .run();
  }

  private static ExecutionContext context(int workers) {
    return new ExecutionContext(
        MemoryPool.root("test", 1 << 20), Scratch.temporary(1), new CancelToken(), workers);
  }

  @Test
  void independentStagesRunAtTheSameTime() {
    CountDownLatch both = new CountDownLatch(2);

    run(
        List.of(stage(0), stage(1), stage(2, 0, 1)),
        context(2),
        (id, cancel) -> {
          if (id < 2) {
            both.countDown();
            assertTrue(both.await(10, TimeUnit.SECONDS), "the other one runs too");
          } else {
            assertEquals(2, log.size(), "what it needs is over");
          }
        });

    assertEquals("2 []", log.get(2));
  }

  @Test
  void oneWorkerTakesThemOneByOne() {
    String caller = Thread.currentThread().getName();

    run(
        List.of(stage(0), stage(1), stage(2, 1), stage(3, 0)),
        context(1),
        (id, cancel) -> assertEquals(caller, Thread.currentThread().getName()));

    assertEquals(List.of("0 [0, 1]", "1 [0, 1]", "2 [0]", "3 []"), log);
  }

  @Test
  void aFailureStopsTheOthersAndIsWhatIsTold() {
    CountDownLatch begun = new CountDownLatch(1);
    ExecutionContext context = context(2);

    IllegalStateException failed =
        assertThrows(
            IllegalStateException.class,
            () ->
                run(
                    List.of(stage(0), stage(1), stage(2, 0)),
                    context,
                    (id, cancel) -> {
                      if (id == 0) {
                        assertTrue(begun.await(10, TimeUnit.SECONDS));
                        throw new IllegalStateException("a loom stopped");
                      }
                      begun.countDown();
                      while (true) {
                        cancel.check();
                        Thread.sleep(1);
                      }
                    }));

    assertEquals("a loom stopped", failed.getMessage());
    assertTrue(!context.cancel().isCancelled(), "the run itself was not cancelled");
    assertTrue(
        Thread.getAllStackTraces().keySet().stream()
            .noneMatch(t -> t.getName().startsWith("yardage-stage")));
  }

  @Test
  void aSecondStageWaitsWhileMemoryIsShort() {
    ExecutionContext context = context(2);
    assertTrue(context.memory().tryReserve(600_000));
    List<Integer> atWork = Collections.synchronizedList(new ArrayList<>());

    run(
        List.of(stage(0), stage(1)),
        context,
        (id, cancel) -> {
          atWork.add(id);
          Thread.sleep(100);
          assertEquals(1, atWork.size());
          atWork.remove((Integer) id);
        });

    assertEquals(2, log.size());
  }
}
