package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertAll;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import java.util.stream.Stream;
import org.apache.calcite.sql.SqlOperator;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.function.Executable;
import yardage.core.column.Values;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.StepTally;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/**
 * The page of functions. Where a change of it is meant, {@code -Dyardage.functions.write=true}
 * writes it again.
 */
class FunctionReferenceTest {
  private static final Path PAGE = Path.of("../docs/functions.md");

  private static Object value(String sql) {
    PlanSession session = new PlanSession();
    PlanSession.Planned planned =
        session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(Map.of()));
    return Rows.rows(
            LivePlans.executor(ExecutionContext.standalone(1 << 28), new StepTally("query", "sql"))
                .collect(
                    session.physical().plan(session.optimize(planned.rel()), "query"), "query"))
        .get(0)
        .get(0);
  }

  @Test
  void everyExampleGivesWhatThePageSays() {
    assertAll(
        FunctionReference.groups().entrySet().stream()
            .flatMap(
                g ->
                    g.getValue().stream()
                        .map(
                            e ->
                                (Executable)
                                    () -> {
                                      Object v = value(FunctionReference.query(g.getKey(), e));
                                      assertEquals(
                                          e.gives(),
                                          v == null
                                              ? "null"
                                              : v instanceof java.util.List<?> l
                                                  ? l.toString()
                                                  : Values.text(v),
                                          e.example());
                                    })));
  }

  @Test
  void thePageIsMadeFromTheDescriptions() throws IOException {
    if (Boolean.getBoolean("yardage.functions.write")) {
      Files.writeString(PAGE, FunctionReference.markdown());
    }
    assertEquals(Files.readString(PAGE), FunctionReference.markdown());
  }

  @Test
  void everyFunctionOfOursIsOnThePage() {
    String page = FunctionReference.markdown();
    Stream.concat(ScalarFunctions.operators().stream(), NestedFunctions.ALL.stream())
        .map(SqlOperator::getName)
        .forEach(n -> assertTrue(page.matches("(?s).*\\b" + n + "\\b.*"), n));
  }
}
