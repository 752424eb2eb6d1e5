package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.apache.calcite.runtime.CalciteContextException;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlBasicVisitor;
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
      Pattern.compile("(Object|Table) '([^']*)' not found(?: within '([^']*)')?.*", Pattern.DOTALL);
  private static final Pattern UNKNOWN_NAME = Pattern.compile("Unknown identifier '([^']*)'.*");
  private static final Pattern UNKNOWN_FUNCTION =
      Pattern.compile("No match found for function signature (.*)", Pattern.DOTALL);
  private static final Pattern NOT_GROUPED =
      Pattern.compile("Expression '([^']*)' is not being grouped.*", Pattern.DOTALL);
  private static final Pattern WRONG_TYPES =
      Pattern.compile("Cannot apply '([^']*)' to arguments of type '([^']*)'.*", Pattern.DOTALL);

  private static final Map<String, String> FAMILIES =
      Map.of(
          "NUMERIC", "number",
          "CHARACTER", "text",
          "BOOLEAN", "boolean",
          "DATE", "date",
          "TIMESTAMP", "timestamp",
          "ARRAY", "list",
          "ANY", "anything");

  /** Functions that want a text where they are given something else beside one. */
  private static final Set<String> TAKES_TEXT =
      Set.of("like", "ilike", "similar to", "position", "to_date", "to_timestamp", "concat");

  private SqlMessages() {}

  /**
   * @param query that was asked
   * @param visible the columns of what it reads
   * @param relations the names of all relations that there are
   */
  static SqlProblem problem(
      Throwable error, SqlNode query, VisibleColumns visible, List<String> relations) {
    Throwable t = error;
    while (t != null && !(t instanceof CalciteContextException)) {
      t = t.getCause();
    }
    if (t instanceof CalciteContextException e) {
      String text =
          e.getCause() == null || e.getCause().getMessage() == null
              ? e.getMessage()
              : e.getCause().getMessage();
      Matcher object = UNKNOWN_TABLE.matcher(text);
      Explained explained =
          object.matches() && object.group(1).equals("Object")
              ? unknownTable(nameAt(query, e).orElse(nameIn(object)), visible, relations)
              : explain(text, visible, relations);
      return new SqlProblem(
          e.getPosLine(),
          e.getPosColumn(),
          e.getEndPosLine(),
          e.getEndPosColumn(),
          explained.message(),
          explained.fix());
    }
    String text = error.getMessage() == null ? error.toString() : firstLine(error.getMessage());
    return new SqlProblem(1, 1, 1, 1, PlainWords.of(text).orElse(text), Optional.empty());
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
      if (in.size() < 2 || visible.hasTwice(m.group(1))) {
        return Explained.of(
            "Two columns are called [%s] here; give one of them another name with AS"
                .formatted(m.group(1)));
      }
      return Explained.of(
          "The column [%s] is in %s; write which one, as in %s.%s"
              .formatted(m.group(1), String.join(" and in ", in), in.get(0), m.group(1)));
    }
    if ((m = UNKNOWN_TABLE.matcher(text)).matches()) {
      return unknownTable(nameIn(m), visible, relations);
    }
    if ((m = UNKNOWN_NAME.matcher(text)).matches() && visible.nameOf(m.group(1)).isPresent()) {
      return calledNow(m.group(1), visible.nameOf(m.group(1)).get());
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
    return Explained.of(PlainWords.of(firstLine(text)).orElse(firstLine(text)));
  }

  private static String nameIn(Matcher unknown) {
    return unknown.group(3) == null ? unknown.group(2) : unknown.group(3) + "." + unknown.group(2);
  }

  /** The name that begins where the library found a mistake, with its schema. */
  private static Optional<String> nameAt(SqlNode query, CalciteContextException e) {
    // The library puts an alias of its own at the same place.
    List<String> longest = new ArrayList<>();
    query.accept(
        new SqlBasicVisitor<Void>() {
          @Override
          public Void visit(SqlIdentifier id) {
            SqlParserPos at = id.getParserPosition();
            if (at.getLineNum() == e.getPosLine()
                && at.getColumnNum() == e.getPosColumn()
                && id.names.size() > longest.size()) {
              longest.clear();
              longest.addAll(id.names);
            }
            return null;
          }
        });
    return longest.isEmpty() ? Optional.empty() : Optional.of(String.join(".", longest));
  }

  private static Explained unknownTable(
      String name, VisibleColumns visible, List<String> relations) {
    String last = withoutSchema(name);
    Optional<String> now = visible.nameOf(last);
    if (now.isPresent()) {
      return calledNow(name, now.get());
    }
    String unknown = "There is no table or input [%s]".formatted(name);
    List<String> elsewhere =
        relations.stream()
            .filter(r -> !r.equals(name) && withoutSchema(r).equalsIgnoreCase(last))
            .toList();
    if (elsewhere.size() > 1) {
      return Explained.of(
          "%s; did you mean [%s]?".formatted(unknown, String.join("] or [", elsewhere)));
    }
    Optional<String> fix = elsewhere.stream().findFirst().or(() -> Names.nearest(name, relations));
    return new Explained(
        unknown + fix.map(f -> "; did you mean [%s]?".formatted(f)).orElse(meant(name, relations)),
        fix);
  }

  private static String withoutSchema(String relation) {
    return relation.substring(relation.lastIndexOf('.') + 1);
  }

  private static Explained calledNow(String name, String now) {
    return new Explained(
        "[%s] is called [%s] in this query; name it so".formatted(name, now), Optional.of(now));
  }

  private static Explained unknownColumn(
      String column, Optional<String> table, VisibleColumns visible) {
    List<String> elsewhere = visible.having(column);
    if (table.isEmpty() && elsewhere.size() == 1 && visible.isUsed(column)) {
      return Explained.of(
          "USING and NATURAL need a column that both inputs have, and [%s] is in %s only; join with ON a.loom_code = b.loom_code"
              .formatted(column, elsewhere.get(0)));
    }
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
        "There is no column [%s]%s%s%s"
            .formatted(
                column,
                table.map(t -> " in [%s]".formatted(t)).orElse(""),
                meant(column, columns),
                table.isPresent() || Names.nearest(column, columns).isPresent()
                    ? ""
                    : ". If it is meant as a text, put it in single quotes"),
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
    Optional<String> fix =
        Names.nearest(
            name.toLowerCase(Locale.ROOT),
            functions.stream().map(f -> f.toLowerCase(Locale.ROOT)).toList());
    return new Explained(
        "There is no function [%s]%s"
            .formatted(name, fix.map(f -> "; did you mean [%s]?".formatted(f)).orElse("")),
        Optional.empty());
  }

  private static String wrongTypes(String what, String types) {
    String given = words(types);
    if (what.equals("$SCALAR_QUERY")) {
      return "A subquery in the place of a value gives one column; select one";
    }
    if (Set.of("AND", "OR", "NOT").contains(what.toUpperCase(Locale.ROOT))) {
      return "%s joins conditions, and %s is none; compare it, as in x > 0"
          .formatted(what.toUpperCase(Locale.ROOT), given.replaceFirst("^not", ""));
    }
    if (given.contains("recordtype")) {
      return "[%s] compares unlike things: both sides need as many values".formatted(what);
    }
    if (what.equals("UNNEST")) {
      return "UNNEST takes a list or a map, and is given %s; SPLIT_TEXT(text, ',') makes a list of a text"
          .formatted(given.replaceFirst("^unnest", ""));
    }
    boolean texts = given.matches(".*\\b(var)?char\\b.*");
    if (what.equals("+") && given.matches("(var)?char(\\(\\d+\\))? \\+ (var)?char(\\(\\d+\\))?")) {
      return "[+] adds numbers; texts are put together with ||";
    }
    boolean times = given.matches(".*\\b(date|timestamp|time)\\b.*");
    if (!what.matches("\\w+")) {
      return times && given.matches(".*\\b(integer|bigint|decimal|real|float|double)\\b.*")
          ? "[%s] does not go with %s; move a date by an interval, as in woven_on + INTERVAL '30' DAY"
              .formatted(what, given)
          : times && what.equals("-")
              ? "[-] does not go with %s; how far they are apart is TIMESTAMPDIFF(DAY, a, b)"
                  .formatted(given)
              : "[%s] does not go with %s; cast one side, as in CAST(x AS %s)"
                  .formatted(what, given, castTo(what, given));
    }
    String name = what.toLowerCase(Locale.ROOT);
    String as =
        Set.of("extract", "timestampdiff", "timestampadd", "date_trunc", "to_char", "last_day")
                .contains(name)
            ? "date"
            : TAKES_TEXT.contains(name) || !texts ? "varchar" : "decimal(12, 2)";
    return "%s does not take %s; cast what it is given, as in CAST(x AS %s)"
        .formatted(name, given.startsWith(name + "(") ? given.substring(what.length()) : given, as);
  }

  /** A type that one side of an operator can be cast to. */
  private static String castTo(String what, String given) {
    for (String type : List.of("uuid", "varbinary", "time", "timestamp", "date")) {
      if (given.matches(".*\\b%s\\b.*".formatted(type))) {
        return type.equals("timestamp") ? "date" : type;
      }
    }
    return what.equals("||") ? "varchar" : "int";
  }

  /** The library's families and types of values, as people write them. */
  private static String words(String types) {
    String out = types;
    for (Map.Entry<String, String> e : FAMILIES.entrySet()) {
      out = out.replace("<" + e.getKey() + ">", e.getValue());
    }
    return out.replaceAll("<([A-Z][^<>]*)>", "$1")
        .replaceAll("TIMESTAMP_TZ\\(\\d+\\)", "timestamp with zone")
        .replaceAll("\\b(TIME|TIMESTAMP)\\(\\d+\\)", "$1")
        .replaceAll("\\b(VAR)?BINARY(\\(\\d+\\))?", "varbinary")
        .toLowerCase(Locale.ROOT);
  }

  private static String meant(String name, List<String> names) {
    return Names.nearest(name, names)
        .map(f -> "; did you mean [%s]?".formatted(f))
        .orElse(
            names.isEmpty()
                ? ""
                : (names.size() == 1 ? "; there is " : "; there are ") + few(names));
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
