package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;

/** What is computed once, and what is not. */
class SharedPartsTest {
  private record Known(Schema schema, double rowCount) implements Relation {
    @Override
    public OptionalDouble valueCount(int column) {
      return column == 0 ? OptionalDouble.of(50) : OptionalDouble.empty();
    }

    @Override
    public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
      throw new UnsupportedOperationException();
    }
  }

  private static final Schema ROLLS =
      new Schema(
          List.of(
              new Schema.Field("loom", Type.INT),
              new Schema.Field("metres", Type.decimal(9, 2)),
              new Schema.Field("note", Type.VARCHAR)));

  private static final Map<String, Relation> TABLES =
      Map.of("rolls", new Known(ROLLS, 50_000), "few", new Known(ROLLS, 60));

  private static String plan(String sql) {
    PlanSession session = new PlanSession();
    StringBuilder out = new StringBuilder();
    session
        .explain(session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(TABLES)).rel())
        .forEach(line -> out.append(line.text()).append('\n'));
    return out.toString();
  }

  private static int times(String text, String what) {
    return text.split(what, -1).length - 1;
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = ';',
      value = {
        // Read twice, computed once.
        "with s as (select loom, sum(metres) as m from rolls group by loom) select * from s where m = (select max(m) from s); 1; true",
        "with s as (select loom, sum(metres) as m from rolls group by loom) select loom from s union all select loom from s union all select loom from s; 1; true",
        "select r.loom, count(*) from rolls r join few f on f.loom = r.loom where f.note = 'x' and r.note = 'y' group by r.loom having count(*) > (select count(*) * 0.1 from rolls r join few f on f.loom = r.loom where f.note = 'x' and r.note = 'y'); 2; true",
        // Other rows, or conditions that are asked of each before it is grouped.
        "with s as (select loom, sum(metres) as m from rolls group by loom) select a.m, b.m from s a, s b where a.loom = 1 and b.loom = 2; 2; false",
        "select (select sum(metres) from rolls where note = 'a'), (select sum(metres) from rolls where note = 'b') from few; 3; false",
        // As many rows as are read, few rows, and rows that are others each time.
        "with s as (select loom, metres, note, count(*) as n from rolls group by loom, metres, note) select count(*) from s a join s b on a.note = b.note; 2; false",
        "with s as (select loom, sum(metres) as m from few group by loom) select * from s where m = (select max(m) from s); 2; false",
        "with s as (select loom, count(*) as n from rolls tablesample bernoulli(10) group by loom) select * from s where n = (select max(n) from s); 2; false",
      })
  void whatIsReadTwiceIsComputedOnce(String sql, int reads, boolean once) {
    String plan = plan(sql);
    assertEquals(reads, times(plan, "read (rolls|few),"), plan);
    assertEquals(once, plan.contains("which is computed once"), plan);
  }
}
