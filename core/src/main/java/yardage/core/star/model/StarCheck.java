package yardage.core.star.model;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Aggregate;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.util.SqlBasicVisitor;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.lake.TableName;
import yardage.core.sql.Columns;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.sql.SqlProblem;
import yardage.core.sql.SqlProblemException;
import yardage.core.star.model.StarModel.Dimension;
import yardage.core.star.model.StarModel.Fact;
import yardage.core.star.model.StarModel.Measure;

/**
 * Holds a star against its tables: first their columns, then, if asked, their rows. Errors are what
 * makes numbers wrong; warnings are what makes a star hard to use.
 */
public final class StarCheck {
  private static final int EXAMPLES = 3;

  /**
   * How a fact's key resolves.
   *
   * @param unresolved rows whose key is in no row of the dimension
   * @param unknown rows that point at the dimension's row for the unknown, -1
   * @param none rows that point at its row for none, -2
   */
  public record KeyReport(
      String fact,
      String key,
      String dimension,
      long rows,
      long unresolved,
      long unknown,
      long none) {}

  /** What was found. */
  public record Report(List<Problem> problems, List<KeyReport> keys) {
    public boolean isSound() {
      return problems.stream().noneMatch(p -> p.severity() == Problem.Severity.ERROR);
    }
  }

  private final StarModel model;
  private final StarTables tables;
  private final List<Problem> problems = new ArrayList<>();
  private final Map<String, Schema> schemas = new HashMap<>();

  private StarCheck(StarModel model, StarTables tables) {
    this.model = model;
    this.tables = tables;
  }

  /** Looks at the tables' columns, and at their rows where {@code rows} says so. */
  public static Report of(StarModel model, StarTables tables, boolean rows) {
    StarCheck check = new StarCheck(model, tables);
    model.dimensions().values().forEach(check::dimension);
    model.facts().values().forEach(check::fact);
    check.hanging();
    List<KeyReport> keys = new ArrayList<>();
    if (rows && check.problems.stream().noneMatch(p -> p.severity() == Problem.Severity.ERROR)) {
      model.dimensions().values().forEach(check::dimensionRows);
      model.facts().values().forEach(f -> check.factRows(f, keys));
    }
    return new Report(List.copyOf(check.problems), keys);
  }

  // ---- columns

  private Optional<Schema> schema(String part, TableName table, TextValue at) {
    Optional<Relation> found = tables.table(table);
    if (found.isEmpty()) {
      problems.add(
          StarModel.problem(
              "unknown-table",
              part,
              "table",
              at.place(),
              "There is no table [%s]; run the pipeline that writes it first".formatted(table)));
    }
    found.ifPresent(r -> schemas.put(part, r.schema()));
    return found.map(Relation::schema);
  }

  private boolean column(String part, String field, TextValue name, Schema schema) {
    if (schema.indexOf(name.text()) >= 0) {
      return true;
    }
    problems.add(
        new Problem(
            Problem.Severity.ERROR,
            "unknown-column",
            part,
            field,
            name.place(),
            "There is no column [%s]%s"
                .formatted(name.text(), Names.instead(name.text(), schema.names())),
            Names.nearest(name.text(), schema.names())));
    return false;
  }

  private void warn(String code, String part, String field, Place at, String message) {
    problems.add(
        new Problem(Problem.Severity.WARNING, code, part, field, at, message, Optional.empty()));
  }

  private void dimension(Dimension d) {
    Optional<Schema> found = schema(d.name(), d.table(), d.tableText());
    if (found.isEmpty()) {
      return;
    }
    Schema schema = found.get();
    column(d.name(), "key", d.key(), schema);
    d.numbers().forEach(n -> column(d.name(), "numbers", n, schema));
    d.hierarchies()
        .forEach(
            (name, levels) ->
                levels.forEach(l -> column(d.name(), "hierarchies." + name, l, schema)));
    for (Schema.Field f : schema.fields()) {
      boolean fraction = f.type().isApproximate() || f.type().kind() == Type.Kind.DECIMAL;
      if (fraction && d.numbers().stream().noneMatch(n -> n.text().equalsIgnoreCase(f.name()))) {
        warn(
            "measure-in-dimension",
            d.name(),
            "numbers",
            d.place().place(),
            "[%s] is %s and looks like a measure; move it into a fact, or list it under numbers if it describes a member"
                .formatted(f.name(), f.type()));
      }
    }
  }

