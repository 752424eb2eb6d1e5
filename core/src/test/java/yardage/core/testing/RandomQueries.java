package yardage.core.testing;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.function.Function;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/**
 * Random queries over given tables, here and in the dialect of MariaDB: joins, correlated
 * subqueries, groups, windows, set operations, and expressions of all types. A query is a tree, so
 * that a wrong one can be made smaller by itself.
 */
public final class RandomQueries {
  /** What a part of a query is: an expression of some type, or a piece around expressions. */
  public enum Kind {
    WHOLE,
    EXACT,
    DOUBLE,
    TEXT,
    DATE,
    STAMP,
    CLOCK,
    INSTANT,
    BYTES,
    ID,
    TRUTH,
    QUERY,
    FROM,
    /** A clause that may be left out. */
    OPTIONAL,
    /** Parts with commas between them. */
    LIST
  }

  private static final List<Kind> COMPARED =
      List.of(
          Kind.WHOLE,
          Kind.EXACT,
          Kind.DOUBLE,
          Kind.TEXT,
          Kind.DATE,
          Kind.STAMP,
          Kind.CLOCK,
          Kind.INSTANT,
          Kind.BYTES,
          Kind.ID);

  private static final List<Kind> VALUES =
      Stream.concat(COMPARED.stream(), Stream.of(Kind.TRUTH)).toList();

  /** A UUID; what its first digit is, is left open. */
  public static final String ID = "%xf8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55";

  private static final char MARK = '§';

  /**
   * A part of a query.
   *
   * @param ours its text, with a mark for each part inside
   * @param theirs the same in the other dialect
   */
  public record Node(Kind kind, String ours, String theirs, List<Node> parts) {
    static Node of(Kind kind, String both, Node... parts) {
      return new Node(kind, both, both, List.of(parts));
    }

    public String ours() {
      return text(Node::form);
    }

    public String theirs() {
      return text(n -> n.theirs);
    }

    private String form() {
      return ours;
    }

    private String text(Function<Node, String> form) {
      if (kind == Kind.LIST) {
        return parts.stream().map(p -> p.text(form)).collect(Collectors.joining(", "));
      }
      StringBuilder out = new StringBuilder();
      int part = 0;
      for (char c : form.apply(this).toCharArray()) {
        if (c == MARK) {
          out.append(parts.get(part++).text(form));
        } else {
          out.append(c);
        }
      }
      return out.toString();
    }

    private Stream<Node> inside() {
      return parts.stream().flatMap(p -> Stream.concat(Stream.of(p), p.inside()));
    }

    private Node with(int at, Node part) {
      List<Node> all = new ArrayList<>(parts);
      if (part == null) {
        all.remove(at);
      } else {
        all.set(at, part);
      }
      return new Node(kind, ours, theirs, all);
    }

    /** The same with a part cut out or made smaller, the largest cuts first; not all are sound. */
    public Stream<Node> smaller() {
      Stream<Node> cuts =
          switch (kind) {
            case OPTIONAL -> ours.isEmpty() ? Stream.empty() : Stream.of(of(kind, ""));
            case LIST ->
                IntStream.range(0, parts.size() > 1 ? parts.size() : 0)
                    .mapToObj(i -> with(i, null));
            default -> inside().filter(n -> n.kind == kind);
          };
      return Stream.concat(
          cuts,
          IntStream.range(0, parts.size())
              .boxed()
              .flatMap(i -> parts.get(i).smaller().map(p -> with(i, p))));
    }
  }

  /** A column that an expression may name. */
  private record Column(String name, Kind kind) {}

  private record From(Node node, List<Column> columns) {}

  private final SplittableRandom random;
  private final Map<String, Schema> tables;
  private int aliases;

  public RandomQueries(Map<String, Schema> tables, long seed) {
    this.tables = tables;
    this.random = new SplittableRandom(seed);
  }

  /** A query that gives rows in no order, or the first of a total order. */
  public Node next() {
    aliases = 0;
    int columns = 1 + random.nextInt(4);
    List<Kind> kinds = IntStream.range(0, columns).mapToObj(i -> pick(VALUES)).toList();
    Node query = query(2, kinds, List.of());
    if (random.nextInt(4) > 0) {
      return query;
    }
    String places =
        IntStream.rangeClosed(1, columns)
            .mapToObj(String::valueOf)
            .collect(Collectors.joining(", "));
    int most = random.nextInt(12);
    return new Node(
        Kind.QUERY,
        "SELECT * FROM (§) z ORDER BY %s FETCH FIRST %d ROWS ONLY"
            .formatted(places.replaceAll("(\\d+)", "$1 NULLS FIRST"), most),
        "SELECT * FROM (§) z ORDER BY %s LIMIT %d".formatted(places, most),
        List.of(query));
  }

