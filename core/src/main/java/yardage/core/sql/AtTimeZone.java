package yardage.core.sql;

import java.util.HashSet;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlDynamicParam;
import org.apache.calcite.sql.SqlFunction;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParseException;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlShuttle;

/**
 * Reads {@code time AT TIME ZONE 'zone'} (ISO SQL:2016, 6.35), which the grammar does not have. The
 * words are replaced by an operator that binds as they do, in as many characters, so that all
 * places stay; its calls become calls of a function, found by the places of the zones.
 */
final class AtTimeZone extends SqlShuttle {
  private static final Pattern WORDS =
      Pattern.compile("\\bAT\\s+TIME\\s+ZONE\\b\\s*", Pattern.CASE_INSENSITIVE);

  private final SqlFunction function;

  /** Line and column of each zone. */
  private final Set<SqlParserPos> zones;

  private AtTimeZone(SqlFunction function, Set<SqlParserPos> zones) {
    this.function = function;
    this.zones = zones;
  }

  /**
   * @param function of a time and the name of a zone
   */
  static SqlNode read(String sql, SqlFunction function, WordsAsNames.Reader reader)
      throws SqlParseException {
    StringBuilder text = new StringBuilder(sql);
    Set<SqlParserPos> zones = new HashSet<>();
    Matcher words = WORDS.matcher(sql);
    for (int i = 0; i < sql.length(); i++) {
      int behind = QueryParameters.behindQuoted(sql, i);
      if (behind > i) {
        i = behind - 1;
      } else if ((sql.charAt(i) | 0x20) == 'a'
          && (i == 0 || !QueryParameters.isOfName(sql.charAt(i - 1)))
          && words.region(i, sql.length()).lookingAt()) {
        // Line ends stay, for the places of what follows.
        String blank = words.group().replaceAll("[^\\r\\n]", " ");
        text.replace(i, words.end(), "||" + blank.substring(2));
        zones.add(place(sql, words.end()));
        i = words.end() - 1;
      }
    }
    SqlNode read = reader.read(text.toString());
    if (zones.isEmpty()) {
      return read;
    }
    return read.accept(new AtTimeZone(function, zones));
  }

  private static SqlParserPos place(String sql, int at) {
    int line = 1 + (int) sql.substring(0, at).chars().filter(c -> c == '\n').count();
    int column = at - sql.lastIndexOf('\n', at - 1);
    return new SqlParserPos(line, column);
  }

  @Override
  public SqlNode visit(SqlCall call) {
    SqlNode same = super.visit(call);
    if (same instanceof SqlCall c && c.getOperator() == SqlStdOperatorTable.CONCAT) {
      SqlParserPos at = c.operand(1).getParserPosition();
      if (zones.contains(new SqlParserPos(at.getLineNum(), at.getColumnNum()))) {
        if (!(c.operand(1) instanceof SqlLiteral || c.operand(1) instanceof SqlDynamicParam)) {
          throw SqlProblemException.at(
              at, "Write the zone as a constant, as in AT TIME ZONE 'Europe/Lisbon'");
        }
        return function.createCall(c.getParserPosition(), c.getOperandList());
      }
    }
    return same;
  }
}
