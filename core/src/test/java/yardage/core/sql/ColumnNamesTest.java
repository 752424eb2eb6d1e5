package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.List;
import java.util.Map;
import org.apache.calcite.sql.SqlNode;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.testing.Rows;

/** Columns of an answer are called by what is written for them. */
class ColumnNamesTest {
  private static Relation table(String columns) {
    return Rows.relation(
        new Schema(
            Type.parse("struct(" + columns + ")").parts().stream()
                .map(p -> new Schema.Field(p.name(), p.type()))
                .toList()),
        List.of(),
        1);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "select loom, count(*) from rolls group by loom | [loom, count(*)]",
        "select loom, count(*) from rolls join looms using (loom) group by loom | [loom, count(*)]",
        "select hall, loom from rolls natural join looms | [hall, loom]",
        "select count(*), count(*), metres + 1 as more from rolls group by metres | [count(*), count(*) (2), more]",
        "select r.loom, l.loom from rolls r join looms l on r.loom = l.loom | [loom, loom0]",
        "select * from rolls | [loom, metres]",
      })
  void areThoseOfTheList(String sql, String names) {
    PlanSession session = new PlanSession();
    SqlNode parsed = session.parseQuery(sql, 1, 1);
    ColumnNames written = ColumnNames.of(parsed, sql);
    PlanSession.Planned planned =
        session.plan(
            parsed,
            new PlanSession.Scope(
                Map.of(
                    "rolls", table("loom varchar, metres int"),
                    "looms", table("loom varchar, hall varchar"))));
    assertEquals(
        names,
        written
            .in(session.physical().plan(session.optimize(planned.rel()), "query"))
            .schema()
            .names()
            .toString());
  }
}