  private <T> T pick(List<T> of) {
    return of.get(random.nextInt(of.size()));
  }

  private Node query(int depth, List<Kind> kinds, List<Column> outer) {
    if (depth > 0 && random.nextInt(7) == 0) {
      String op =
          pick(List.of("UNION", "UNION ALL", "INTERSECT", "EXCEPT", "INTERSECT ALL", "EXCEPT ALL"));
      return Node.of(
          Kind.QUERY,
          "(§) %s (§)".formatted(op),
          select(depth - 1, kinds, List.of()),
          select(depth - 1, kinds, List.of()));
    }
    if (depth > 1 && outer.isEmpty() && random.nextInt(9) == 0) {
      List<Kind> inner = someKinds();
      String name = "w" + ++aliases;
      Node with = query(depth - 1, inner, List.of());
      From left = aliased(name, "", inner);
      From right = aliased(name, "", inner);
      return Node.of(
          Kind.QUERY,
          "WITH %s (%s) AS (§) §".formatted(name, names(inner)),
          with,
          selectFrom(
              depth - 1, kinds, outer, random.nextBoolean() ? left : joined(left, right, 0)));
    }
    return select(depth, kinds, outer);
  }

  private List<Kind> someKinds() {
    return IntStream.range(0, 1 + random.nextInt(3)).mapToObj(i -> pick(VALUES)).toList();
  }

  private static String names(List<Kind> kinds) {
    return IntStream.range(0, kinds.size())
        .mapToObj(i -> "c" + i)
        .collect(Collectors.joining(", "));
  }

  /** Something with columns c0, c1 … under a name of its own. */
  private From aliased(String what, String columns, List<Kind> kinds, Node... parts) {
    String alias = "a" + ++aliases;
    List<Column> out = new ArrayList<>();
    for (int i = 0; i < kinds.size(); i++) {
      out.add(new Column(alias + ".c" + i, kinds.get(i)));
    }
    return new From(Node.of(Kind.FROM, what + " " + alias + columns, parts), out);
  }

  private From from(int depth) {
    int kind = random.nextInt(10);
    if (depth > 0 && kind < 4) {
      return joined(from(depth - 1), from(depth - 1), depth - 1);
    }
    if (depth > 0 && kind < 6) {
      List<Kind> kinds = someKinds();
      Node query = query(depth - 1, kinds, List.of());
      String alias = "a" + ++aliases;
      List<Column> columns = new ArrayList<>();
      for (int i = 0; i < kinds.size(); i++) {
        columns.add(new Column(alias + ".c" + i, kinds.get(i)));
      }
      return new From(Node.of(Kind.FROM, "(§) " + alias, query), columns);
    }
    String table = pick(List.copyOf(tables.keySet()));
    String alias = "a" + ++aliases;
    return new From(
        Node.of(Kind.FROM, table + " " + alias),
        tables.get(table).fields().stream()
            .map(f -> new Column(alias + "." + f.name(), kind(f.type())))
            .toList());
  }

  private From joined(From left, From right, int depth) {
    List<Column> all = new ArrayList<>(left.columns());
    all.addAll(right.columns());
    Node on = equal(left.columns(), right.columns());
    if (random.nextInt(3) == 0) {
      on = Node.of(Kind.TRUTH, "§ AND §", on, truth(0, all, List.of()));
    }
    return new From(
        Node.of(
            Kind.FROM,
            "§ %s JOIN § ON §".formatted(pick(List.of("", "", "LEFT", "RIGHT"))),
            left.node(),
            right.node().parts().size() > 1
                ? Node.of(Kind.FROM, "(§)", right.node())
                : right.node(),
            on),
        all);
  }

  /** A condition that links two inputs where they have columns of one kind. */
  private Node equal(List<Column> left, List<Column> right) {
    for (int tries = 0; tries < 20; tries++) {
      Column a = pick(left);
      Column b = pick(right);
      if (a.kind() == b.kind() && a.kind() != Kind.TRUTH) {
        return Node.of(Kind.TRUTH, "%s = %s".formatted(a.name(), b.name()));
      }
    }
    return Node.of(Kind.TRUTH, "1 = 1");
  }

