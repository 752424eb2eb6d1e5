package yardage.core.sql;

import com.google.common.collect.ImmutableList;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import org.apache.calcite.sql.SqlBasicCall;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlFunctionCategory;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlUnresolvedFunction;
import org.apache.calcite.sql.parser.SqlParseException;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlBasicVisitor;

/**
 * Words that the grammar keeps for itself and that people call their columns: {@code day}, {@code
 * value}. A query that cannot be read is read again with such a word, where it stopped, as a name.
 * So every query that could be read without this means what it meant.
 *
 * <p>Until it is read, the word's first letter is replaced by another letter, which keeps all
 * places.
 */
final class WordsAsNames {
  private static final Set<String> WORDS =
      Set.of(
          "YEAR",
          "QUARTER",
          "MONTH",
          "WEEK",
          "DAY",
          "HOUR",
          "MINUTE",
          "SECOND",
          "VALUE",
          "RESULT",
          "START",
          "METHOD",
          "LANGUAGE",
          "CORR",
          "REGR_SLOPE",
          "REGR_INTERCEPT",
          "REGR_R2",
          "REGR_AVGX",
          "REGR_AVGY",
          "REGR_SXX",
          "REGR_SYY",
          "REGR_SXY");

  /** From a letter of ASCII to one of a block that no one writes SQL in, U+1400 to U+147F. */
  private static final int MOVE = 0x1400;

  /** Each is one more reading of the whole. */
  private static final int MOST = 40;

  /** What a text is read by. */
  interface Reader {
    SqlNode read(String sql) throws SqlParseException;
  }

  private WordsAsNames() {}

  /**
   * @throws SqlParseException the first one, unless words as names led to one further on
   */
  static SqlNode read(String sql, Reader reader) throws SqlParseException {
    SqlParseException first;
    try {
      return reader.read(sql);
    } catch (SqlParseException e) {
      first = e;
    }
    if (sql.chars().anyMatch(WordsAsNames::isMoved)) {
      throw first;
    }
    SqlParseException last = first;
    StringBuilder text = new StringBuilder(sql);
    for (int i = 0; i < MOST && last.getPos() != null; i++) {
      int at = wordAt(text, ParseMistakes.offset(sql, last.getPos()));
      if (at < 0) {
        break;
      }
      text.setCharAt(at, (char) (text.charAt(at) + MOVE));
      try {
        SqlNode node = reader.read(text.toString());
        node.accept(new Restoring());
        return node;
      } catch (SqlParseException e) {
        last = e;
      }
    }
    throw isBehind(last.getPos(), first.getPos()) ? last : first;
  }

  /** A text of the parser's with the words as they were written. */
  static String restored(String text) {
    StringBuilder out = new StringBuilder(text);
    for (int i = 0; i < out.length(); i++) {
      if (isMoved(out.charAt(i))) {
        out.setCharAt(i, (char) (out.charAt(i) - MOVE));
      }
    }
    return out.toString();
  }

  private static boolean isMoved(int c) {
    return c >= MOVE && c < MOVE + 128;
  }

  private static boolean isBehind(SqlParserPos a, SqlParserPos b) {
    return a != null
        && b != null
        && (a.getLineNum() > b.getLineNum()
            || a.getLineNum() == b.getLineNum() && a.getColumnNum() > b.getColumnNum());
  }

  /** Where such a word begins: at a place, behind a dot there, or before it; -1 if nowhere. */
  private static int wordAt(CharSequence text, int at) {
    if (at < 0 || at >= text.length()) {
      return -1;
    }
    int here = at;
    if (text.charAt(here) == '.') {
      here++;
      while (here < text.length() && Character.isWhitespace(text.charAt(here))) {
        here++;
      }
    }
    if (isWord(text, here)) {
      return here;
    }
    int before = withoutBlanks(text, at);
    while (before > 0 && QueryParameters.isOfName(text.charAt(before - 1))) {
      before--;
    }
    return isWord(text, before) ? before : -1;
  }

  /** Where what stands before a place ends. */
  private static int withoutBlanks(CharSequence text, int at) {
    int end = at;
    while (end > 0 && Character.isWhitespace(text.charAt(end - 1))) {
      end--;
    }
    return end;
  }

  /** No unit behind a number: {@code 5 minute} is no column with a new name. */
  private static boolean isWord(CharSequence text, int at) {
    int to = at;
    while (to < text.length() && QueryParameters.isOfName(text.charAt(to))) {
      to++;
    }
    int before = withoutBlanks(text, at);
    boolean behindValue =
        before > 0
            && (Character.isDigit(text.charAt(before - 1)) || text.charAt(before - 1) == '\'');
    return !behindValue
        && WORDS.contains(text.subSequence(at, to).toString().toUpperCase(Locale.ROOT));
  }

  /** Gives names back their first letters. */
  private static final class Restoring extends SqlBasicVisitor<Void> {
    @Override
    public Void visit(SqlIdentifier name) {
      List<SqlParserPos> places = new ArrayList<>();
      for (int i = 0; i < name.names.size(); i++) {
        places.add(name.getComponentParserPosition(i));
      }
      name.setNames(
          ImmutableList.copyOf(name.names.stream().map(WordsAsNames::restored).toList()), places);
      return null;
    }

    @Override
    public Void visit(SqlCall call) {
      if (call instanceof SqlBasicCall basic
          && call.getOperator() instanceof SqlUnresolvedFunction f
          && f.getSqlIdentifier() != null) {
        visit(f.getSqlIdentifier());
        basic.setOperator(
            new SqlUnresolvedFunction(
                f.getSqlIdentifier(),
                null,
                null,
                null,
                null,
                SqlFunctionCategory.USER_DEFINED_FUNCTION));
      }
      return super.visit(call);
    }
  }
}
