package yardage.core.sql;

import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.calcite.sql.parser.SqlParseException;
import org.apache.calcite.sql.parser.SqlParser;
import org.apache.calcite.sql.parser.SqlParserPos;

/** What the parser stumbles over, in plain words with the mend. */
final class ParseMistakes {
  private static final Pattern UNEXPECTED =
      Pattern.compile("Encountered \"((?:[^\"\\\\]|\\\\.)*)\".*", Pattern.DOTALL);
  private static final Pattern KEYWORD =
      Pattern.compile("Incorrect syntax near the keyword '([^']*)'.*", Pattern.DOTALL);
  private static final Pattern NO_TOKEN =
      Pattern.compile("Lexical error at .*Encountered: \"(.)\".*", Pattern.DOTALL);
  private static final Pattern LAST_WORD = Pattern.compile("(\\w+)\\s*$");

  /** Words that begin a part of a query: what is wrong stands before them. */
  private static final Set<String> BEGIN_A_PART =
      Set.of(
          "FROM",
          "WHERE",
          "GROUP",
          "HAVING",
          "ORDER",
          "UNION",
          "EXCEPT",
          "INTERSECT",
          "JOIN",
          "ON",
          "AND",
          "OR",
          "LIMIT",
          "FETCH",
          "OFFSET",
          "THEN",
          "ELSE",
          "END",
          "AS");

  /** Statements that change something, and that the parser does not know. */
  private static final Set<String> CHANGES =
      Set.of("CREATE", "DROP", "ALTER", "TRUNCATE", "GRANT", "REVOKE", "RENAME", "COMMIT");

  /** What other programs write, and how it is written here. */
  private static final Map<String, String> ELSEWHERE =
      Map.ofEntries(
          Map.entry("= =", "; two things are compared with one ="),
          Map.entry("[", "; a name is put in double quotes"),
          Map.entry("`", "; a name is put in double quotes"),
          Map.entry("~", "; a pattern is looked for with REGEXP_LIKE(loom, 'pattern') or LIKE"),
          Map.entry("@", "; a value that is given is written :name"),
          Map.entry("#", "; a comment begins with --"),
          Map.entry(": :", "; a type is changed with CAST(value AS type)"),
          Map.entry("=>", "; at least is written >="),
          Map.entry("=<", "; at most is written <="),
          Map.entry("<> =", "; unlike is written <>"),
          Map.entry(";", "; there is one query at a time"),
          Map.entry(")", "; is something missing before it, or is a bracket too many?"));

  private static final Set<String> RESERVED =
      Set.copyOf(
          SqlParser.create("", SqlParsing.PARSER).getMetadata().getTokens().stream()
              .filter(t -> SqlParser.create("", SqlParsing.PARSER).getMetadata().isReservedWord(t))
              .toList());

  private ParseMistakes() {}

  static boolean isReserved(String word) {
    return RESERVED.contains(word.toUpperCase(Locale.ROOT));
  }

  /**
   * @param sql what was parsed, as the places in the error count
   */
  static SqlProblem problem(SqlParseException e, String sql) {
    SqlParserPos pos =
        e.getPos() == null || e.getPos().getLineNum() < 1
            ? new SqlParserPos(1, 1, 1, 1)
            : e.getPos();
    return new SqlProblem(
        pos.getLineNum(),
        pos.getColumnNum(),
        pos.getEndLineNum(),
        pos.getEndColumnNum(),
        message(
            e.getMessage() == null ? "" : WordsAsNames.restored(e.getMessage()), before(sql, pos)),
        Optional.empty());
  }

  /** The word before a place, in capitals; empty where there is none. */
  private static String before(String sql, SqlParserPos pos) {
    Matcher m = LAST_WORD.matcher(sql.substring(0, offset(sql, pos)));
    return m.find() ? m.group(1).toUpperCase(Locale.ROOT) : "";
  }

  /** How many characters stand before a place; all of them where the text ends before it. */
  static int offset(String sql, SqlParserPos pos) {
    int at = 0;
    for (int line = 1; line < pos.getLineNum(); line++) {
      int end = sql.indexOf('\n', at);
      if (end < 0) {
        return sql.length();
      }
      at = end + 1;
    }
    return Math.min(sql.length(), at + pos.getColumnNum() - 1);
  }

  private static String message(String text, String before) {
    Matcher m = UNEXPECTED.matcher(text);
    String found = m.matches() ? m.group(1).replaceAll("\\\\(.)", "$1") : "";
    if (found.endsWith("<EOF>")) {
      return "The SQL ends too early: something must follow here";
    }
    for (Pattern other : List.of(NO_TOKEN, KEYWORD)) {
      Matcher word = other.matcher(text);
      found = word.matches() ? word.group(1) : found;
    }
    if (!found.isEmpty()) {
      return told(found, before);
    }
    return text.startsWith("Non-query expression")
        ? "This is not a query; a query starts with SELECT, WITH or VALUES"
        : PlainWords.of(SqlMessages.firstLine(text))
            .orElse("This is not SQL: " + SqlMessages.firstLine(text));
  }

  private static String told(String found, String before) {
    String first = found.replaceFirst("\\s.*", "").toUpperCase(Locale.ROOT);
    if (before.isEmpty() && CHANGES.contains(first)) {
      return "A query only reads; %s changes something, and tables are written by pipelines"
          .formatted(first);
    }
    if (before.isEmpty() && (first.equals("SHOW") || first.equals("USE"))) {
      return "This is not a query; what there is to read stands in information_schema.tables and information_schema.columns";
    }
    if (before.equals("LIMIT") || before.equals("OFFSET")) {
      return "%s takes a number of rows, as in %s 10".formatted(before, before);
    }
    if (before.equals("TOP")) {
      return "TOP is not used here; write LIMIT %s at the end of the query".formatted(found);
    }
    if (first.equals("UNNEST")) {
      return "UNNEST makes rows and stands in FROM, as in FROM bales AS b, UNNEST(b.tags) AS g (tag)";
    }
    if (found.matches("\\. \\w+")) {
      String name = found.substring(2);
      return "[%s] is a word of SQL; as the name of a column it is put in double quotes, as in %s.\"%s\""
          .formatted(name, before.isEmpty() ? "t" : before.toLowerCase(Locale.ROOT), name);
    }
    return "[%s] cannot stand here%s"
        .formatted(found.replace("= =", "==").replace(": :", "::"), mended(found, first));
  }

  private static String mended(String found, String first) {
    if (ELSEWHERE.containsKey(found)) {
      return ELSEWHERE.get(found);
    }
    if (found.startsWith(",") || BEGIN_A_PART.contains(first)) {
      return "; is a comma too many before it, or is something missing there?";
    }
    if (!first.matches("[A-Z_]\\w*")) {
      return "";
    }
    return isReserved(first)
        ? "; if it is the name of a column or table, put it in double quotes"
        : "; is the word before it misspelt, or is a comma missing there?";
  }
}
