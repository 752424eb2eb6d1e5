package yardage.core.sql;

import java.util.List;
import java.util.Locale;
import java.util.Map;
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

  private static final Map<String, String> FAMILIES =
      Map.of(
          "NUMERIC", "number",
          "CHARACTER", "text",
          "BOOLEAN", "boolean",
          "DATE", "date",
          "TIMESTAMP", "timestamp",
          "ARRAY", "list",
          "ANY", "anything");

  private SqlMessages() {}

  /**
   * @param visible the columns of what the query reads
   * @param relations the names of all relations that there are
   */
  static SqlProblem problem(Throwable error, VisibleColumns visible, List<String> relations) {
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
      Explained explained = explain(text, visible, relations);
      return new SqlProblem(
          e.getPosLine(),
          e.getPosColumn(),
          e.getEndPosLine(),
          e.getEndPosColumn(),
          explained.message(),
          explained.fix());
    }
    if (t instanceof SqlParseException e) {
      SqlParserPos pos =
          e.getPos() == null || e.getPos().getLineNum() < 1
              ? new SqlParserPos(1, 1, 1, 1)
              : e.getPos();
      return new SqlProblem(
          pos.getLineNum(),
          pos.getColumnNum(),
          pos.getEndLineNum(),
          pos.getEndColumnNum(),
          parseError(e.getMessage() == null ? "" : e.getMessage()),
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

  private static String parseError(String text) {
    Matcher m = UNEXPECTED.matcher(text);
    String found = m.matches() ? m.group(1) : "";
    if (found.equals("<EOF>")) {
      return "The SQL ends too early: something must follow here";
    }
    if (found.equals(";")) {
      return "[;] cannot stand here; there is one query at a time";
    }
    if (!found.isEmpty()) {
      return "[%s] cannot stand here%s".formatted(found, reserved(found));
    }
    return text.startsWith("Non-query expression")
        ? "This is not a query; a query starts with SELECT, WITH or VALUES"
        : "This is not SQL: " + firstLine(text);
  }

  private static String reserved(String word) {
    return word.matches("[A-Za-z_]+")
        ? "; if it is the name of a column or table, put it in double quotes"
        : "";
  }

  private record Explained(String message, Optional<String> fix) {
    static Explained of(String message) {
      return new Explained(message, Optional.empty());
    }
  }

  private static Explained explain(String text, VisibleColumns visible, List<String> relations) {
    Matcher m;
    if ((m = UNKNOWN_COLUMN.matcher(text)).matches()) {
      return unknownColumn(m.group(1), Optional.ofNullable(m.group(2)), visible);
    }
    if ((m = AMBIGUOUS.matcher(text)).matches()) {
      List<String> in = visible.having(m.group(1));
      return Explained.of(
          "The column [%s] is in %s; write which one, as in %s.%s"
              .formatted(
                  m.group(1),
                  in.size() < 2 ? "more than one input" : String.join(" and in ", in),
                  in.isEmpty() ? "input" : in.get(0),
                  m.group(1)));
    }
    if ((m = UNKNOWN_TABLE.matcher(text)).matches()) {
      String name = m.group(2) == null ? m.group(1) : m.group(2) + "." + m.group(1);
      return new Explained(
          "There is no table or input [%s]%s".formatted(name, meant(name, relations)),
          Names.nearest(name, relations));
    }
    if ((m = UNKNOWN_FUNCTION.matcher(text)).matches()) {
      return unknownFunction(m.group(1));
    }
    if ((m = NOT_GROUPED.matcher(text)).matches()) {
      return Explained.of(
          "[%s] is neither in GROUP BY nor inside an aggregate such as sum or max"
              .formatted(m.group(1)));
    }
    if ((m = WRONG_TYPES.matcher(text)).matches()) {
      return Explained.of(wrongTypes(m.group(1), m.group(2)));
    }
    return Explained.of(firstLine(text));
  }

  private static Explained unknownColumn(
      String column, Optional<String> table, VisibleColumns visible) {
    List<String> elsewhere = visible.having(column);
    if (!elsewhere.isEmpty()) {
      // The name is right; it cannot be seen from where it stands.
      return Explained.of(
          table.isPresent()
              ? "There is no column [%s] in [%s]; %s has one"
                  .formatted(column, table.get(), String.join(" and ", elsewhere))
              : "The column [%s] of %s cannot be seen here: the query around it does not pass it on"
                  .formatted(column, String.join(" and ", elsewhere)));
    }
    List<String> columns = table.map(visible::of).orElseGet(visible::all);
    return new Explained(
        "There is no column [%s]%s%s"
            .formatted(
                column, table.map(t -> " in [%s]".formatted(t)).orElse(""), meant(column, columns)),
        Names.nearest(column, columns));
  }

  private static Explained unknownFunction(String signature) {
    int open = signature.indexOf('(');
    String name = open < 0 ? signature : signature.substring(0, open);
    List<String> functions = NestedFunctions.functionNames();
    if (functions.stream().anyMatch(name::equalsIgnoreCase)) {
      return Explained.of(
          "%s does not take %s; cast what it is given, as in CAST(x AS varchar)"
              .formatted(name, words(signature.substring(open))));
    }
    Optional<String> here = FunctionReference.elsewhere(name);
    if (here.isPresent()) {
      return Explained.of("There is no function [%s]; write %s".formatted(name, here.get()));
    }
    Optional<String> fix = Names.nearest(name, functions).map(f -> f.toLowerCase(Locale.ROOT));
    return new Explained(
        "There is no function [%s]%s"
            .formatted(name, fix.map(f -> "; did you mean [%s]?".formatted(f)).orElse("")),
        Optional.empty());
  }

  private static String wrongTypes(String what, String types) {
    String given = words(types);
    if (!what.matches("\\w+")) {
      return "[%s] does not go with %s; cast one side, as in CAST(x AS int)".formatted(what, given);
    }
    return "%s does not take %s; cast what it is given, as in CAST(x AS decimal(12, 2))"
        .formatted(
            what.toLowerCase(Locale.ROOT),
            given.startsWith(what.toLowerCase(Locale.ROOT) + "(")
                ? given.substring(what.length())
                : given);
  }

  /** The library's families and types of values, as people write them. */
  private static String words(String types) {
    String out = types;
    for (Map.Entry<String, String> e : FAMILIES.entrySet()) {
      out = out.replace("<" + e.getKey() + ">", e.getValue());
    }
    return out.replaceAll("[<>]", "").toLowerCase(Locale.ROOT);
  }

  private static String meant(String name, List<String> names) {
    return Names.nearest(name, names)
        .map(f -> "; did you mean [%s]?".formatted(f))
        .orElse(names.isEmpty() ? "" : "; there are " + few(names));
  }

  private static String few(List<String> names) {
    List<String> shown = names.size() > 12 ? names.subList(0, 12) : names;
    return String.join(", ", shown)
        + (names.size() > 12 ? " and %d more".formatted(names.size() - 12) : "");
  }

  static String firstLine(String text) {
    int end = text.indexOf('\n');
    return end < 0 ? text : text.substring(0, end).strip();
  }
}
