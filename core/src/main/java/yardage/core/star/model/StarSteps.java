package yardage.core.star.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeSet;
import yardage.core.column.Schema;
import yardage.core.lake.TableName;
import yardage.core.sql.PlanSession;
import yardage.core.star.model.StarModel.Dimension;
import yardage.core.star.model.StarModel.Fact;

/**
 * The rows of a fact with what its dimensions say of them, as steps of a pipeline: reads of the
 * tables, and a query that puts them side by side with the names that queries over the star have.
 */
public final class StarSteps {
  private StarSteps() {}

  /**
   * Steps as text, to be pasted into a document.
   *
   * @throws IllegalArgumentException when a table is not there
   */
  public static String of(StarModel star, Fact fact, StarTables tables) {
    Map<TableName, String> reads = new LinkedHashMap<>();
    reads.put(fact.table(), fact.name());
    for (var key : fact.keys().values()) {
      Dimension d = star.dimensions().get(key.text());
      reads.putIfAbsent(d.table(), d.table().name());
    }
    List<String> items = new ArrayList<>();
    StringBuilder from = new StringBuilder("      from %s f\n".formatted(written(fact.name())));
    TreeSet<String> taken = new TreeSet<>(String.CASE_INSENSITIVE_ORDER);
    for (String c : schema(fact.table(), tables).names()) {
      taken.add(c);
      items.add("f." + written(c));
    }
    int n = 0;
    for (var e : fact.keys().entrySet()) {
      Dimension d = star.dimensions().get(e.getValue().text());
      String prefix = StarModel.prefix(e.getKey());
      for (String c : schema(d.table(), tables).names()) {
        if (!c.equalsIgnoreCase(d.key().text()) && taken.add(prefix + c)) {
          items.add("d%d.%s as %s".formatted(n, written(c), written(prefix + c)));
        }
      }
      from.append(
          "      left join %s d%d on d%d.%s = f.%s\n"
              .formatted(
                  written(reads.get(d.table())),
                  n,
                  n,
                  written(d.key().text()),
                  written(e.getKey().text())));
      n++;
    }
    StringBuilder out = new StringBuilder();
    reads.forEach((table, step) -> out.append("%s:\n  read: {table: %s}\n".formatted(step, table)));
    out.append(
        "%s_%s:\n  from: [%s]\n  sql: |\n      select %s\n%s"
            .formatted(
                star.name(),
                fact.name(),
                String.join(", ", reads.values()),
                String.join(",\n             ", items),
                from));
    return out.toString();
  }

  /** A name as somebody would write it in SQL. */
  private static String written(String name) {
    return name.matches("[a-z_][a-z0-9_]*") && !PlanSession.isWordOfSql(name)
        ? name
        : PlanSession.quoted(name);
  }

  private static Schema schema(TableName table, StarTables tables) {
    return Optional.of(table)
        .flatMap(tables::table)
        .orElseThrow(
            () ->
                new IllegalArgumentException(
                    "Table [%s] of the star is not there".formatted(table)))
        .schema();
  }
}
