package yardage.core.sql;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.IntFunction;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.calcite.sql.SqlBasicCall;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlDynamicParam;
import org.apache.calcite.sql.SqlFunction;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlNumericLiteral;
import org.apache.calcite.sql.SqlOrderBy;
import org.apache.calcite.sql.SqlSelect;
import org.apache.calcite.sql.SqlStarExclude;
import org.apache.calcite.sql.SqlUtil;
import org.apache.calcite.sql.SqlWindow;
import org.apache.calcite.sql.SqlWith;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParseException;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlBasicVisitor;
import org.apache.calcite.sql.util.SqlShuttle;

/**
 * What the grammar does not have: {@code time AT TIME ZONE 'zone'} and {@code FETCH FIRST 3 ROWS
 * WITH TIES} and {@code FETCH FIRST ROW ONLY} of the standard (ISO SQL:2016, 6.35 and 7.17), frames
 * that count groups ({@link WindowWords}), {@link JsonTables}, and {@code * EXCEPT (column, …)},
 * which many programs take. Their words are replaced by others in as many characters before the
 * text is parsed, so that all places stay; what they mean is put into the tree, found by its
 * places.
 */
final class BeyondGrammar extends SqlShuttle {
  private static final Pattern ZONE = words("AT\\s+TIME\\s+ZONE\\b\\s*");
  private static final Pattern TIES =
      words("(FETCH\\s+(?:FIRST|NEXT)\\s+)(\\S+)(\\s+ROWS?\\s+)(WITH\\s+TIES\\b)");
  private static final Pattern ONE_ROW =
      words("FETCH\\s+(?:FIRST|NEXT)\\s+ROWS?\\s+(?:ONLY|(WITH\\s+TIES))\\b");
  private static final Pattern BUT =
      Pattern.compile(
          "\\*\\s*(EXCEPT\\s*\\(\\s*((?:\\w+|\"[^\"]*\")(?:\\s*,\\s*(?:\\w+|\"[^\"]*\"))*)\\s*\\))",
          Pattern.CASE_INSENSITIVE);
  private static final Pattern GROUPS =
      words("(GROUPS)\\s+(?:BETWEEN|CURRENT|UNBOUNDED|\\S+\\s+(?:PRECEDING|FOLLOWING))\\b");
  private static final String LIMIT = "LIMIT ";
  private static final Pattern NAME = Pattern.compile("\\w+|\"[^\"]*\"");
  private static final Set<String> QUERIES = Set.of("SELECT", "VALUES", "WITH", "TABLE");

  private final SqlFunction atZone;

  /** Where zones begin. */
  private final Set<SqlParserPos> zones = new HashSet<>();

  /** Where the numbers of rows begin. */
  private final Set<SqlParserPos> ties = new HashSet<>();

  /** Where frames of windows begin that count groups. */
  private final Set<SqlParserPos> groups = new HashSet<>();

  /** What is left out, by where the star stands. */
  private final Map<SqlParserPos, SqlNodeList> leftOut = new HashMap<>();

  private final JsonTables jsonTables;

  private BeyondGrammar(SqlFunction atZone, WordsAsNames.Reader reader) {
    this.atZone = atZone;
    jsonTables = new JsonTables(reader);
  }

  static Pattern words(String regex) {
    return Pattern.compile("\\b" + regex, Pattern.CASE_INSENSITIVE);
  }

  /**
   * @param atZone the function of a time and the name of a zone
   */
  static SqlNode read(String sql, SqlFunction atZone, WordsAsNames.Reader reader)
      throws SqlParseException {
    BeyondGrammar beyond = new BeyondGrammar(atZone, reader);
    SqlNode read = reader.read(beyond.within(sql));
    return read.accept(beyond);
  }

