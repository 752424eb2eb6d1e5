package yardage.core.pipeline.insight;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeException;
import yardage.core.lake.LakeTable;
import yardage.core.pipeline.compile.StepTools;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.task.TaskEndpoints;

/**
 * What tells two states of a table apart: rows added and removed, and with a key rows changed. Only
 * files that one of the two has and the other has not are read; rows that were merely written again
 * cancel out. Rows are compared by the columns that both have.
 *
 * @param changedColumns how many changed rows have another value, by column; only with a key
 * @param columnsAdded columns that only the newer state has
 * @param examples at most as many of each kind as were asked for
 */
public record TableComparison(
    long added,
    long removed,
    long changed,
    Map<String, Long> changedColumns,
    List<String> columnsAdded,
    List<String> columnsRemoved,
    List<String> columns,
    List<Example> examples) {

  /**
   * A row that is not the same.
   *
   * @param kind added, removed, before or after; a changed row is two, one behind the other
   */
  public record Example(String kind, List<Object> values) {}

  /** Names in generated SQL that no column has. */
  private static final String SIDE = "yardage side";

  private static final String COUNT = "yardage count";

  /**
   * Compares.
   *
   * @param key columns whose values tell rows apart; empty to know only of added and removed rows
   * @throws LakeException when a key is no column of both, or is not unique among the rows that
   *     differ
   */
  public static TableComparison of(
      LakeTable older,
      LakeTable newer,
      List<String> key,
      int mostExamples,
      ExecutionContext context,
      Lake lake) {
    List<Schema.Field> both =
        newer.schema().fields().stream()
            .filter(f -> older.schema().indexOf(f.name()) >= 0)
            .toList();
    for (String k : key) {
      if (both.stream().noneMatch(f -> f.name().equalsIgnoreCase(k))) {
        throw new LakeException(
            "There is no column [%s] in both states of [%s]; there are %s"
                .formatted(k, newer.name(), both.stream().map(Schema.Field::name).toList()));
      }
    }
    return new Comparing(older, newer, both, key, context, lake).compare(mostExamples);
  }

  /** The work, with its queries. */
  private record Comparing(
      LakeTable older,
      LakeTable newer,
      List<Schema.Field> columns,
      List<String> key,
      ExecutionContext context,
      Lake lake) {

    TableComparison compare(int most) {
      long added = 0;
      long removed = 0;
      long changed = 0;
      Map<String, Long> byColumn = new LinkedHashMap<>();
      List<Example> examples = new ArrayList<>();
      if (key.isEmpty()) {
        List<Object> sums =
            one(
                "SELECT COALESCE(SUM(CASE WHEN %1$s > 0 THEN %1$s ELSE 0 END), 0), COALESCE(SUM(CASE WHEN %1$s < 0 THEN -%1$s ELSE 0 END), 0) FROM (%2$s) AS d"
                    .formatted(q(COUNT), differing()));
        added = number(sums.get(0));
        removed = number(sums.get(1));
        examples.addAll(rows("added", q(COUNT) + " > 0", most));
        examples.addAll(rows("removed", q(COUNT) + " < 0", most));
      } else {
        List<Object> sums =
            one(
                "SELECT COALESCE(SUM(CASE WHEN o = 0 THEN n ELSE 0 END), 0), COALESCE(SUM(CASE WHEN n = 0 THEN o ELSE 0 END), 0), COALESCE(SUM(CASE WHEN n > 0 AND o > 0 THEN 1 ELSE 0 END), 0), COALESCE(MAX(n), 0), COALESCE(MAX(o), 0) FROM (%s) AS k"
                    .formatted(byKey()));
        if (Math.max(number(sums.get(3)), number(sums.get(4))) > 1) {
          throw new LakeException(
              "Rows of [%s] cannot be compared by %s, since several rows have the same key; name more columns, or compare without a key"
                  .formatted(newer.name(), key));
        }
        added = number(sums.get(0));
        removed = number(sums.get(1));
        changed = number(sums.get(2));
        if (changed > 0) {
          List<Schema.Field> values = columns.stream().filter(f -> !isKey(f)).toList();
          List<Object> counts = one(changesByColumn(values));
          for (int i = 0; i < values.size(); i++) {
            if (number(counts.get(i)) > 0) {
              byColumn.put(values.get(i).name(), number(counts.get(i)));
            }
          }
        }
        examples.addAll(keyed("added", "n > 0 AND o = 0", false, most));
        examples.addAll(keyed("removed", "o > 0 AND n = 0", false, most));
        examples.addAll(keyed("", "n > 0 AND o > 0", true, most));
      }
      return new TableComparison(
          added,
          removed,
          changed,
          byColumn,
          only(newer, older),
          only(older, newer),
          columns.stream().map(Schema.Field::name).toList(),
          List.copyOf(examples));
    }

    private static List<String> only(LakeTable one, LakeTable other) {
      return one.schema().names().stream().filter(n -> other.schema().indexOf(n) < 0).toList();
    }

    private boolean isKey(Schema.Field f) {
      return key.stream().anyMatch(k -> k.equalsIgnoreCase(f.name()));
    }

    /** Nested values are compared as text. */
    private static String comparable(Schema.Field f) {
      return f.type().isNested() ? "JSON_TEXT(%1$s) AS %1$s".formatted(q(f.name())) : q(f.name());
    }

    /** Rows by how many more of them the newer state has. */
    private String differing() {
      String names = columns.stream().map(f -> q(f.name())).collect(Collectors.joining(", "));
      String select = columns.stream().map(Comparing::comparable).collect(Collectors.joining(", "));
      return "SELECT %s, SUM(%s) AS %s FROM (SELECT %s, 1 AS %s FROM newer UNION ALL SELECT %s, -1 AS %s FROM older) AS s GROUP BY %s HAVING SUM(%s) <> 0"
          .formatted(names, q(SIDE), q(COUNT), select, q(SIDE), select, q(SIDE), names, q(SIDE));
    }

    private String keys(String of) {
      return key.stream().map(k -> of + q(name(k))).collect(Collectors.joining(", "));
    }

    private String name(String k) {
      return columns.stream()
          .map(Schema.Field::name)
          .filter(n -> n.equalsIgnoreCase(k))
          .findFirst()
          .orElseThrow();
    }

    private String byKey() {
      return "SELECT %1$s, SUM(CASE WHEN %2$s > 0 THEN %2$s ELSE 0 END) AS n, SUM(CASE WHEN %2$s < 0 THEN -%2$s ELSE 0 END) AS o FROM (%3$s) AS d GROUP BY %1$s"
          .formatted(keys(""), q(COUNT), differing());
    }

    private String sameKey() {
      return key.stream()
          .map(k -> "a.%1$s IS NOT DISTINCT FROM b.%1$s".formatted(q(name(k))))
          .collect(Collectors.joining(" AND "));
    }

    private String changesByColumn(List<Schema.Field> values) {
      String sums =
          values.stream()
              .map(
                  f ->
                      "SUM(CASE WHEN a.%1$s IS DISTINCT FROM b.%1$s THEN 1 ELSE 0 END)"
                          .formatted(q(f.name())))
              .collect(Collectors.joining(", "));
      return "SELECT %s FROM (SELECT * FROM (%s) AS x WHERE %s > 0) AS a JOIN (SELECT * FROM (%s) AS y WHERE %s < 0) AS b ON %s"
          .formatted(
              sums.isEmpty() ? "1" : sums, differing(), q(COUNT), differing(), q(COUNT), sameKey());
    }

    private List<Example> rows(String kind, String where, int most) {
      return query(
              "SELECT * FROM (%s) AS d WHERE %s ORDER BY 1".formatted(differing(), where), most)
          .stream()
          .map(r -> new Example(kind, r.subList(0, columns.size())))
          .toList();
    }

    /** Rows of keys of a kind; changed ones in pairs, before and after. */
    private List<Example> keyed(String kind, String where, boolean pairs, int most) {
      String order = keys("b.");
      return query(
              "SELECT a.* FROM (%s) AS a JOIN (SELECT * FROM (%s) AS k WHERE %s) AS b ON %s ORDER BY %s, a.%s"
                  .formatted(differing(), byKey(), where, sameKey(), order, q(COUNT)),
              pairs ? 2 * most : most)
          .stream()
          .map(
              r ->
                  new Example(
                      pairs ? (number(r.get(columns.size())) < 0 ? "before" : "after") : kind,
                      r.subList(0, columns.size())))
          .toList();
    }

    private List<Object> one(String sql) {
      return query(sql, 1).get(0);
    }

    private static long number(Object value) {
      return ((Number) value).longValue();
    }

    private List<List<Object>> query(String sql, long most) {
      PlanSession session = new PlanSession();
      PlanSession.Planned planned =
          session.plan(
              session.parseQuery(sql, 1, 1),
              new PlanSession.Scope(
                  Map.of(
                      "newer", new Side(newer, older, newer.schema()),
                      "older", new Side(older, newer, older.schema()))));
      StepTally tally = new StepTally("compare", "sql");
      Executor executor = new Executor(context, TaskEndpoints.reading(lake), step -> tally);
      PlanNode plan = session.physical().plan(session.optimize(planned.rel()), tally.step());
      List<List<Object>> out = new ArrayList<>();
      for (Batch batch : executor.collect(plan, tally.step(), most)) {
        for (int r = 0; r < batch.rowCount() && out.size() < most; r++) {
          out.add(batch.row(r));
        }
      }
      return out;
    }

    private static String q(String name) {
      return StepTools.quoted(name);
    }
  }

  /** The rows of one state, but for files that the other has as well. */
  private record Side(LakeTable table, LakeTable other, Schema schema) implements Relation {
    @Override
    public double rowCount() {
      return table.rowCount();
    }

    @Override
    public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
      return new PlanNode.Scan(table.filesWithout(other, columns), schema().project(columns), step);
    }
  }
}
