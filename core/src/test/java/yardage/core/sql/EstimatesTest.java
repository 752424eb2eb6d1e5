package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;
import org.apache.calcite.rel.RelNode;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.GivenRows;
import yardage.core.plan.Output;
import yardage.core.plan.PlanNode;
import yardage.core.plan.StageCutter;
import yardage.core.plan.StageText;

/** How many rows are expected, of tables that say how many values they have. */
class EstimatesTest {
  private static final Map<String, Relation> TABLES =
      Map.of(
          "rolls",
          table(1_000_000, List.of("roll", "loom", "hall", "metres"), 1_000_000, 2_000, 40, -1),
          "looms",
          table(2_000, List.of("loom", "mill", "name", "town"), 2_000, 8, -1, -1));

  /**
   * @param values how many each column has; -1 where nothing is known
   */
  private static Relation table(double rows, List<String> names, double... values) {
    Schema schema = new Schema(names.stream().map(n -> new Schema.Field(n, Type.INT)).toList());
    return new Relation() {
      @Override
      public Schema schema() {
        return schema;
      }

      @Override
      public double rowCount() {
        return rows;
      }

      @Override
      public OptionalDouble valueCount(int column) {
        return values[column] < 0 ? OptionalDouble.empty() : OptionalDouble.of(values[column]);
      }

      @Override
      public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
        return new PlanNode.Scan(
            GivenRows.of(schema.project(columns), List.of()), schema.project(columns), step);
      }
    };
  }

  private static double rows(String sql) {
    PlanSession session = new PlanSession();
    RelNode rel = session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(TABLES)).rel();
    return new Estimates(rel.getCluster().getRexBuilder()).rows(session.optimize(rel));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "select * from rolls | 1000000",
        "select * from rolls where loom = 7 | 500",
        "select * from rolls where loom = loom | 950000",
        "select * from rolls where loom <> 7 | 999500",
        "select * from rolls where loom = 7 and hall = 3 | 12.5",
        "select * from rolls where hall in (1, 2) | 49375",
        "select * from rolls where metres is null | 50000",
        "select * from rolls where metres between 3 and 5 | 90000",
        "select * from rolls fetch first 20 rows only | 20",
        "select * from rolls r join looms l on r.loom = l.loom | 1000000",
        "select * from rolls r join looms l on r.loom = l.loom where l.mill = 3 | 125000",
        "select * from rolls r left join looms l on r.loom = l.loom and l.mill = 3 | 1000000",
        "select * from rolls where loom in (select loom from looms where mill = 3) | 125000",
        "select * from looms l where not exists (select 1 from rolls r where r.loom = l.loom) | 200",
        "select loom, sum(metres) from rolls group by loom | 2000",
        "select mill, hall, count(*) from rolls r join looms l on r.loom = l.loom group by mill, hall | 113.1",
        "select count(*) from rolls | 1",
        "select loom from rolls union all select loom from looms | 1002000",
      })
  void rowsAreExpectedAsTheTablesSay(String sql, double expected) {
    assertEquals(expected, rows(sql), expected / 1000, sql);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "select loom from looms l where exists (select 1 from rolls r where r.loom = l.loom and r.metres > l.town) | right semi",
        "select loom from looms l where not exists (select 1 from rolls r where r.loom = l.loom) | right anti",
        "select roll from rolls r where exists (select 1 from looms l where r.loom = l.loom and r.metres > l.town) | semi",
      })
  void theSmallerSideIsHeldOfSemiJoinsToo(String sql, String kind) {
    PlanSession session = new PlanSession();
    RelNode rel = session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(TABLES)).rel();
    PlanNode plan = session.physical().plan(session.optimize(rel), "query");
    String stages =
        StageText.of(
            StageCutter.cut(
                List.of(new StageCutter.Root(plan, new Output.Handed("query", plan.schema())))));
    assertTrue(stages.contains("side of a join, " + kind + ","), stages);
  }
}