  private static Kind kind(Type type) {
    return switch (type.kind()) {
      case INT, BIGINT -> Kind.WHOLE;
      case DECIMAL -> Kind.EXACT;
      case FLOAT, DOUBLE -> Kind.DOUBLE;
      case VARCHAR -> Kind.TEXT;
      case DATE -> Kind.DATE;
      case TIMESTAMP -> Kind.STAMP;
      case TIME -> Kind.CLOCK;
      case TIMESTAMP_TZ -> Kind.INSTANT;
      case BINARY -> Kind.BYTES;
      case UUID -> Kind.ID;
      case BOOLEAN -> Kind.TRUTH;
      case STRUCT, LIST, MAP -> throw new IllegalArgumentException(type.toString());
    };
  }

  private boolean looked;

  private Node lookedUp(int depth, Kind kind) {
    looked = true;
    Node out = select(depth, List.of(kind), List.of());
    looked = false;
    return out;
  }

  private Node select(int depth, List<Kind> kinds, List<Column> outer) {
    return selectFrom(depth, kinds, outer, from(depth));
  }

  private Node selectFrom(int depth, List<Kind> kinds, List<Column> outer, From from) {
    List<Column> columns = from.columns();
    Node where =
        random.nextInt(10) < 7
            ? Node.of(Kind.OPTIONAL, " WHERE §", truth(depth, columns, outer))
            : Node.of(Kind.OPTIONAL, "");
    boolean grouped = random.nextInt(3) == 0;
    List<Column> keys =
        grouped
            ? Stream.generate(() -> pick(columns)).limit(random.nextInt(3)).distinct().toList()
            : List.of();
    List<Node> items = new ArrayList<>();
    // MariaDB looks for a value before it computes the window, and finds others.
    boolean windows = !grouped && !looked && random.nextInt(5) == 0;
    for (int i = 0; i < kinds.size(); i++) {
      Node value =
          grouped
              ? ofGroup(kinds.get(i), keys, columns)
              : windows && random.nextBoolean()
                  ? window(kinds.get(i), columns)
                  : value(kinds.get(i), 2, columns, outer);
      items.add(Node.of(value.kind(), "§ AS c" + i, value));
    }
    Node by =
        keys.isEmpty()
            ? Node.of(Kind.OPTIONAL, "")
            : Node.of(
                Kind.OPTIONAL,
                " GROUP BY " + keys.stream().map(Column::name).collect(Collectors.joining(", ")));
    Node having =
        grouped && random.nextInt(3) == 0
            ? Node.of(
                Kind.OPTIONAL,
                " HAVING count(*) >= 0 AND § > " + random.nextInt(5),
                ofGroup(Kind.WHOLE, keys, columns))
            : Node.of(Kind.OPTIONAL, "");
    return Node.of(
        Kind.QUERY,
        "SELECT §§ FROM §§§§",
        Node.of(Kind.OPTIONAL, !grouped && random.nextInt(6) == 0 ? "DISTINCT " : ""),
        new Node(Kind.LIST, "", "", items),
        from.node(),
        where,
        by,
        having);
  }

  /** An expression over a group: a key, or an aggregate. */
  private Node ofGroup(Kind kind, List<Column> keys, List<Column> columns) {
    List<Column> same = keys.stream().filter(k -> k.kind() == kind).toList();
    if (!same.isEmpty() && random.nextBoolean()) {
      return Node.of(kind, pick(same).name());
    }
    Node of = value(kind, 1, columns, List.of());
    return switch (kind) {
      case WHOLE ->
          switch (random.nextInt(4)) {
            case 0 -> Node.of(kind, "count(*)");
            case 1 -> Node.of(kind, "count(§)", value(pick(VALUES), 1, columns, List.of()));
            case 2 ->
                Node.of(kind, "count(DISTINCT §)", value(pick(VALUES), 1, columns, List.of()));
            default ->
                Node.of(kind, pick(List.of("sum(§)", "min(§)", "max(§)", "sum(DISTINCT §)")), of);
          };
      case EXACT ->
          random.nextInt(4) == 0
              ? columns.stream()
                  .filter(c -> c.kind() == kind)
                  .findFirst()
                  .map(c -> Node.of(kind, "avg(" + c.name() + ")"))
                  .orElse(Node.of(kind, "min(§)", of))
              : Node.of(kind, pick(List.of("sum(§)", "min(§)", "max(§)")), of);
      case DOUBLE -> Node.of(kind, pick(List.of("sum(§)", "min(§)", "max(§)", "avg(§)")), of);
      case TRUTH -> Node.of(kind, "count(*) > " + random.nextInt(9));
      default -> Node.of(kind, pick(List.of("min(§)", "max(§)")), of);
    };
  }

