package yardage.core.sql;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.IntPredicate;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParseException;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlShuttle;

/**
 * {@code JSON_TABLE(text, 'path' COLUMNS (…))} of the standard (ISO SQL:2016, 7.11), which the
 * grammar does not have: a row for each thing at the path. It is read as the rows of a list, each
 * column as a {@code JSON_VALUE} of one of its elements.
 */
final class JsonTables {
  private static final Pattern BEGIN = BeyondGrammar.words("JSON_TABLE\\s*\\(");
  private static final Pattern COLUMNS = BeyondGrammar.words("COLUMNS\\s*\\(");
  private static final String NAME = "(\\w+|\"(?:[^\"]|\"\")+\")";
  private static final Pattern PLACE =
      Pattern.compile(NAME + "\\s+FOR\\s+ORDINALITY", Pattern.CASE_INSENSITIVE);
  private static final Pattern NESTED =
      Pattern.compile("NESTED\\s+(?:PATH\\s+)?'", Pattern.CASE_INSENSITIVE);
  private static final Pattern COLUMN =
      Pattern.compile(
          NAME
              + "\\s+(?<type>\\w[\\w\\s]*?(?:\\s*\\([\\d\\s,]+\\))?(?:\\s+WITH(?:OUT)?\\s+TIME\\s+ZONE)?)"
              + "(?<exists>\\s+EXISTS)?(?<json>\\s+FORMAT\\s+JSON)?"
              + "(?:\\s+PATH\\s+(?<path>'(?:[^']|'')*'))?"
              + "(?<other>\\s+(?:DEFAULT|NULL|ERROR)\\s.*)?",
          Pattern.CASE_INSENSITIVE | Pattern.DOTALL);

  /** Names of our own in what such a table is read as. */
  private static final String TEXT = "json_table_text";

  private static final String ITEM = "json_table_item";
  private static final String PLACE_OF = "json_table_place";

  private final WordsAsNames.Reader reader;

  /** What stands for a table, by where it begins. */
  private final Map<SqlParserPos, Read> tables = new HashMap<>();

  private record Read(String path, List<String> columns) {}

  JsonTables(WordsAsNames.Reader reader) {
    this.reader = reader;
  }

  /** Where the columns of a table stand in a text, which the grammar does not take. */
  record Columns(int from, int to) {}

  /**
   * A table that begins at a place of a text.
   *
   * @param place of {@code at}, as the parser counts
   * @return empty where there is none
   * @throws SqlProblemException when its columns cannot be read
   */
  Optional<Columns> at(String sql, int at, SqlParserPos place) {
    Matcher begin = BeyondGrammar.at(BEGIN, sql, at);
    if (begin == null) {
      return Optional.empty();
    }
    int comma = first(sql, begin.end(), i -> sql.charAt(i) == ',');
    int columns = first(sql, comma, i -> BeyondGrammar.at(COLUMNS, sql, i) != null);
    int close = first(sql, columns, i -> false);
    Matcher list = BeyondGrammar.at(COLUMNS, sql, columns);
    if (list == null) {
      throw wrong(
          place,
          "needs its columns, as in JSON_TABLE(note, '$.lots[*]' COLUMNS (lot varchar PATH '$.lot', kg int PATH '$.kg'))");
    }
    String path = comma < columns ? sql.substring(comma + 1, columns).strip() : "";
    if (!path.matches("(?s)'(?:[^']|'')*'")) {
      throw wrong(
          place, "needs the path of its rows as a constant, as in JSON_TABLE(note, '$.lots[*]'");
    }
    String parts = sql.substring(list.end(), first(sql, list.end(), i -> false));
    tables.put(place, new Read(path, columns(parts(parts), place)));
    return Optional.of(new Columns(columns, close));
  }

  private static SqlProblemException wrong(SqlParserPos place, String what) {
    return SqlProblemException.at(place, "JSON_TABLE " + what);
  }

  /**
   * The first place that is wanted or ends the brackets around, of those that stand in no quotes
   * and no other brackets; the end of the text without one.
   */
  private static int first(String text, int from, IntPredicate wanted) {
    int depth = 0;
    for (int i = from; i < text.length(); i++) {
      int behind = QueryParameters.behindQuoted(text, i);
      if (behind > i) {
        i = behind - 1;
        continue;
      }
      char c = text.charAt(i);
      if (depth == 0 && (c == ')' || wanted.test(i))) {
        return i;
      }
      depth += c == '(' ? 1 : c == ')' ? -1 : 0;
    }
    return text.length();
  }

