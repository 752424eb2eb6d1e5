package yardage.core.sql;

import java.util.function.Supplier;
import org.apache.calcite.sql.parser.SqlParserPos;

/**
 * Keeps SQL to what can be read and planned on an ordinary stack. The parser and the planner both
 * descend once per level and per link of a chain such as {@code a AND b AND …}; past some thousands
 * they fail in ways that tell nobody anything.
 */
final class SqlSize {
  static final int MAX_LENGTH = 200_000;
  static final int MAX_DEPTH = 200;
  static final int MAX_CHAIN = 1_000;

  private SqlSize() {}

  /**
   * Refuses SQL that is too long, too deep, or chains too much, and what is begun and never closed.
   *
   * @param line where the SQL begins in its text, from 1
   * @throws SqlProblemException with the place where it goes too far
   */
  static void check(String sql, int line, int column) {
    if (sql.length() > MAX_LENGTH) {
      throw refused(
          line,
          column,
          "The SQL has %,d characters; there may be %,d".formatted(sql.length(), MAX_LENGTH));
    }
    int depth = 0;
    int chain = 0;
    int atLine = line;
    int atColumn = column;
    for (int i = 0; i < sql.length(); ) {
      char c = sql.charAt(i);
      int next = i + 1;
      if (c == '\'' || c == '"') {
        next = sql.indexOf(c, i + 1) + 1;
      } else if (sql.startsWith("--", i)) {
        next = sql.indexOf('\n', i);
      } else if (sql.startsWith("/*", i)) {
        next = sql.indexOf("*/", i + 2) + 2;
        next = next == 1 ? 0 : next;
      } else if (c == '(') {
        depth++;
      } else if (c == ')') {
        depth--;
      } else if (Character.isLetter(c)) {
        while (next < sql.length() && Character.isJavaIdentifierPart(sql.charAt(next))) {
          next++;
        }
        String word = sql.substring(i, next);
        depth += word.equalsIgnoreCase("case") ? 1 : word.equalsIgnoreCase("end") ? -1 : 0;
        boolean links =
            word.equalsIgnoreCase("and")
                || word.equalsIgnoreCase("or")
                || word.equalsIgnoreCase("union")
                || word.equalsIgnoreCase("join")
                || word.equalsIgnoreCase("not");
        chain += links ? 1 : 0;
      } else if (c == ',') {
        // Items of a list stand beside each other, not below.
        chain = 0;
      } else if ("+-*/|%".indexOf(c) >= 0) {
        chain++;
      }
      if (next <= 0 && sql.startsWith("--", i)) {
        return;
      }
      if (next <= 0) {
        throw SqlProblemException.at(
            new SqlParserPos(atLine, atColumn),
            c == '/'
                ? "The comment that begins here is never closed; end it with */"
                : "The %s that begins here is never closed; end it with %s"
                    .formatted(c == '"' ? "name" : "text", c));
      }
      if (depth > MAX_DEPTH || chain > MAX_CHAIN) {
        throw refused(
            atLine,
            atColumn,
            depth > MAX_DEPTH
                ? "The SQL is nested more than %d levels deep here".formatted(MAX_DEPTH)
                : "The SQL chains more than %,d operators up to here".formatted(MAX_CHAIN));
      }
      for (; i < next && i < sql.length(); i++) {
        if (sql.charAt(i) == '\n') {
          atLine++;
          atColumn = 1;
        } else {
          atColumn++;
        }
      }
    }
  }

  /** Does a piece of reading or planning; a stack that is too short for it is told in words. */
  static <T> T within(int line, int column, Supplier<T> work) {
    try {
      return work.get();
    } catch (StackOverflowError e) {
      throw refused(line, column, "The SQL is nested too deeply, or chains too much");
    }
  }

  private static SqlProblemException refused(int line, int column, String what) {
    return SqlProblemException.at(
        new SqlParserPos(line, column),
        what + "; split it into steps, and write long lists as IN (…) or as a table to join with");
  }
}
