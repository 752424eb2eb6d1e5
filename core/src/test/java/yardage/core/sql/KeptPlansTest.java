package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.ReadCache;
import yardage.core.plan.PlanNode;

/** A plan is made again when anything that it rests on is another. */
class KeptPlansTest {
  private final MemoryPool memory = MemoryPool.root("all", 1 << 20);
  private final KeptPlans plans = new KeptPlans(ReadCache.within(memory, 1 << 20));
  private final Map<String, String> states = new HashMap<>(Map.of("t.rolls", "1", "t.looms", "1"));
  private int made;

  /** How many plans it takes to ask four times. */
  private int ask(KeptPlans.Question question, Optional<List<String>> reads) {
    int before = made;
    for (int i = 0; i < 4; i++) {
      plans.plan(question, table -> Optional.ofNullable(states.get(table)), () -> make(reads));
    }
    return made - before;
  }

  private KeptPlans.Made make(Optional<List<String>> reads) {
    made++;
    PlanSession session = new PlanSession();
    PlanNode plan =
        session
            .physical()
            .plan(
                session
                    .plan(session.parseQuery("values 1", 1, 1), new PlanSession.Scope(Map.of()))
                    .rel(),
                "query");
    Optional<Map<String, String>> of =
        reads.map(
            tables -> {
              Map<String, String> out = new HashMap<>();
              tables.forEach(t -> out.put(t, states.get(t)));
              return out;
            });
    return new KeptPlans.Made(plan, of);
  }

  private static KeptPlans.Question question(String sql, Map<String, Optional<String>> given) {
    return new KeptPlans.Question(sql, given, List.of("view: v"));
  }

  @Test
  void aPlanIsMadeAgainWhenWhatItReadsChanged() {
    KeptPlans.Question rolls = question("select 1 from t.rolls", Map.of());
    Optional<List<String>> reads = Optional.of(List.of("t.rolls"));
    assertEquals(2, ask(rolls, reads), "what is asked for twice is kept");
    assertEquals(0, ask(rolls, reads));
    states.put("t.looms", "2");
    assertEquals(0, ask(rolls, reads), "another table");
    states.put("t.rolls", "2");
    assertEquals(2, ask(rolls, reads));
    states.remove("t.rolls");
    assertEquals(4, ask(rolls, Optional.empty()), "a table that is gone is told of each time");
    states.put("t.rolls", "1");
    assertEquals(0, ask(rolls, reads), "as it was, it has the plan of then");
    KeptPlans.Question other =
        new KeptPlans.Question(rolls.sql(), rolls.given(), List.of("view: w"));
    assertEquals(2, ask(other, reads), "a view means something else");
    assertEquals(2, ask(question(rolls.sql(), Map.of("a", Optional.of("1"))), reads));
    assertEquals(2, ask(question(rolls.sql(), Map.of("a", Optional.empty())), reads));
  }

  @Test
  void whatMayChangeByItselfIsPlannedEachTime() {
    assertEquals(4, ask(question("select current_date", Map.of()), Optional.empty()));
    assertEquals(4, ask(question("x".repeat(1 << 17), Map.of()), Optional.of(List.of("t.rolls"))));
    assertEquals(0, memory.usedBytes(), "nothing is kept of these");
  }

  @Test
  void plansGoWhenTheirMemoryIsNeeded() {
    KeptPlans.Question rolls = question("select 1 from t.rolls", Map.of());
    Optional<List<String>> reads = Optional.of(List.of("t.rolls"));
    ask(rolls, reads);
    memory.tryReserve(memory.limitBytes());
    memory.release(memory.limitBytes());
    assertEquals(0, memory.usedBytes());
    assertEquals(1, ask(rolls, reads), "it was asked for before");
  }
}
