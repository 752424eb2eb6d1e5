package yardage.core.plan;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.CancelToken;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.Scratch;
import yardage.core.exec.StepTally;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.task.TaskKinds;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/** How plans are cut into stages, and that stages are as good as their bytes. */
class StagesTest {
  private static final RecordCodec CODEC = TaskKinds.codec(TaskKinds.ALL);

  private static final Schema ROLLS =
      Schema.of(
          new Schema.Field("roll", Type.VARCHAR),
          new Schema.Field("loom", Type.INT),
          new Schema.Field("metres", Type.decimal(9, 2)));
  private static final Schema LOOMS =
      Schema.of(new Schema.Field("loom", Type.INT), new Schema.Field("hall", Type.VARCHAR));

  private static Relation saidToHave(double rows, Relation of) {
    return new Relation() {
      @Override
      public Schema schema() {
        return of.schema();
      }

      @Override
      public double rowCount() {
        return rows;
      }

      @Override
      public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
        return of.read(columns, predicates, step);
      }
    };
  }

  private static PlanNode plan(String sql) {
    Map<String, Relation> relations = new LinkedHashMap<>();
    relations.put("rolls", saidToHave(1_000, Rows.relation(ROLLS, List.of(), 10)));
    relations.put("looms", Rows.relation(LOOMS, List.of(), 10));
    PlanSession session = new PlanSession();
    var planned = session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(relations));
    return session.physical().plan(session.optimize(planned.rel()), "query");
  }

  private static List<Stage> stages(PlanNode... plans) {
    List<StageCutter.Root> roots = new ArrayList<>();
    for (PlanNode p : plans) {
      roots.add(new StageCutter.Root(p, new Output.Handed("query", p.schema())));
    }
    return StageCutter.cut(roots);
  }

  @Test
  void everyNodeThatTakesAllRowsEndsAStage() {
    List<Stage> stages =
        stages(
            plan(
                """
                select hall, sum(metres) from rolls join looms using (loom)
                where upper(roll) like 'R%' group by hall order by hall limit 3
                """));

    assertEquals(
        """
        stage 0
          read 0 batches of given rows [query]
          → right side of a join, inner, ($1) = ($0) [query]
        stage 1
          read 0 batches of given rows, $0 with Like(Mapped(UPPER, $0), 'R%', (true, false)), $1 among key 0 of stage 0 [query]
            filter Like(Mapped(UPPER, $0), 'R%', (true, false))
            join with stage 0
            project $4, $2
          then rows of stage 0 [query]
            project $4, $2
          → groups by ($0): SUM($1) [query]
        stage 2
          rows of stage 1 [query]
          → sorted by ($0), 3 at most [query]
        stage 3
          rows of stage 2 [query]
          → handed over [query]
        """,
        StageText.of(stages));
    assertEquals(List.of(), List.copyOf(stages.get(0).needs()));
    assertEquals(List.of(0), List.copyOf(stages.get(1).needs()));
  }

  /** What the scans of a query seek, a line for each stage that scans. */
  private static String sought(String sql) {
    return StageText.of(stages(plan(sql)))
        .lines()
        .filter(l -> l.startsWith("stage") || l.contains("read 0"))
        .map(l -> l.replaceAll(" *read 0 batches of given rows,?| \\[query]", "").strip())
        .collect(Collectors.joining("\n"));
  }

  @Test
  void whatIsSoughtIsHandedDownToTheScans() {
    String longest = "(select loom, max(metres) m from rolls group by loom)";
    assertEquals(
        """
        stage 0
        $1 with Comparison(EQ, $0, 'A')
        stage 1
        $0 among key 0 of stage 0
        stage 2""",
        sought(
            "select hall, m from looms join %s using (loom) where hall = 'A'".formatted(longest)),
        "through groups");
    assertEquals(
        """
        stage 0
        $1 with Comparison(EQ, $0, 'A')
        stage 1
        $0 among key 0 of stage 0
        stage 2
        $1 among key 0 of stage 0, $1 among key 0 of stage 1""",
        sought(
            """
            select hall from looms l
            where exists (select 1 from rolls r where r.loom = l.loom and r.roll > l.hall)
              and l.loom in (select loom from looms where hall = 'A')
            """),
        "to the other side");
    for (String all :
        List.of(
            "select hall, roll from rolls full join looms on rolls.loom = looms.loom",
            "select * from (select loom, sum(metres) over (partition by roll) from rolls) join looms using (loom)")) {
      assertFalse(sought(all).contains("$"), all);
    }
    assertEquals(
        """
        stage 0

        stage 1
        $0 among the first, descending
        stage 2""",
        sought(
            "select hall, roll from (select * from rolls order by roll desc limit 3) join looms using (loom)"),
        "of those alone that are cut");
  }

  @Test
  void aStepThatSeveralReadIsOneStage() {
    PlanNode kept = new PlanNode.Kept(plan("select * from rolls"), "rolls", "rolls");

    List<Stage> stages = stages(new PlanNode.Union(List.of(kept, kept), ROLLS), kept);

    assertEquals(
        """
        stage 0
          read 0 batches of given rows [query]
          → kept as rolls [rolls]
        stage 1
          rows of stage 0 [rolls]
          rows of stage 0 [rolls]
          → handed over [query]
        stage 2
          rows of stage 0 [rolls]
          → handed over [query]
        """,
        StageText.of(stages));
  }

  @Test
  void aStageIsTheSameBehindItsBytes() {
    for (Stage stage : stages(plan("select roll, count(*) over (partition by loom) from rolls"))) {
      byte[] bytes = CODEC.encode(stage, Stage.class);
      Stage again = CODEC.decode(bytes, Stage.class);

      assertArrayEquals(bytes, CODEC.encode(again, Stage.class));
      assertEquals(StageText.of(List.of(stage)), StageText.of(List.of(again)));
      assertEquals("Stage", CODEC.json(again).get("kind").asText());
    }
  }

  @Test
  void damagedBytesAreRefusedAndMakeNothing() {
    byte[] bytes =
        CODEC.encode(
            stages(plan("select loom, sum(metres) from rolls where roll = 'x' group by loom"))
                .get(0),
            Stage.class);
    SplittableRandom random = new SplittableRandom(5);
    int refused = 0;
    for (int round = 0; round < 5_000; round++) {
      byte[] damaged = bytes.clone();
      for (int n = random.nextInt(1, 4); n > 0; n--) {
        damaged[random.nextInt(damaged.length)] = (byte) random.nextInt(256);
      }
      int length = random.nextInt(4) == 0 ? random.nextInt(damaged.length) : damaged.length;
      try {
        CODEC.decode(java.util.Arrays.copyOf(damaged, length), Stage.class);
      } catch (IllegalArgumentException | ArithmeticException e) {
        // Anything else, such as memory that runs out, fails the test.
        refused++;
      }
    }
    assertTrue(refused > 2_000, refused + " were refused");
  }

  @Test
  void aPlanThatCannotBeIsNotMade() {
    PlanNode rolls = plan("select * from rolls");

    assertThrows(
        IllegalArgumentException.class,
        () -> new PlanNode.Deduplicate(rolls, new int[] {3}, List.of(), false, "dedupe"));
    assertThrows(
        IllegalArgumentException.class, () -> new PlanNode.Project(rolls, List.of(), ROLLS));
    assertThrows(
        IllegalArgumentException.class,
        () -> new PlanNode.Aggregate(rolls, new int[] {0}, List.of(), ROLLS, "group"));
  }

  @Test
  void whatAStageHoldsIsGivenBackAfterItsLastReader() {
    ExecutionContext context =
        new ExecutionContext(
            MemoryPool.root("test", 64L << 20), Scratch.temporary(1 << 20), new CancelToken(), 1);
    List<List<Object>> rows = new ArrayList<>();
    for (int i = 0; i < 20_000; i++) {
      rows.add(List.of("R" + i, i, new java.math.BigDecimal("1.50")));
    }
    PlanNode kept =
        new PlanNode.Kept(
            Rows.relation(ROLLS, rows, 1_000).read(new int[] {0, 1, 2}, List.of(), "rolls"),
            "rolls",
            "rolls");
    List<Long> used = new ArrayList<>();
    Executor executor = LivePlans.executor(context, new StepTally("end", "test"));

    executor.run(
        List.of(kept, kept, plan("select * from looms")),
        new yardage.core.exec.Sink() {
          @Override
          public yardage.core.exec.BatchConsumer consumer(yardage.core.exec.Worker worker) {
            return batch -> {};
          }

          @Override
          public void finish() {
            used.add(context.memory().usedBytes());
          }
        },
        "end");

    assertTrue(used.get(0) > 100_000 && used.get(1) > 100_000, used.toString());
    assertEquals(0, used.get(2), "the last plan does not need them");
  }
}