  /** The text without what the grammar lacks, whose places are kept. */
  private String within(String sql) {
    StringBuilder text = new StringBuilder(sql);
    for (int i = 0; i < sql.length(); i++) {
      int behind = QueryParameters.behindQuoted(sql, i);
      if (behind > i) {
        i = behind - 1;
        continue;
      }
      char c = Character.toUpperCase(sql.charAt(i));
      Matcher m;
      if (c == 'A' && (m = at(ZONE, sql, i)) != null) {
        put(text, i, m.end(), "||");
        zones.add(place(sql, m.end()));
      } else if (c == 'F' && (m = at(TIES, sql, i)) != null) {
        put(text, m.start(4), m.end(4), "ONLY");
        ties.add(place(sql, m.start(2)));
      } else if (c == 'F' && (m = at(ONE_ROW, sql, i)) != null) {
        put(text, i, m.end(), LIMIT + 1);
        if (m.group(1) != null) {
          ties.add(place(sql, i + LIMIT.length()));
        }
      } else if (c == 'G' && (m = at(GROUPS, sql, i)) != null) {
        put(text, m.start(1), m.end(1), "ROWS");
        groups.add(place(sql, i));
      } else if (c == 'J') {
        SqlParserPos place = place(sql, i);
        jsonTables.at(sql, i, place).ifPresent(t -> put(text, t.from(), t.to(), ""));
      } else if (c == '*' && (m = at(BUT, sql, i)) != null) {
        List<SqlNode> names = names(sql, m);
        if (!names.isEmpty()) {
          put(text, m.start(1), m.end(1), "");
          leftOut.put(place(sql, i), new SqlNodeList(names, place(sql, m.start(2))));
        }
      }
    }
    return text.toString();
  }

  /** The match that begins at a place; null without one. */
  static Matcher at(Pattern pattern, String sql, int at) {
    Matcher m = pattern.matcher(sql).region(at, sql.length()).useTransparentBounds(true);
    return m.lookingAt() ? m : null;
  }

  /** Puts a word and blanks into a place; line ends stay, for the places of what follows. */
  private static void put(StringBuilder text, int from, int to, String word) {
    String blank = text.substring(from, to).replaceAll("[^\\r\\n]", " ");
    text.replace(from, to, word + blank.substring(word.length()));
  }

  /** The columns in the brackets; none where a query stands there. */
  private static List<SqlNode> names(String sql, Matcher but) {
    List<SqlNode> out = new ArrayList<>();
    Matcher name = NAME.matcher(sql).region(but.start(2), but.end(2));
    while (name.find()) {
      String word = name.group();
      boolean quoted = word.startsWith("\"");
      if (!quoted && QUERIES.contains(word.toUpperCase(java.util.Locale.ROOT))) {
        return List.of();
      }
      out.add(
          new SqlIdentifier(
              quoted ? word.substring(1, word.length() - 1) : word, place(sql, name.start())));
    }
    return out;
  }

  private static SqlParserPos place(String sql, int at) {
    int line = 1 + (int) sql.substring(0, at).chars().filter(c -> c == '\n').count();
    return new SqlParserPos(line, at - sql.lastIndexOf('\n', at - 1));
  }

  private static SqlParserPos beginning(SqlNode node) {
    SqlParserPos at = node.getParserPosition();
    return new SqlParserPos(at.getLineNum(), at.getColumnNum());
  }

  @Override
  public SqlNode visit(SqlIdentifier name) {
    if (!name.isStar()) {
      return name;
    }
    SqlParserPos at = name.getParserPosition();
    SqlNodeList but = leftOut.get(new SqlParserPos(at.getEndLineNum(), at.getEndColumnNum()));
    return but == null ? name : new SqlStarExclude(at, name, but);
  }

  @Override
  public SqlNode visit(SqlCall call) {
    SqlNode same = super.visit(call);
    if (same instanceof SqlWindow window) {
      return WindowWords.inGroups(window, groups);
    }
    if (same.getKind() == SqlKind.OVER) {
      return WindowWords.plain((SqlCall) same);
    }
    if (same instanceof SqlOrderBy order
        && order.fetch != null
        && ties.contains(beginning(order.fetch))) {
      return withTies(order);
    }
    if (same instanceof SqlBasicCall c
        && c.getOperator() == SqlStdOperatorTable.CONCAT
        && zones.contains(beginning(c.operand(1)))) {
      if (!(c.operand(1) instanceof SqlLiteral || c.operand(1) instanceof SqlDynamicParam)) {
        throw SqlProblemException.at(
            c.operand(1).getParserPosition(),
            "Write the zone as a constant, as in AT TIME ZONE 'Europe/Lisbon'");
      }
      return atZone.createCall(c.getParserPosition(), c.getOperandList());
    }
    return same instanceof SqlCall c ? jsonTables.in(c) : same;
  }

