package yardage.core.sql;

import org.apache.calcite.avatica.util.Casing;
import org.apache.calcite.avatica.util.Quoting;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.parser.SqlParseException;
import org.apache.calcite.sql.parser.SqlParser;
import org.apache.calcite.sql.parser.SqlParserPos;

/** Texts to trees: the library's grammar, what it lacks, and problems in plain words. */
final class SqlParsing {
  static final SqlParser.Config PARSER =
      SqlParser.config()
          .withQuoting(Quoting.DOUBLE_QUOTE)
          .withUnquotedCasing(Casing.UNCHANGED)
          .withQuotedCasing(Casing.UNCHANGED)
          .withCaseSensitive(false)
          .withConformance(Conformance.INSTANCE)
          .withIdentifierMaxLength(256);

  private SqlParsing() {}

  /**
   * Parses a query whose first character stands at a line and column of a larger text, so that
   * problems name places there.
   *
   * @throws SqlProblemException when it is not SQL
   */
  static SqlNode query(String sql, int line, int column) {
    refuseNothing(sql, "query", line, column);
    SqlSize.check(sql, line, column);
    try {
      // One semicolon behind a query ends it, as people write it.
      String one = sql.stripTrailing();
      one = one.endsWith(";") ? one.substring(0, one.length() - 1) : sql;
      SqlNode query =
          read(padded(one, line, column), text -> SqlParser.create(text, PARSER).parseQuery());
      refuseWriting(query);
      TypeNames.check(query);
      return query;
    } catch (SqlParseException e) {
      throw new SqlProblemException(ParseMistakes.problem(e, padded(sql, line, column)), e);
    }
  }

  /** As {@link #query}, for one expression. */
  static SqlNode expression(String sql, int line, int column) {
    refuseNothing(sql, "expression", line, column);
    SqlSize.check(sql, line, column);
    try {
      SqlNode expression =
          read(padded(sql, line, column), text -> SqlParser.create(text, PARSER).parseExpression());
      TypeNames.check(expression);
      return expression;
    } catch (SqlParseException e) {
      throw new SqlProblemException(ParseMistakes.problem(e, padded(sql, line, column)), e);
    }
  }

  /** With what the grammar lacks. */
  private static SqlNode read(String sql, WordsAsNames.Reader reader) throws SqlParseException {
    return BeyondGrammar.read(
        sql, ScalarFunctions.AT_TIME_ZONE, text -> WordsAsNames.read(text, reader));
  }

  private static void refuseNothing(String sql, String what, int line, int column) {
    if (sql.isBlank()) {
      throw SqlProblemException.at(
          new SqlParserPos(line, column), "The %s is empty".formatted(what));
    }
  }

  private static void refuseWriting(SqlNode query) {
    if (query.getKind().belongsTo(SqlKind.DML)) {
      throw SqlProblemException.at(
          query.getParserPosition(),
          "A query only reads; %s changes a table, and tables are written by pipelines"
              .formatted(query.getKind()));
    }
  }

  /** Blank lines and blanks in front make the parser count as the larger text does. */
  private static String padded(String sql, int line, int column) {
    return "\n".repeat(Math.max(0, line - 1)) + " ".repeat(Math.max(0, column - 1)) + sql;
  }
}