  /** What commas part that stand in no brackets. */
  private static List<String> parts(String list) {
    List<String> out = new ArrayList<>();
    int from = 0;
    while (from <= list.length()) {
      int end = first(list, from, i -> list.charAt(i) == ',');
      out.add(list.substring(from, end).strip());
      from = end + 1;
    }
    return out;
  }

  /** Each column as an item of a list of columns. */
  private static List<String> columns(List<String> parts, SqlParserPos place) {
    List<String> out = new ArrayList<>();
    for (String part : parts) {
      Matcher counted = PLACE.matcher(part);
      Matcher column = COLUMN.matcher(part);
      if (NESTED.matcher(part).lookingAt()) {
        throw wrong(
            place,
            "has no NESTED columns; take the inner list as FORMAT JSON, and put another JSON_TABLE over it");
      } else if (counted.matches()) {
        out.add("%s AS %s".formatted(PLACE_OF, counted.group(1)));
      } else if (column.matches()) {
        out.add("%s AS %s".formatted(value(column), column.group(1)));
      } else {
        throw wrong(
            place,
            "cannot read the column [%s]; write its name, its type and its path, as in kg decimal(8, 2) PATH '$.kg', or place FOR ORDINALITY"
                .formatted(part.replaceAll("\\s+", " ")));
      }
    }
    return out;
  }

  private static String value(Matcher column) {
    String type = column.group("type").strip();
    String path =
        Optional.ofNullable(column.group("path")).orElseGet(() -> "'$.%s'".formatted(key(column)));
    String other = Optional.ofNullable(column.group("other")).orElse("");
    if (column.group("exists") != null) {
      String exists = "JSON_EXISTS(%s, %s)".formatted(ITEM, path);
      return type.equalsIgnoreCase("boolean")
          ? exists
          : "CAST(CASE WHEN %s THEN 1 ELSE 0 END AS %s)".formatted(exists, type);
    } else if (column.group("json") != null) {
      return "CAST(JSON_QUERY(%s, %s%s) AS %s)".formatted(ITEM, path, other, type);
    }
    return "JSON_VALUE(%s, %s RETURNING %s%s)".formatted(ITEM, path, type, other);
  }

  /** The key that a column without a path has: its name. */
  private static String key(Matcher column) {
    String name = column.group(1);
    return name.startsWith("\"")
        ? "\"%s\"".formatted(name.substring(1, name.length() - 1).replace("'", "''"))
        : name;
  }

  /** The table that a call stands for; the call itself where it stands for none. */
  SqlNode in(SqlCall call) {
    if (call.getKind() != SqlKind.COLLECTION_TABLE
        || !(call.operand(0) instanceof SqlCall function)) {
      return call;
    }
    SqlParserPos at = function.getParserPosition();
    Read table = tables.get(new SqlParserPos(at.getLineNum(), at.getColumnNum()));
    if (table == null || function.operandCount() != 2) {
      return call;
    }
    String text =
        "SELECT %s FROM UNNEST(JSON_ITEMS(%s, %s)) WITH ORDINALITY AS json_table_rows (%s, %s)"
            .formatted(String.join(", ", table.columns()), TEXT, table.path(), ITEM, PLACE_OF);
    SqlNode select;
    try {
      select = reader.read(text);
    } catch (SqlParseException e) {
      throw wrong(
          at, "has a column that cannot be read: " + e.getMessage().lines().findFirst().orElse(""));
    }
    return SqlStdOperatorTable.LATERAL.createCall(
        at, select.accept(new Put(function.operand(0), at)));
  }

  /** Puts the text into its place, and all else to where the table stands in the query. */
  private static final class Put extends SqlShuttle {
    private final SqlNode text;
    private final SqlParserPos at;

    Put(SqlNode text, SqlParserPos at) {
      this.text = text;
      this.at = at;
    }

    @Override
    public SqlNode visit(SqlIdentifier name) {
      return name.isSimple() && name.getSimple().equalsIgnoreCase(TEXT) ? text : name.clone(at);
    }
  }
}