  /** The rows whose rank among all is low enough. */
  private static SqlNode withTies(SqlOrderBy order) {
    SqlParserPos at = order.fetch.getParserPosition();
    boolean inside = order.query instanceof SqlSelect s && !hasWindows(s);
    SqlSelect select =
        inside
            ? (SqlSelect) order.query
            : PlanSession.select(
                List.of(SqlIdentifier.star(SqlParserPos.ZERO)), order.query, null, null);
    if (order.orderList.isEmpty()) {
      throw SqlProblemException.at(at, "WITH TIES needs an ORDER BY, which says what ties are");
    }
    if (order.offset != null || select.isDistinct()) {
      throw SqlProblemException.at(
          at,
          "WITH TIES does not go with %s; put that into a query in FROM"
              .formatted(order.offset != null ? "OFFSET" : "DISTINCT"));
    }
    List<SqlNode> keys = new ArrayList<>();
    for (SqlNode key : order.orderList) {
      keys.add(key(key, inside ? n -> item(select, n, key) : n -> column(order.query, n, key)));
    }
    SqlNode rank =
        SqlStdOperatorTable.OVER.createCall(
            at,
            SqlStdOperatorTable.RANK.createCall(at),
            SqlWindow.create(
                null,
                null,
                SqlNodeList.EMPTY,
                new SqlNodeList(keys, at),
                SqlLiteral.createBoolean(false, at),
                null,
                null,
                null,
                at));
    SqlNode low = SqlStdOperatorTable.LESS_THAN_OR_EQUAL.createCall(at, rank, order.fetch);
    select.setQualify(
        select.getQualify() == null
            ? low
            : SqlStdOperatorTable.AND.createCall(at, select.getQualify(), low));
    return new SqlOrderBy(order.getParserPosition(), select, order.orderList, null, null);
  }

  /** Windows do not stand in each other: a query that has some becomes the one that is ranked. */
  private static boolean hasWindows(SqlSelect select) {
    boolean[] found = {select.getQualify() != null};
    select
        .getSelectList()
        .accept(
            new SqlBasicVisitor<Void>() {
              @Override
              public Void visit(SqlCall call) {
                found[0] |= call.getKind() == SqlKind.OVER;
                return super.visit(call);
              }
            });
    return found[0];
  }

  /** A key of the order; where a number stands for a column of the list, that column. */
  private static SqlNode key(SqlNode key, IntFunction<SqlNode> column) {
    if (key instanceof SqlCall c
        && (c.getKind() == SqlKind.DESCENDING
            || c.getKind() == SqlKind.NULLS_FIRST
            || c.getKind() == SqlKind.NULLS_LAST)) {
      return c.getOperator().createCall(c.getParserPosition(), key(c.operand(0), column));
    }
    return key instanceof SqlNumericLiteral number && number.isInteger()
        ? column.apply(number.intValue(true))
        : key;
  }

  /** What stands at a place of a list, without its name. */
  private static SqlNode item(SqlSelect select, int place, SqlNode key) {
    List<SqlNode> items = select.getSelectList();
    boolean star =
        items.subList(0, Math.max(0, Math.min(place, items.size()))).stream()
            .anyMatch(
                i -> i instanceof SqlStarExclude || i instanceof SqlIdentifier n && n.isStar());
    if (star) {
      throw SqlProblemException.at(
          key.getParserPosition(),
          "With * in the list, WITH TIES needs the column of ORDER BY by its name");
    }
    if (place < 1 || place > items.size()) {
      // ORDER BY itself is told that there is none.
      return key;
    }
    SqlNode item = items.get(place - 1);
    return item.getKind() == SqlKind.AS ? ((SqlCall) item).operand(0) : item;
  }

  /** The name under which a query gives the column at a place. */
  private static SqlNode column(SqlNode query, int place, SqlNode key) {
    if (query instanceof SqlWith with) {
      return column(with.body, place, key);
    } else if (query instanceof SqlSelect select) {
      if (item(select, place, key) == key) {
        return key;
      }
      SqlNode named = select.getSelectList().get(place - 1);
      if (named.getKind() == SqlKind.AS) {
        return ((SqlCall) named).operand(1);
      } else if (named instanceof SqlIdentifier id) {
        return id.getComponent(id.names.size() - 1);
      }
    } else if (query instanceof SqlCall c && c.getKind().belongsTo(SqlKind.SET_QUERY)) {
      return column(c.operand(0), place, key);
    }
    return place < 1
        ? key
        : new SqlIdentifier(SqlUtil.deriveAliasFromOrdinal(place - 1), key.getParserPosition());
  }
}
