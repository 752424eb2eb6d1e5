package yardage.core.sql;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.sql.SqlDynamicParam;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlShuttle;
import yardage.core.column.Type;
import yardage.core.expr.Cast;
import yardage.core.expr.ExpressionException;

/**
 * The parameters of a query, written {@code :name}. Their values come as text and become constants:
 * never SQL. Each has the type that what stands beside it asks for.
 *
 * @param sql the query with a question mark for each, places kept
 * @param names of the question marks, in their order
 */
record QueryParameters(String sql, List<String> names) {

  /** Finds parameters outside quotes and comments. */
  static QueryParameters of(String sql) {
    StringBuilder out = new StringBuilder(sql);
    List<String> names = new ArrayList<>();
    for (int i = 0; i < out.length(); i++) {
      int behind = behindQuoted(sql, i);
      if (behind > i) {
        i = behind - 1;
      } else if (out.charAt(i) == ':'
          && (i == 0 || sql.charAt(i - 1) != ':')
          && i + 1 < sql.length()
          && Character.isLetter(sql.charAt(i + 1))) {
        int to = i + 1;
        while (to < sql.length() && isOfName(sql.charAt(to))) {
          to++;
        }
        names.add(sql.substring(i + 1, to));
        out.replace(i, to, "?" + " ".repeat(to - i - 1));
        i = to - 1;
      }
    }
    return new QueryParameters(out.toString(), List.copyOf(names));
  }

  /** Where a text in quotes or a comment ends that begins at a place; the place if none does. */
  static int behindQuoted(String sql, int at) {
    char c = sql.charAt(at);
    if (c == '\'' || c == '"') {
      return behind(sql, String.valueOf(c), at + 1);
    }
    return sql.startsWith("--", at)
        ? behind(sql, "\n", at)
        : sql.startsWith("/*", at) ? behind(sql, "*/", at + 2) : at;
  }

  private static int behind(String sql, String mark, int from) {
    int at = sql.indexOf(mark, from);
    return at < 0 ? sql.length() : at + mark.length();
  }

  static boolean isOfName(char c) {
    return Character.isLetterOrDigit(c) || c == '_';
  }

  /**
   * A query with constants in the place of its parameters.
   *
   * @param types of the question marks, in their order
   * @param given values by name; of an empty one null
   * @throws SqlProblemException where a value is missing, or is none of its type
   */
  SqlNode bound(
      SqlNode query, RelDataType types, Map<String, Optional<String>> given, PlanSession session) {
    return query.accept(
        new SqlShuttle() {
          @Override
          public SqlNode visit(SqlDynamicParam parameter) {
            SqlParserPos at = parameter.getParserPosition();
            RelDataType type = types.getFieldList().get(parameter.getIndex()).getType();
            String name = names.get(parameter.getIndex());
            return given
                .get(name)
                .map(text -> constant(name, text, SqlTypes.fromSql(type), at, session))
                .orElseGet(() -> SqlLiteral.createNull(at));
          }
        });
  }

  private static SqlNode constant(
      String name, String text, Type type, SqlParserPos at, PlanSession session) {
    try {
      return switch (type.kind()) {
        case VARCHAR -> SqlLiteral.createCharString(text, "UTF8", at);
        // With all of its digits: what it is compared with may have fewer.
        case INT, BIGINT, DECIMAL ->
            SqlLiteral.createExactNumeric(new BigDecimal(text.strip()).toPlainString(), at);
        default -> session.constant(Cast.parse(text, type), at);
      };
    } catch (ExpressionException | NumberFormatException e) {
      throw SqlProblemException.at(
          at, "The value [%s] of :%s is no %s".formatted(text, name, type));
    }
  }

  /** Refuses values that are missing, and values for nothing. */
  void check(SqlNode query, Map<String, Optional<String>> given) {
    String known =
        names.isEmpty()
            ? "; it has none"
            : "; there are " + names.stream().distinct().collect(Collectors.joining(", "));
    TreeSet<String> unknown = new TreeSet<>(given.keySet());
    names.forEach(unknown::remove);
    if (!unknown.isEmpty()) {
      throw SqlProblemException.at(
          query.getParserPosition(),
          "The query has no parameter [%s]%s".formatted(unknown.first(), known));
    }
    query.accept(
        new SqlShuttle() {
          @Override
          public SqlNode visit(SqlDynamicParam parameter) {
            SqlParserPos at = parameter.getParserPosition();
            if (parameter.getIndex() >= names.size()) {
              throw SqlProblemException.at(
                  at, "[?] cannot stand here; a parameter has a name, as in :hall");
            }
            String name = names.get(parameter.getIndex());
            if (!given.containsKey(name)) {
              throw SqlProblemException.at(
                  at,
                  "There is no value for :%s; give one, in the client with --set %s=…"
                      .formatted(name, name));
            }
            return parameter;
          }
        });
  }
}
