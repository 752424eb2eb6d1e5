package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;
import yardage.core.testing.LivePlans;
import yardage.core.testing.RandomColumns;

/** A result that is kept on disk has the rows of one that is collected, page by page. */
class KeptRowsTest {
  private static final SplittableRandom RANDOM =
      new SplittableRandom(Long.getLong("yardage.seed", 17));

  private final CancelToken cancel = new CancelToken();
  private Scratch scratch = Scratch.temporary(1L << 30);

  private ExecutionContext context() {
    return new ExecutionContext(MemoryPool.root("test", 1 << 28), scratch, cancel, 2);
  }

  private Executor executor() {
    StepTally tally = new StepTally("query", "sql");
    return LivePlans.executor(context(), n -> tally);
  }

  /** Batches of all types and odd sizes. */
  private static PlanNode rows(int batches) {
    List<Schema.Field> fields = new ArrayList<>();
    for (Type type : RandomColumns.PLAIN) {
      fields.add(new Schema.Field("c" + fields.size(), type, true));
    }
    RandomColumns random = new RandomColumns(RANDOM.nextLong());
    List<Batch> all = new ArrayList<>();
    for (int b = 0; b < batches; b++) {
      int n = RANDOM.nextInt(1, 5_000);
      List<Column> columns = fields.stream().map(f -> random.column(f.type(), n)).toList();
      all.add(new Batch(columns, n, 0));
    }
    Schema schema = new Schema(fields);
    return new PlanNode.Scan(GivenRows.of(schema, all), schema, "query");
  }

  private List<List<Object>> collected(PlanNode plan) {
    return Batch.rows(executor().collect(plan, "query"));
  }

  @RepeatedTest(6)
  void hasTheRowsOfTheResultInTheirOrder() {
    PlanNode plan = rows(RANDOM.nextInt(0, 7));
    List<List<Object>> expected = collected(plan);
    long most = RANDOM.nextBoolean() ? Long.MAX_VALUE : RANDOM.nextInt(1, 9_000);
    int kept = (int) Math.min(most, expected.size());
    try (KeptRows rows = executor().keep(plan, "query", most)) {
      assertEquals(kept, rows.rowCount());
      assertEquals(kept < expected.size(), rows.isTruncated());
      for (int page = 0; page < 30; page++) {
        int from = RANDOM.nextInt(0, kept + 10);
        int to = Math.min(kept, from + RANDOM.nextInt(0, 6_000));
        assertEquals(
            from >= to ? List.of() : expected.subList(from, to),
            rows.rows(from, Math.max(0, to - from)));
      }
      long[] nulls = rows.matching(r -> r.get(0) == null, context());
      assertEquals(
          expected.subList(0, kept).stream().filter(r -> r.get(0) == null).toList(),
          rows.rows(nulls, 0, kept));
    }
    assertEquals(0, scratch.usedBytes());
  }

  @Test
  void aDiskThatIsFullIsToldAndNothingStays() {
    scratch = Scratch.temporary(10_000);
    StepFailedException e =
        assertThrows(StepFailedException.class, () -> executor().keep(rows(20), "query", 1 << 20));
    assertTrue(e.getMessage().contains("may keep on disk"), e.getMessage());
    assertEquals(0, scratch.usedBytes());
  }

  @Test
  void lookingForRowsIsCancelledAndAClosedResultCannotBeRead() {
    KeptRows rows = executor().keep(rows(3), "query", 100_000);
    assertFalse(rows.rows(0, 1).isEmpty());
    cancel.cancel("enough");
    assertThrows(CancelledException.class, () -> rows.matching(r -> true, context()));
    rows.close();
    rows.close();
    assertThrows(RuntimeException.class, () -> rows.rows(0, 1));
    assertEquals(0, scratch.usedBytes());
  }
}
