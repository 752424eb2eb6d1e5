package yardage.core.star.model;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.sql.SqlBasicCall;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlSelect;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlBasicVisitor;
import org.apache.calcite.sql.util.SqlShuttle;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.lake.TableName;
import yardage.core.sql.Columns;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.sql.SqlProblem;
import yardage.core.sql.SqlProblemException;
import yardage.core.star.model.StarModel.Adds;
import yardage.core.star.model.StarModel.Dimension;
import yardage.core.star.model.StarModel.Fact;
import yardage.core.star.model.StarModel.Measure;

/**
 * Queries over stars. {@code FROM cloth.rolls} is the fact {@code rolls} of the star {@code cloth}
 * with the attributes of its dimensions beside it, each named by the fact's key without {@code
 * _key}: {@code loom_hall}. A measure is named as if it were a column, and stands for its formula.
 * Only the dimensions that a query names are joined.
 */
public final class StarSql {
  private final Map<String, View> views = new HashMap<>();
  private final StarTables tables;

  private record View(StarModel star, Fact fact) {}

  /** A query that names tables only. */
  public record Expanded(SqlNode query, Map<String, String> views) {}

  public StarSql(List<StarModel> stars, StarTables tables) {
    this.tables = tables;
    for (StarModel star : stars) {
      star.facts()
          .values()
          .forEach(f -> views.put(star.name() + "." + f.name(), new View(star, f)));
    }
  }

  /** The names that {@code FROM} may have. */
  public Set<String> names() {
    return views.keySet();
  }

  /**
   * Puts formulas in the place of measures, and says in SQL what each star's fact that is named is.
   *
   * @throws SqlProblemException when a measure would be added up over what it does not add up over
   */
  public Expanded expand(SqlNode query) {
    Map<String, String> used = new LinkedHashMap<>();
    Set<String> words = new TreeSet<>(String.CASE_INSENSITIVE_ORDER);
    boolean[] all = {false};
    query.accept(
        new SqlBasicVisitor<Void>() {
          @Override
          public Void visit(SqlIdentifier id) {
            words.addAll(id.names);
            all[0] |= id.isStar();
            view(id).ifPresent(v -> used.put(name(v), ""));
            return null;
          }
        });
    if (used.isEmpty()) {
      return new Expanded(query, Map.of());
    }
    SqlNode expanded = query.accept(new Formulas());
    used.replaceAll(
        (name, sql) -> sql(views.get(name), all[0] ? Optional.empty() : Optional.of(words)));
    return new Expanded(expanded, used);
  }

  /**
   * Plans a query over tables and stars.
   *
   * @param relations the tables
   */
  public RelNode plan(PlanSession session, SqlNode query, Map<String, Relation> relations) {
    Map<String, RelNode> inside = new LinkedHashMap<>();
    PlanSession.Named named = named(session, query, relations, inside);
    RelNode rel = session.plan(named.query(), named.scope()).rel();
    RelNode all = inside.isEmpty() ? rel : PlanSession.inline(rel, inside);
    // Views may be over stars and over other views.
    return PlanSession.inlineViews(
        all, view -> plan(session, session.parseQuery(view.sql(), 1, 1), relations));
  }

  /** A query with formulas in the place of measures, and stars' facts among the relations. */
  public PlanSession.Named named(
      PlanSession session, SqlNode query, Map<String, Relation> relations) {
    return named(session, query, relations, new LinkedHashMap<>());
  }