  private void fact(Fact f) {
    Optional<Schema> found = schema(f.name(), f.table(), f.tableText());
    if (found.isEmpty()) {
      return;
    }
    Schema schema = found.get();
    Set<String> used = new TreeSet<>(String.CASE_INSENSITIVE_ORDER);
    f.grain().forEach(g -> use(f, "grain", g, schema, used));
    f.keep().forEach(k -> use(f, "keep", k, schema, used));
    f.keys().keySet().forEach(k -> use(f, "keys", k, schema, used));
    for (Measure m : f.measures().values()) {
      if (schema.indexOf(m.name().text()) >= 0) {
        problems.add(
            StarModel.problem(
                "duplicate-column",
                f.name(),
                "measures",
                m.name().place(),
                "Measure [%s] has the name of a column, so a query could mean either; choose another"
                    .formatted(m.name().text())));
      }
      formula(f, m, schema, used);
    }
    for (Schema.Field c : schema.fields()) {
      if (used.contains(c.name())) {
        continue;
      }
      if (c.type().kind() == Type.Kind.VARCHAR) {
        warn(
            "text-in-fact",
            f.name(),
            "keep",
            f.place().place(),
            "[%s] is text in a fact; put it into a dimension and resolve its key, or list it under keep if it is a document's number or the like"
                .formatted(c.name()));
      } else {
        warn(
            "unused-column",
            f.name(),
            "keep",
            f.place().place(),
            "[%s] is neither a key nor part of a measure; leave it out of the fact, or list it under keep"
                .formatted(c.name()));
      }
    }
  }

  private void use(Fact f, String field, TextValue name, Schema schema, Set<String> used) {
    column(f.name(), field, name, schema);
    used.add(name.text());
  }

  /** A measure must be one aggregate value over the fact's columns. */
  private void formula(Fact f, Measure m, Schema schema, Set<String> used) {
    PlanSession session = new PlanSession();
    TextValue text = m.formula();
    try {
      SqlNode node = session.parseExpression(text.asPlaced(), text.line(), text.column());
      node.accept(
          new SqlBasicVisitor<Void>() {
            @Override
            public Void visit(SqlIdentifier id) {
              used.add(id.names.get(id.names.size() - 1));
              return null;
            }
          });
      PlanSession.Planned planned =
          session.plan(
              StarSql.aggregate(node), new PlanSession.Scope(Map.of("fact", new Columns(schema))));
      if (!aggregates(planned.rel())) {
        problems.add(
            StarModel.problem(
                "no-aggregate",
                f.name(),
                "measures",
                text.place(),
                "Measure [%s] must be an aggregate, as in sum(%s)"
                    .formatted(m.name().text(), text.text())));
      }
      if (!planned.schema().field(0).type().isNumeric()) {
        problems.add(
            StarModel.problem(
                "wrong-type",
                f.name(),
                "measures",
                text.place(),
                "Measure [%s] is %s; a measure is a number"
                    .formatted(m.name().text(), planned.schema().field(0).type())));
      }
    } catch (SqlProblemException e) {
      SqlProblem p = e.problem();
      problems.add(
          new Problem(
              Problem.Severity.ERROR,
              "wrong-sql",
              f.name(),
              "measures." + m.name().text(),
              p.line() <= 1
                  ? text.place()
                  : new Place(p.line(), p.column(), p.endLine(), p.endColumn()),
              p.message(),
              p.fix()));
    }
  }

  private static boolean aggregates(RelNode rel) {
    return rel instanceof Aggregate || rel.getInputs().stream().anyMatch(StarCheck::aggregates);
  }

  /** Dimensions that hang off others. */
  private void hanging() {
    for (Dimension d : model.dimensions().values()) {
      for (Dimension other : model.dimensions().values()) {
        Schema schema = schemas.get(d.name());
        boolean hangs =
            d != other
                && schema != null
                && schemas.containsKey(other.name())
                && schema.indexOf(other.key().text()) >= 0
                && !other.key().text().equalsIgnoreCase(d.key().text());
        if (hangs) {
          warn(
              "dimension-on-dimension",
              d.name(),
              "table",
              d.place().place(),
              "[%s] hangs off [%s] by [%s], so a query must join twice. Fold it in: join the attributes of [%s] before the dimension step, as in join: {with: %s, on: [%s], kind: lookup}, and drop the key"
                  .formatted(
                      d.name(),
                      other.name(),
                      other.key().text(),
                      other.name(),
                      other.name(),
                      other.key().text()));
        }
      }
    }
  }

  // ---- rows

  private static long number(Object value) {
    return value == null ? 0 : ((Number) value).longValue();
  }

  private String twice(TableName table, String columns) {
    return tables
        .query(
            "SELECT %1$s, COUNT(*) AS n FROM %2$s GROUP BY %1$s HAVING COUNT(*) > 1 ORDER BY n DESC FETCH FIRST %3$d ROWS ONLY"
                .formatted(columns, StarSql.q(table), EXAMPLES))
        .stream()
        .map(
            row ->
                row.subList(0, row.size() - 1).stream()
                        .map(Values::text)
                        .collect(Collectors.joining(", "))
                    + " (%s times)".formatted(row.get(row.size() - 1)))
        .collect(Collectors.joining("; "));
  }