  private Node window(Kind kind, List<Column> columns) {
    Column part = pick(columns);
    Column by = pick(columns);
    boolean down = random.nextBoolean();
    String frame =
        by.kind() == Kind.WHOLE && kind != Kind.TRUTH && random.nextInt(3) == 0
            ? " RANGE BETWEEN %d PRECEDING AND %d FOLLOWING"
                .formatted(random.nextInt(5), random.nextInt(3))
            : "";
    String over = " OVER (PARTITION BY %s ORDER BY %s%s" + frame + ")";
    String ours =
        over.formatted(part.name(), by.name(), down ? " DESC NULLS LAST" : " NULLS FIRST");
    String theirs = over.formatted(part.name(), by.name(), down ? " DESC" : "");
    Node of = value(kind, 1, columns, List.of());
    String call =
        switch (kind) {
          case WHOLE ->
              !frame.isEmpty()
                  ? pick(List.of("count(*)", "sum(§)", "min(§)", "count(§)"))
                  : pick(
                      List.of(
                          "rank()", "dense_rank()", "count(*)", "sum(§)", "min(§)", "count(§)"));
          case EXACT, DOUBLE -> pick(List.of("sum(§)", "min(§)", "max(§)", "avg(§)"));
          case TRUTH -> "";
          default -> pick(List.of("min(§)", "max(§)"));
        };
    if (kind == Kind.EXACT && call.equals("avg(§)")) {
      call = "sum(§)";
    }
    return kind == Kind.TRUTH
        ? new Node(kind, "rank()" + ours + " < 3", "rank()" + theirs + " < 3", List.of())
        : new Node(kind, call + ours, call + theirs, call.contains("§") ? List.of(of) : List.of());
  }

  private Node truth(int depth, List<Column> columns, List<Column> outer) {
    List<Column> all = Stream.concat(columns.stream(), outer.stream()).toList();
    switch (random.nextInt(depth > 0 ? 16 : 10)) {
      case 0:
        return Node.of(
            Kind.TRUTH, "(§ AND §)", truth(depth, columns, outer), truth(depth, columns, outer));
      case 1:
        return Node.of(
            Kind.TRUTH, "(§ OR §)", truth(depth, columns, outer), truth(depth, columns, outer));
      case 2:
        return Node.of(Kind.TRUTH, "NOT (§)", truth(depth, columns, outer));
      case 3:
        return Node.of(
            Kind.TRUTH,
            pick(List.of("§ IS NULL", "§ IS NOT NULL")),
            value(pick(VALUES), 1, columns, outer));
      case 4:
        Kind listed = pick(COMPARED);
        return Node.of(
            Kind.TRUTH,
            pick(List.of("§ IN (§)", "§ NOT IN (§)")),
            value(listed, 1, columns, outer),
            new Node(
                Kind.LIST,
                "",
                "",
                Stream.generate(() -> constant(listed)).limit(1 + random.nextInt(4)).toList()));
      case 5:
        return Node.of(
            Kind.TRUTH,
            pick(List.of("§ LIKE §", "§ NOT LIKE §")),
            value(Kind.TEXT, 1, columns, outer),
            Node.of(Kind.OPTIONAL, pick(List.of("'%e%'", "'w___'", "'_e%'", "'warp'"))));
      case 6:
        Kind between = pick(COMPARED);
        return Node.of(
            Kind.TRUTH,
            "§ BETWEEN § AND §",
            value(between, 1, columns, outer),
            value(between, 1, columns, outer),
            constant(between));
      case 10, 11:
        Node in = correlated(depth, List.of(Kind.WHOLE), all);
        return Node.of(Kind.TRUTH, pick(List.of("EXISTS (§)", "NOT EXISTS (§)")), in);
      case 12, 13:
        // MariaDB forgets nulls where a constant is looked up in groups.
        Column looked = pick(columns);
        if (looked.kind() == Kind.TRUTH) {
          return Node.of(Kind.TRUTH, looked.name());
        }
        return Node.of(
            Kind.TRUTH,
            pick(List.of("§ IN (§)", "§ NOT IN (§)")),
            Node.of(looked.kind(), looked.name()),
            random.nextBoolean()
                ? lookedUp(depth - 1, looked.kind())
                : correlated(depth, List.of(looked.kind()), all));
      case 14, 15:
        Kind compared = pick(List.of(Kind.WHOLE, Kind.EXACT, Kind.TEXT, Kind.DATE));
        return Node.of(
            Kind.TRUTH,
            "§ %s (§)".formatted(comparison()),
            value(compared, 1, columns, List.of()),
            scalar(depth, compared, all));
      default:
        Kind of = pick(COMPARED);
        return Node.of(
            Kind.TRUTH,
            "§ %s §".formatted(comparison()),
            value(of, 1, columns, outer),
            value(of, 1, columns, outer));
    }
  }