  /**
   * @param inside takes the algebra of each fact that is named
   */
  private PlanSession.Named named(
      PlanSession session,
      SqlNode query,
      Map<String, Relation> relations,
      Map<String, RelNode> inside) {
    Expanded expanded = expand(query);
    Map<String, Relation> scope = new LinkedHashMap<>(relations);
    expanded
        .views()
        .forEach(
            (name, sql) -> {
              PlanSession.Planned view =
                  session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(relations));
              scope.put(name, new Columns(view.schema()));
              inside.put(name, view.rel());
            });
    return new PlanSession.Named(expanded.query(), new PlanSession.Scope(scope));
  }

  private static String name(View v) {
    return v.star().name() + "." + v.fact().name();
  }

  private Optional<View> view(SqlIdentifier id) {
    return id.names.size() == 2
        ? Optional.ofNullable(
            views.get(String.join(".", id.names).toLowerCase(java.util.Locale.ROOT)))
        : Optional.empty();
  }

  /** What a fact with its dimensions is, over tables; without {@code words}, with all of them. */
  private String sql(View view, Optional<Set<String>> words) {
    Fact fact = view.fact();
    List<String> items = new ArrayList<>();
    StringBuilder from = new StringBuilder(q(fact.table()) + " AS f");
    schema(fact.table()).fields().forEach(c -> items.add("f." + q(c.name())));
    int n = 0;
    for (var e : fact.keys().entrySet()) {
      Dimension d = view.star().dimensions().get(e.getValue().text());
      String prefix = StarModel.prefix(e.getKey());
      List<String> attributes = new ArrayList<>();
      boolean wanted = false;
      for (Schema.Field c : schema(d.table()).fields()) {
        if (!c.name().equalsIgnoreCase(d.key().text())) {
          attributes.add("d%d.%s AS %s".formatted(n, q(c.name()), q(prefix + c.name())));
          wanted |= words.isEmpty() || words.get().contains(prefix + c.name());
        }
      }
      if (wanted) {
        items.addAll(attributes);
        from.append(
            " LEFT JOIN %s AS d%d ON f.%s = d%d.%s"
                .formatted(q(d.table()), n, q(e.getKey().text()), n, q(d.key().text())));
      }
      n++;
    }
    return "SELECT " + String.join(", ", items) + " FROM " + from;
  }

  private Schema schema(TableName table) {
    return tables
        .table(table)
        .orElseThrow(
            () ->
                problem(
                    SqlParserPos.ZERO.plus(new SqlParserPos(1, 1)),
                    "Table [%s] of the star is not there".formatted(table)))
        .schema();
  }

  static String q(String name) {
    return PlanSession.quoted(name);
  }

  static String q(TableName table) {
    return q(table.namespace()) + "." + q(table.name());
  }

  private static SqlProblemException problem(SqlParserPos at, String message) {
    return new SqlProblemException(
        new SqlProblem(
            Math.max(1, at.getLineNum()),
            Math.max(1, at.getColumnNum()),
            Math.max(1, at.getEndLineNum()),
            Math.max(1, at.getEndColumnNum()) + 1,
            message,
            Optional.empty()),
        null);
  }

  /** A query of one value over the relation {@code fact}. */
  static SqlNode aggregate(SqlNode formula) {
    return PlanSession.select(
        List.of(
            SqlStdOperatorTable.AS.createCall(
                formula.getParserPosition(),
                formula,
                new SqlIdentifier("value", SqlParserPos.ZERO))),
        new SqlIdentifier("fact", SqlParserPos.ZERO),
        null,
        null);
  }

  /** Puts formulas in, select by select. */
  private final class Formulas extends SqlShuttle {
    @Override
    public SqlNode visit(SqlCall call) {
      SqlNode inside = super.visit(call);
      if (inside instanceof SqlSelect select && select.getFrom() != null) {
        source(select.getFrom()).ifPresent(v -> expand(select, v));
      }
      return inside;
    }

    private Optional<View> source(SqlNode from) {
      SqlNode table = from.getKind() == SqlKind.AS ? ((SqlBasicCall) from).operand(0) : from;
      return table instanceof SqlIdentifier id ? view(id) : Optional.empty();
    }

    private void expand(SqlSelect select, View view) {
      Set<String> named = new TreeSet<>();
      SqlShuttle formulas = new OfFact(view, named);
      SqlNodeList items = new SqlNodeList(select.getSelectList().getParserPosition());
      for (SqlNode item : select.getSelectList()) {
        SqlNode now = item.accept(formulas);
        boolean alone = item instanceof SqlIdentifier && now != item;
        items.add(
            alone
                ? SqlStdOperatorTable.AS.createCall(
                    item.getParserPosition(),
                    now,
                    new SqlIdentifier(last((SqlIdentifier) item), item.getParserPosition()))
                : now);
      }
      select.setSelectList(items);
      if (select.getHaving() != null) {
        select.setHaving(select.getHaving().accept(formulas));
      }
      named.forEach(m -> adds(select, view, view.fact().measures().get(m)));
    }

    private static String last(SqlIdentifier id) {
      return id.names.get(id.names.size() - 1);
    }

    /** A stock is not added up over days: each group is of one day. */
    private void adds(SqlSelect select, View view, Measure m) {
      if (m.adds() != Adds.NOT_OVER_TIME) {
        return;
      }
      List<String> days = days(view);
      boolean grouped =
          select.getGroup() != null && select.getGroup().stream().anyMatch(g -> isOneOf(g, days));
      if (!grouped && !isOfOneDay(select.getWhere(), days)) {
        String day = days.isEmpty() ? "day" : days.get(days.size() - 1);
        throw problem(
            select.getSelectList().getParserPosition(),
            "[%s] does not add up over time, and this would add up several days. Group by %s, or ask for one day, as in WHERE %s = (SELECT max(l.%s) FROM %s AS l)"
                .formatted(m.name().text(), day, day, day, name(view)));
      }
    }

    /**
     * The columns that tell days apart: the keys of time, and dates and times of its dimensions.
     */
    private List<String> days(View view) {
      List<String> out = new ArrayList<>();
      view.fact()
          .keys()
          .forEach(
              (key, dimension) -> {
                Dimension d = view.star().dimensions().get(dimension.text());
                if (d.time()) {
                  out.add(key.text());
                  String prefix = StarModel.prefix(key);
                  schema(d.table()).fields().stream()
                      .filter(f -> isDay(f.type()))
                      .forEach(f -> out.add(prefix + f.name()));
                }
              });
      return out;
    }

    private static boolean isDay(Type type) {
      return switch (type.kind()) {
        case DATE, TIMESTAMP, TIMESTAMP_TZ -> true;
        default -> false;
      };
    }

    private static boolean isOneOf(SqlNode node, List<String> columns) {
      return node instanceof SqlIdentifier id
          && columns.stream().anyMatch(c -> c.equalsIgnoreCase(last(id)));
    }

    /** Whether a condition leaves one day, by an equality. */
    private static boolean isOfOneDay(SqlNode where, List<String> days) {
      if (!(where instanceof SqlCall call)) {
        return false;
      }
      return switch (call.getKind()) {
        case AND -> call.getOperandList().stream().anyMatch(o -> isOfOneDay(o, days));
        case EQUALS -> call.getOperandList().stream().anyMatch(o -> isOneOf(o, days));
        default -> false;
      };
    }
  }

  /** Formulas of one fact's measures. */
  private static final class OfFact extends SqlShuttle {
    private final View view;
    private final Set<String> named;

    OfFact(View view, Set<String> named) {
      this.view = view;
      this.named = named;
    }

    @Override
    public SqlNode visit(SqlIdentifier id) {
      if (id.isStar() || id.names.size() > 2) {
        return id;
      }
      Measure m =
          view.fact()
              .measures()
              .get(id.names.get(id.names.size() - 1).toLowerCase(java.util.Locale.ROOT));
      if (m == null) {
        return id;
      }
      named.add(m.name().text());
      return new PlanSession().parseExpression(m.formula().text(), 1, 1);
    }

    @Override
    public SqlNode visit(SqlCall call) {
      if (call.getKind() == SqlKind.AS) {
        SqlBasicCall as = (SqlBasicCall) call.clone(call.getParserPosition());
        as.setOperand(0, as.operand(0).accept(this));
        return as;
      }
      // A query inside has a source of its own.
      return call instanceof SqlSelect ? call : super.visit(call);
    }
  }
}
