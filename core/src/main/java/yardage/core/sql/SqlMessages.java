package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.calcite.runtime.CalciteContextException;
import org.apache.calcite.sql.parser.SqlParseException;
import org.apache.calcite.sql.parser.SqlParserPos;
import yardage.core.document.Names;

/**
 * Turns the library's errors into problems in plain words, with the nearest name where a name is
 * unknown.
 */
final class SqlMessages {
  private static final Pattern UNKNOWN_COLUMN =
      Pattern.compile(
          "Column '([^']*)' not found in (?:any table|table '([^']*)').*", Pattern.DOTALL);
  private static final Pattern AMBIGUOUS =
      Pattern.compile("Column '([^']*)' is ambiguous.*", Pattern.DOTALL);
  private static final Pattern UNKNOWN_TABLE =
      Pattern.compile(
          "(?:Object|Table) '([^']*)' not found(?: within '([^']*)')?.*", Pattern.DOTALL);
  private static final Pattern UNKNOWN_FUNCTION =
      Pattern.compile("No match found for function signature (.*)", Pattern.DOTALL);
  private static final Pattern NOT_GROUPED =
      Pattern.compile("Expression '([^']*)' is not being grouped.*", Pattern.DOTALL);
  private static final Pattern WRONG_TYPES =
      Pattern.compile("Cannot apply '([^']*)' to arguments of type '([^']*)'.*", Pattern.DOTALL);
  private static final Pattern UNEXPECTED =
      Pattern.compile("Encountered \"([^\"]*)\".*", Pattern.DOTALL);

  private SqlMessages() {}

  static SqlProblem problem(Throwable error, List<String> columns, List<String> relations) {
    Throwable t = error;
    while (t != null
        && !(t instanceof CalciteContextException)
        && !(t instanceof SqlParseException)) {
      t = t.getCause();
    }
    if (t instanceof CalciteContextException e) {
      String text =
          e.getCause() == null || e.getCause().getMessage() == null
              ? e.getMessage()
              : e.getCause().getMessage();
      return explain(
          text,
          e.getPosLine(),
          e.getPosColumn(),
          e.getEndPosLine(),
          e.getEndPosColumn(),
          columns,
          relations);
    }
    if (t instanceof SqlParseException e) {
      SqlParserPos pos = e.getPos() == null ? SqlParserPos.ZERO : e.getPos();
      Matcher m = UNEXPECTED.matcher(e.getMessage());
      String found = m.matches() ? m.group(1) : "";
      String text =
          found.equals("<EOF>")
              ? "The expression ends too early"
              : found.isEmpty()
                  ? "This is not SQL: " + firstLine(e.getMessage())
                  : "[%s] cannot stand here%s".formatted(found, reserved(found));
      return new SqlProblem(
          pos.getLineNum(),
          pos.getColumnNum(),
          pos.getEndLineNum(),
          pos.getEndColumnNum(),
          text,
          Optional.empty());
    }
    return new SqlProblem(
        1,
        1,
        1,
        1,
        error.getMessage() == null ? error.toString() : firstLine(error.getMessage()),
        Optional.empty());
  }

  private static String reserved(String word) {
    return word.matches("[A-Za-z_]+") ? "; if it is a name, put it in double quotes" : "";
  }

  private static SqlProblem explain(
      String text,
      int line,
      int column,
      int endLine,
      int endColumn,
      List<String> columns,
      List<String> relations) {
    String message = firstLine(text);
    Optional<String> fix = Optional.empty();
    Matcher m;
    if ((m = UNKNOWN_COLUMN.matcher(text)).matches()) {
      fix = nearest(m.group(1), columns);
      message =
          "There is no column [%s]%s"
              .formatted(
                  m.group(1),
                  fix.map(f -> "; did you mean [%s]?".formatted(f))
                      .orElse(columns.isEmpty() ? "" : "; there are " + few(columns)));
    } else if ((m = AMBIGUOUS.matcher(text)).matches()) {
      message =
          "The column [%s] is on more than one side; write side.%s"
              .formatted(m.group(1), m.group(1));
    } else if ((m = UNKNOWN_TABLE.matcher(text)).matches()) {
      String name = m.group(2) == null ? m.group(1) : m.group(2) + "." + m.group(1);
      fix = nearest(name, relations);
      message =
          "There is no table or input [%s]%s"
              .formatted(
                  name,
                  fix.map(f -> "; did you mean [%s]?".formatted(f))
                      .orElse(relations.isEmpty() ? "" : "; there are " + few(relations)));
    } else if ((m = UNKNOWN_FUNCTION.matcher(text)).matches()) {
      message = "There is no function %s".formatted(m.group(1));
    } else if ((m = NOT_GROUPED.matcher(text)).matches()) {
      message = "[%s] is neither grouped by nor inside an aggregate function".formatted(m.group(1));
    } else if ((m = WRONG_TYPES.matcher(text)).matches()) {
      message =
          "[%s] does not go with %s; cast one side"
              .formatted(m.group(1), m.group(2).replaceAll("[<>]", "").toLowerCase(Locale.ROOT));
    }
    return new SqlProblem(line, column, endLine, endColumn, message, fix);
  }

  private static String few(List<String> names) {
    List<String> shown = names.size() > 12 ? new ArrayList<>(names.subList(0, 12)) : names;
    return String.join(", ", shown)
        + (names.size() > 12 ? " and %d more".formatted(names.size() - 12) : "");
  }

  static String firstLine(String text) {
    int end = text.indexOf('\n');
    return end < 0 ? text : text.substring(0, end).strip();
  }

  private static Optional<String> nearest(String wanted, List<String> names) {
    return Names.nearest(wanted, names);
  }
}