  private String comparison() {
    return pick(List.of("=", "=", "<>", "<", "<=", ">", ">="));
  }

  /** A subquery whose rows depend on the query around it. */
  private Node correlated(int depth, List<Kind> kinds, List<Column> outer) {
    From from = from(depth - 1);
    Node link = equal(from.columns(), outer);
    Node more =
        random.nextBoolean()
            ? Node.of(Kind.OPTIONAL, " AND §", truth(0, from.columns(), List.of()))
            : Node.of(Kind.OPTIONAL, "");
    return Node.of(
        Kind.QUERY,
        "SELECT § FROM § WHERE §§",
        new Node(
            Kind.LIST,
            "",
            "",
            kinds.stream().map(k -> value(k, 1, from.columns(), List.of())).toList()),
        from.node(),
        link,
        more);
  }

  /** A subquery of one value. */
  private Node scalar(int depth, Kind kind, List<Column> outer) {
    From from = from(depth - 1);
    Node value = ofGroup(kind, List.of(), from.columns());
    return Node.of(
        Kind.QUERY,
        "SELECT § FROM §§",
        value,
        from.node(),
        random.nextInt(3) == 0
            ? Node.of(Kind.OPTIONAL, "")
            : Node.of(Kind.OPTIONAL, " WHERE §", equal(from.columns(), outer)));
  }

  private Node constant(Kind kind) {
    return switch (kind) {
      case WHOLE -> Node.of(kind, String.valueOf(random.nextInt(10)));
      case EXACT -> Node.of(kind, random.nextInt(40) + "." + random.nextInt(10) + "5");
      case DOUBLE -> Node.of(kind, random.nextInt(20) + ".25e0");
      case TEXT -> Node.of(kind, pick(List.of("'warp'", "'weft'", "''", "'Selvedge'", "'pick'")));
      case DATE ->
          Node.of(kind, "DATE '2026-0%d-1%d'".formatted(1 + random.nextInt(3), random.nextInt(9)));
      case STAMP ->
          Node.of(
              kind,
              "TIMESTAMP '2026-0%d-11 0%d:30:00'"
                  .formatted(1 + random.nextInt(3), random.nextInt(9)));
      case CLOCK -> Node.of(kind, "TIME '0%d:30:00'".formatted(random.nextInt(9)));
      case INSTANT -> {
        String at = "TIMESTAMP%s '2026-01-11 0%d:30:00%s'";
        int hour = random.nextInt(9);
        yield new Node(
            kind,
            at.formatted(" WITH TIME ZONE", hour, " UTC"),
            at.formatted("", hour, ""),
            List.of());
      }
      case BYTES -> Node.of(kind, pick(List.of("X''", "X'00'", "X'cafe'", "X'ff01'")));
      case ID -> {
        String id = ID.formatted(random.nextInt(16));
        yield new Node(
            kind, "UUID '%s'".formatted(id), "X'%s'".formatted(id.replace("-", "")), List.of());
      }
      case TRUTH -> Node.of(kind, random.nextBoolean() ? "(1 = 1)" : "(1 = 0)");
      default -> throw new IllegalArgumentException(kind.toString());
    };
  }

  private Node computed(Kind kind, Function<Kind, Node> any) {
    String sign = pick(List.of("+", "-", "*"));
    return Node.of(kind, "(§ %s §)".formatted(sign), any.apply(kind), any.apply(kind));
  }

