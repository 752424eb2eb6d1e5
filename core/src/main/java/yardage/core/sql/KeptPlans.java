package yardage.core.sql;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.function.Supplier;
import yardage.core.exec.ReadCache;
import yardage.core.plan.PlanNode;

/**
 * Plans of queries that are asked again and again, as pages and reports do. A plan is found as long
 * as every table that it reads is in the same state, and memory for it is not needed elsewhere.
 * Thread-safe.
 */
public final class KeptPlans {
  /** A longer text is planned each time. */
  private static final int MOST_CHARACTERS = 1 << 16;

  /** What a plan takes for each character that asks for it, and beside that. */
  private static final int BYTES_A_CHARACTER = 64;

  private static final int BYTES_A_PLAN = 8_192;

  private final ReadCache cache;

  public KeptPlans(ReadCache cache) {
    this.cache = cache;
  }

  /**
   * What is asked.
   *
   * @param given values of parameters
   * @param definitions of all that names may stand for beside tables
   */
  public record Question(
      String sql, Map<String, Optional<String>> given, List<String> definitions) {
    public Question {
      given = Map.copyOf(given);
      definitions = List.copyOf(definitions);
    }

    private long bytes() {
      long given = given().values().stream().mapToLong(v -> v.map(String::length).orElse(0)).sum();
      return BYTES_A_PLAN + BYTES_A_CHARACTER * (sql.length() + given);
    }
  }

  /**
   * A plan as it was made.
   *
   * @param states of the tables that it reads, by name; empty when the same question may have
   *     another plan though no table changes
   */
  public record Made(PlanNode plan, Optional<Map<String, String>> states) {}

  /** Which tables a question reads. */
  private record TablesKey(Question question) implements ReadCache.Key<List<String>> {}

  private record PlanKey(Question question, Map<String, String> states)
      implements ReadCache.Key<Made> {}

  /**
   * The plan of a question.
   *
   * @param stateOf the state of a table by its name; empty when there is no such table
   * @param make plans it where no plan is kept
   */
  public Made plan(
      Question question, Function<String, Optional<String>> stateOf, Supplier<Made> make) {
    if (question.sql().length() > MOST_CHARACTERS) {
      return make.get();
    }
    TablesKey tablesKey = new TablesKey(question);
    Optional<Made> kept =
        cache
            .get(tablesKey)
            .flatMap(tables -> states(tables, stateOf))
            .flatMap(states -> cache.get(new PlanKey(question, states)));
    if (kept.isPresent()) {
      return kept.get();
    }
    Made made = make.get();
    made.states()
        .ifPresent(
            states -> {
              keep(tablesKey, new ArrayList<>(states.keySet()), question.bytes());
              keep(new PlanKey(question, Map.copyOf(states)), made, question.bytes());
            });
    return made;
  }

  private static Optional<Map<String, String>> states(
      List<String> tables, Function<String, Optional<String>> stateOf) {
    Map<String, String> out = new LinkedHashMap<>();
    for (String table : tables) {
      Optional<String> state = stateOf.apply(table);
      if (state.isEmpty()) {
        return Optional.empty();
      }
      out.put(table, state.get());
    }
    return Optional.of(out);
  }

  private <V> void keep(ReadCache.Key<V> key, V value, long bytes) {
    cache.slot(key, bytes).ifPresent(slot -> slot.fill(value));
  }
}
