package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.*;

import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Values;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.StepTally;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/** Looking into JSON by the paths of the standard, lax and strict. */
class JsonFunctionsTest {
  private static String value(String sql) {
    PlanSession session = new PlanSession();
    var rel = session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(Map.of())).rel();
    Object v =
        Rows.rows(
                LivePlans.executor(
                        ExecutionContext.standalone(1 << 28), new StepTally("query", "sql"))
                    .collect(session.physical().plan(session.optimize(rel), "query"), "query"))
            .get(0)
            .get(0);
    return v == null ? "null" : Values.text(v);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "{\"a\": {\"b\": 7}} | $.a.b | 7",
        "{\"a\": {\"b\": 7}} | lax $.a.b | 7",
        "{\"a\": 1.50} | $.a | 1.50",
        "{\"a\": 12345678901234567890.12} | $.a | 12345678901234567890.12",
        "{\"a\": true} | $.a | true",
        "{\"a\": \"Zwirn \\u00fc\"} | $.a | Zwirn ü",
        "{\"net weight\": 3} | $.\"net weight\" | 3",
        "{\"a\": null} | $.a | null",
        "{\"a\": 1} | $.b | null",
        "{\"a\": [1, 2, 3]} | $.a[1] | 2",
        "{\"a\": [1, 2, 3]} | $.a[last] | 3",
        "{\"a\": [1, 2, 3]} | $.a[9] | null",
        "{\"a\": [1, 2, 3]} | $.a[*] | null",
        "{\"a\": {\"b\": 7}} | $.a | null",
        "{\"a\": [{\"b\": 7}]} | $.a.b | 7",
        "{\"a\": [{\"b\": 7}]} | strict $.a.b | null",
        "{\"a\": 5} | $.a[0] | 5",
        "{\"a\": 5} | strict $.a[0] | null",
        "[[1, 2], [3]] | $[1][0] | 3",
        "7 | $ | 7",
        "{\"a\": 1} {\"a\": 2} | $.a | null",
        "no json | $.a | null",
        "{\"a\": 1, | $.a | null",
      })
  void aPlainValue(String json, String path, String expected) {
    assertEquals(
        expected, value("select json_value('%s', '%s')".formatted(json.replace("'", "''"), path)));
    boolean there =
        !expected.equals("null")
            || json.equals("{\"a\": null}")
            || path.matches("\\$\\.a(\\[\\*\\])?") && json.matches("\\{\"a\": [\\[{].*[\\]}]\\}");
    assertEquals(
        String.valueOf(there),
        value("select json_exists('%s', '%s')".formatted(json.replace("'", "''"), path)));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "json_value('{\"a\": \"12\"}', '$.a' returning int) + 1 | 13",
        "json_value('{\"a\": \"twelve\"}', '$.a' returning int) | null",
        "json_value('{}', '$.a' default 'none' on empty) | none",
        "json_value('{\"a\": []}', '$.a' default 'none' on empty null on error) | null",
        "json_value('{\"a\": []}', '$.a' default 'list' on error) | list",
        "json_value('[', '$.a' default 'broken' on error) | broken",
        "json_value(cast(null as varchar), '$.a' default 'x' on empty) | null",
        "json_query('{\"a\": {\"b\": 7.10}}', '$.a') | {\"b\":7.10}",
        "json_query('{\"a\": 7}', '$.a') | null",
        "json_query('{\"a\": 7}', '$.a' with conditional wrapper) | [7]",
        "json_query('{\"a\": [7]}', '$.a' with conditional wrapper) | [7]",
        "json_query('{\"a\": [7]}', '$.a' with wrapper) | [[7]]",
        "json_query('{\"a\": [{\"b\": 1}, {\"b\": 2}, {}]}', '$.a.b' with wrapper) | [1,2]",
        "json_query('{\"a\": {\"x\": 1, \"y\": 2}}', '$.a.*' with wrapper) | [1,2]",
        "json_exists(cast(null as varchar), '$.a') | null"
      })
  void whatIsGivenOtherwise(String expression, String expected) {
    assertEquals(expected, value("select " + expression));
  }

  @Test
  void aPathThatIsNoneIsRefusedBeforeAnythingIsRead() {
    for (String path :
        new String[] {"a.b", "$..a", "$.a[", "$.a[-1]", "$.a?(@.b > 1)", "$.1a", ""}) {
      SqlProblemException e =
          assertThrows(
              SqlProblemException.class,
              () -> value("select json_value('{}', '%s')".formatted(path)),
              path);
      assertEquals(
          "Invalid path [%s]: write $, names and places from 0, as in $.lots[0].kg or $.\"net weight\""
              .formatted(path),
          e.getMessage());
      assertEquals(8, e.problem().column(), "at the call");
    }
  }
}