  private void dimensionRows(Dimension d) {
    String examples = twice(d.table(), StarSql.q(d.key().text()));
    if (!examples.isEmpty()) {
      problems.add(
          StarModel.problem(
              "key-not-unique",
              d.name(),
              "key",
              d.key().place(),
              "Key [%s] is there more than once, so facts would be counted as often: %s"
                  .formatted(d.key().text(), examples)));
    }
    hierarchyRows(d);
  }

  /** Each value of the finest level should stand under one value of each level above. */
  private void hierarchyRows(Dimension d) {
    d.hierarchies()
        .forEach(
            (name, levels) -> {
              TextValue finest = levels.get(levels.size() - 1);
              String above =
                  levels.subList(0, levels.size() - 1).stream()
                      .map(l -> StarSql.q(l.text()))
                      .collect(Collectors.joining(", "));
              String examples =
                  tables
                      .query(
                          "SELECT %1$s, COUNT(*) AS n FROM (SELECT DISTINCT %1$s, %2$s FROM %3$s WHERE %1$s IS NOT NULL) AS d GROUP BY %1$s HAVING COUNT(*) > 1 ORDER BY n DESC, %1$s FETCH FIRST %4$d ROWS ONLY"
                              .formatted(
                                  StarSql.q(finest.text()), above, StarSql.q(d.table()), EXAMPLES))
                      .stream()
                      .map(r -> "%s (%s)".formatted(Values.text(r.get(0)), r.get(1)))
                      .collect(Collectors.joining("; "));
              if (!examples.isEmpty()) {
                warn(
                    "hierarchy-branches",
                    d.name(),
                    "hierarchies." + name,
                    finest.place(),
                    "Values of [%s] stand under several values above, so a sum of one is less than all of it: %s. That is right for members that moved; name another level if it is not"
                        .formatted(finest.text(), examples));
              }
            });
  }

  private void factRows(Fact f, List<KeyReport> reports) {
    if (!f.grain().isEmpty()) {
      String columns =
          f.grain().stream().map(g -> StarSql.q(g.text())).collect(Collectors.joining(", "));
      String examples = twice(f.table(), columns);
      if (!examples.isEmpty()) {
        problems.add(
            StarModel.problem(
                "grain-not-unique",
                f.name(),
                "grain",
                f.grain().get(0).place(),
                "Rows of [%s] share their grain, so they are counted twice: %s. Dedupe before the fact step, or name the columns that tell them apart"
                    .formatted(f.table(), examples)));
      }
    }
    f.keys()
        .forEach(
            (key, name) -> {
              Dimension d = model.dimensions().get(name.text());
              KeyReport r = key(f, key.text(), d);
              reports.add(r);
              if (r.unresolved() > 0) {
                problems.add(
                    StarModel.problem(
                        "key-unresolved",
                        f.name(),
                        "keys",
                        key.place(),
                        "%,d of %,d rows have a [%s] that is in no row of [%s]: %s. Resolve keys in a fact step, which gives -1 to the unknown"
                            .formatted(
                                r.unresolved(),
                                r.rows(),
                                key.text(),
                                d.table(),
                                strangers(f, key.text(), d))));
              }
            });
  }

  private KeyReport key(Fact f, String key, Dimension d) {
    List<Object> row =
        tables
            .query(
                "SELECT COUNT(*), SUM(CASE WHEN d.k IS NULL THEN 1 ELSE 0 END), SUM(CASE WHEN f.%1$s = -1 THEN 1 ELSE 0 END), SUM(CASE WHEN f.%1$s = -2 THEN 1 ELSE 0 END) FROM %2$s AS f LEFT JOIN (SELECT DISTINCT %3$s AS k FROM %4$s) AS d ON f.%1$s = d.k"
                    .formatted(
                        StarSql.q(key),
                        StarSql.q(f.table()),
                        StarSql.q(d.key().text()),
                        StarSql.q(d.table())))
            .get(0);
    return new KeyReport(
        f.name(),
        key,
        d.name(),
        number(row.get(0)),
        number(row.get(1)),
        number(row.get(2)),
        number(row.get(3)));
  }

  private String strangers(Fact f, String key, Dimension d) {
    return tables
        .query(
            "SELECT f.%1$s, COUNT(*) AS n FROM %2$s AS f LEFT JOIN (SELECT DISTINCT %3$s AS k FROM %4$s) AS d ON f.%1$s = d.k WHERE d.k IS NULL GROUP BY f.%1$s ORDER BY n DESC FETCH FIRST %5$d ROWS ONLY"
                .formatted(
                    StarSql.q(key),
                    StarSql.q(f.table()),
                    StarSql.q(d.key().text()),
                    StarSql.q(d.table()),
                    EXAMPLES))
        .stream()
        .map(r -> "%s (%s times)".formatted(Values.text(r.get(0)), r.get(1)))
        .collect(Collectors.joining("; "));
  }
}