  private Node value(Kind kind, int depth, List<Column> columns, List<Column> outer) {
    List<Column> same =
        Stream.concat(columns.stream(), random.nextInt(4) == 0 ? outer.stream() : Stream.empty())
            .filter(c -> c.kind() == kind)
            .toList();
    if (depth == 0 || random.nextInt(3) > 0) {
      return same.isEmpty() || random.nextInt(9) == 0
          ? constant(kind)
          : Node.of(kind, pick(same).name());
    }
    Function<Kind, Node> any = k -> value(k, depth - 1, columns, outer);
    switch (random.nextInt(8)) {
      case 0:
        return Node.of(
            kind,
            "CASE WHEN § THEN § ELSE § END",
            truth(0, columns, outer),
            any.apply(kind),
            any.apply(kind));
      case 1:
        return Node.of(kind, "CASE WHEN § THEN § END", truth(0, columns, outer), any.apply(kind));
      case 2:
        return Node.of(kind, "COALESCE(§, §)", any.apply(kind), any.apply(kind));
      case 3:
        return Node.of(kind, "NULLIF(§, §)", any.apply(kind), any.apply(kind));
      default:
        break;
    }
    return switch (kind) {
      case WHOLE ->
          switch (random.nextInt(8)) {
            case 0 -> Node.of(kind, "CHAR_LENGTH(§)", any.apply(Kind.TEXT));
            case 4 ->
                Node.of(
                    kind,
                    "EXTRACT(%s FROM §)".formatted(pick(List.of("HOUR", "MINUTE"))),
                    any.apply(Kind.CLOCK));
            case 5 -> Node.of(kind, "OCTET_LENGTH(§)", any.apply(Kind.BYTES));
            case 1 ->
                Node.of(
                    kind,
                    "EXTRACT(%s FROM §)".formatted(pick(List.of("YEAR", "MONTH", "DAY"))),
                    any.apply(Kind.DATE));
            case 2 -> Node.of(kind, "ABS(§)", any.apply(kind));
            case 3 -> Node.of(kind, "MOD(§, %d)".formatted(2 + random.nextInt(4)), any.apply(kind));
            default -> computed(kind, any);
          };
      case EXACT ->
          switch (random.nextInt(5)) {
            case 0 -> Node.of(kind, "CAST(§ AS DECIMAL(12, 2))", any.apply(Kind.WHOLE));
            case 1 -> Node.of(kind, "ABS(§)", any.apply(kind));
            case 2 -> Node.of(kind, "(§ + §)", any.apply(kind), any.apply(Kind.WHOLE));
            default -> computed(kind, any);
          };
      case DOUBLE -> computed(kind, any);
      case TEXT ->
          switch (random.nextInt(4)) {
            case 0 -> Node.of(kind, "UPPER(§)", any.apply(kind));
            case 1 -> Node.of(kind, "SUBSTRING(§ FROM 2 FOR 3)", any.apply(kind));
            case 2 -> Node.of(kind, "TRIM(§)", any.apply(kind));
            default -> Node.of(kind, "(§ || §)", any.apply(kind), any.apply(kind));
          };
      case DATE ->
          random.nextBoolean()
              ? Node.of(kind, "CAST(§ AS DATE)", any.apply(Kind.STAMP))
              : Node.of(
                  kind,
                  "(§ + INTERVAL '%d' %s)"
                      .formatted(random.nextInt(40), pick(List.of("DAY", "MONTH"))),
                  any.apply(kind));
      case STAMP ->
          Node.of(
              kind,
              "(§ + INTERVAL '%d' %s)".formatted(random.nextInt(40), pick(List.of("DAY", "HOUR"))),
              any.apply(kind));
      case CLOCK -> Node.of(kind, "CAST(§ AS TIME(6))", any.apply(Kind.STAMP));
      case INSTANT ->
          random.nextBoolean()
              ? new Node(
                  kind, "CAST(§ AS TIMESTAMP WITH TIME ZONE)", "§", List.of(any.apply(Kind.STAMP)))
              : Node.of(
                  kind, "(§ + INTERVAL '%d' HOUR)".formatted(random.nextInt(40)), any.apply(kind));
      case BYTES -> Node.of(kind, "(§ || §)", any.apply(kind), any.apply(kind));
      case ID -> any.apply(kind);
      case TRUTH -> Node.of(kind, "(§)", truth(0, columns, outer));
      default -> throw new IllegalArgumentException(Arrays.asList(kind, depth).toString());
    };
  }
}
