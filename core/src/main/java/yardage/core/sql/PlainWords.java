package yardage.core.sql;

import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** What the library says of wrong SQL, in plain words with the mend. */
final class PlainWords {
  /** The library's words, and ours; {@code %s} stands for its groups. */
  private record Rule(Pattern theirs, String ours) {}

  private static final List<Rule> RULES =
      List.of(
          rule(
              "Aggregate expression is illegal in (\\w+) clause",
              "An aggregate such as sum or count cannot stand in %s; use HAVING, or a query around this one"),
          rule(
              "Aggregate expressions cannot be nested",
              "An aggregate cannot stand inside another; compute the inner one in a query within"),
          rule(
              "Windowed aggregate expression is illegal in (\\w+) clause",
              "A window function cannot stand in %s; compute it in a query within, and filter around it"),
          rule(
              "'LIMIT start, count' is not allowed.*",
              "LIMIT takes one number; write LIMIT 10 OFFSET 5"),
          rule(
              "Parameters must be of the same type",
              "The values of a list are of one type; cast them to it"),
          rule(
              "(\\w+) is not allowed under the current SQL conformance level",
              "%s is a word of SQL that is not used here; if it is the name of a column or table, put it in double quotes"),
          rule(
              "(.*) is not allowed under the current SQL conformance level",
              "%s is not used here; write it in the way of the standard"),
          rule(
              "Illegal use of dynamic parameter",
              "The type of this parameter cannot be told from what stands beside it; say it, as in CAST(:day AS date)"),
          rule(
              "RANGE clause cannot be used with compound ORDER BY clause",
              "RANGE with an offset goes by one column; order by that alone, or count with ROWS or GROUPS"),
          rule(
              "Data type of ORDER BY prohibits use of RANGE clause",
              "RANGE with an offset needs a number, a date or a time to order by; count with ROWS or GROUPS instead"),
          rule(
              "Data Type mismatch between ORDER BY and RANGE clause",
              "The offset of RANGE is a number where the order goes by one, and an interval where it goes by dates or times, as in RANGE INTERVAL '6' DAY PRECEDING"),
          rule(
              "ROWS value must be a non-negative integral constant",
              "How far a window reaches is a constant that is not negative, as in ROWS 6 PRECEDING"),
          rule(
              "Expression '([^']*)' is not in the select clause",
              "With DISTINCT, rows are ordered by what is selected, and [%s] is not; select it, or leave it out of ORDER BY"),
          rule(
              "Aggregate expression is illegal in ORDER BY clause of non-aggregating SELECT",
              "An aggregate in ORDER BY needs a GROUP BY; or order by a column"),
          rule(
              "Window specification must contain an ORDER BY clause",
              "This window needs an order; put ORDER BY into OVER (…)"),
          rule(
              "(PARTITION|ORDER) BY expression should not contain OVER clause",
              "%s BY of a window cannot hold a window function; compute that in a query within"),
          rule(
              "ROW/RANGE not allowed with .*",
              "This window function takes no frame; leave ROWS or RANGE out"),
          rule(
              "OVER must be applied to aggregate function",
              "OVER goes with an aggregate or a window function, as in sum(x) OVER (…)"),
          rule(
              "FILTER must be applied to aggregate function",
              "FILTER goes with an aggregate, as in count(*) FILTER (WHERE x > 0)"),
          rule(
              "FILTER must not contain aggregate expression",
              "FILTER chooses rows, so it cannot hold an aggregate; compute that in a query within"),
          rule(
              "Duplicate relation name '([^']*)' in FROM clause",
              "Two inputs are called [%s]; give one of them another name with AS"),
          rule(
              "Duplicate name '([^']*)' in column (?:alias )?list",
              "Two columns are called [%s]; give each a name of its own"),
          rule(
              "Cannot specify condition .* following CROSS JOIN",
              "CROSS JOIN takes no condition; write JOIN … ON"),
          rule(
              "Cannot specify NATURAL keyword with ON or USING clause",
              "NATURAL JOIN takes no condition; leave out NATURAL or the condition"),
          rule(
              "Column name '([^']*)' in NATURAL join or USING clause is not unique on one side of join",
              "[%s] is there twice on one side of the join; join with ON a.loom_code = b.loom_code"),
          rule(
              "Cannot qualify common column '([^']*)'",
              "[%s] is one column of both inputs after USING or NATURAL; write it without a table in front"),
          rule(
              "SELECT \\* requires a FROM clause", "There is nothing for * to stand for; add FROM"),
          rule(
              "QUALIFY expression '.*' must contain a window function",
              "QUALIFY filters by a window function, and has none here; use WHERE or HAVING"),
          rule(
              "TABLESAMPLE percentage must be between 0 and 100, inclusive",
              "TABLESAMPLE takes a share from 0 to 100"),
          rule(
              "Illegal use of 'NULL'",
              "The type of this NULL cannot be told from what stands beside it; say it, as in CAST(NULL AS int)"),
          rule("DISTINCT/ALL not allowed with (\\w+) function", "%s takes no DISTINCT"),
          rule(
              "Aggregate expression '([^']*)' must not contain a WITHIN GROUP clause",
              "%s takes no WITHIN GROUP"),
          rule(
              "Binary literal string must contain an even number of hexits",
              "Bytes are written as pairs of hexadecimal digits, as in X'0A1F'"),
          rule("WITHIN GROUP not allowed with (\\w+) function", "%s takes no WITHIN GROUP"),
          rule(
              "Aggregate expression '([^']*)' must contain a WITHIN GROUP clause",
              "[%s] needs an order; add WITHIN GROUP (ORDER BY …)"),
          rule("Argument to function '([^']*)' must be a literal", "%s takes a constant here"),
          rule(
              "A recursive query only supports (?:binary )?UNION \\[ALL\\] operator",
              "A query that names itself is two queries with UNION or UNION ALL between them: where it begins, and a step"),
          rule(
              "Only scalar sub-queries allowed in select list\\.",
              "A subquery in the place of a value gives one column; select one"),
          rule(
              "Cannot specify IGNORE NULLS or RESPECT NULLS following '([^']*)'",
              "%s takes no IGNORE NULLS or RESPECT NULLS"),
          rule(
              "(\\w+) operator may only occur in SELECT, HAVING or ORDER BY clause",
              "%s stands in SELECT, HAVING or ORDER BY only"),
          rule(
              "Argument to (\\w+) operator must be a grouped expression",
              "%s takes what stands in GROUP BY"),
          rule(
              "Duplicate window names not allowed",
              "Two windows have one name; give one of them another"),
          rule(
              "Ordinal out of range",
              "There is no column of this number in the select list; numbers count from 1"),
          rule(
              "Invalid number of arguments to function '([^']*)'. Was expecting 1 arguments?",
              "%s takes one argument"),
          rule(
              "Invalid number of arguments to function '([^']*)'. Was expecting (\\d+) arguments?",
              "%s takes %s arguments"),
          rule(
              "Unknown identifier '([^']*)'",
              "There is no type [%s]; there are boolean, int, bigint, double, decimal(p, s), varchar(n), char(n), varbinary, uuid, date, time, timestamp and timestamp with time zone"),
          rule(
              "Type mismatch in column (\\d+) of (\\w+)",
              "Column %s has unlike types in the queries of the %s; cast it in one of them"),
          rule(
              "Column count mismatch in (\\w+)",
              "The queries of the %s have unlike numbers of columns"),
          rule(
              "Values passed to IN operator must have compatible types",
              "IN compares unlike things: both sides need as many columns, of the same types; cast, or select less"),
          rule(
              "OVER clause is necessary for window functions",
              "This is a window function, and needs a window behind it, as in row_number() OVER (ORDER BY roll_id)"),
          rule(
              "RANK or DENSE_RANK functions require ORDER BY clause in window specification",
              "A rank needs an order in its window, as in OVER (ORDER BY metres)"),
          rule("Numeric literal '([^']*)' out of range", "The number [%s] has more than 38 digits"),
          rule(
              "Illegal mixing of types in CASE or COALESCE statement",
              "The results of CASE or COALESCE have unlike types; cast them to one, as in CAST(… AS varchar)"),
          rule(
              "Cannot infer return type for (\\w+); operand types: \\[(.*)\\]",
              "%s takes values of one type, and is given %s; cast them to one"),
          rule(
              "'([^']*)' is not a valid time frame",
              "There is no unit [%s]; there are year, quarter, month, week, day, hour, minute, second and more, as the page of functions says"),
          rule(
              "INNER, LEFT, RIGHT, FULL,? or ASOF join requires a condition.*",
              "A join needs a condition, as in ON a.loom_code = b.loom_code; CROSS JOIN is one without"),
          rule(
              "Argument to function '([^']*)' must be a numeric literal between 0 and 1",
              "%s wants a share between 0 and 1, as a constant"),
          rule("Expected a boolean type", "WHEN wants a condition here, as in WHEN id > 0"),
          rule(
              "(?:WHERE|HAVING|FILTER) clause must be a condition",
              "This is no condition; compare it with something, as in id > 0"),
          rule(
              "Window '([^']*)' not found",
              "There is no window [%s]; name it behind the query, as in WINDOW w AS (PARTITION BY loom)"),
          rule(
              "(\\w+) operator may only occur in an aggregate query",
              "%s says which columns a row is grouped by, and this query has no GROUP BY"),
          rule("Year out of range: .*", "Years go from 0001 to 9999"),
          rule("Date literal .* out of range", "Years go from 0001 to 9999"),
          rule(
              "Illegal DATE literal ('[^']*'):.*",
              "%s is no date; write year, month and day, as in DATE '2026-03-09'"),
          rule(
              "Illegal TIME literal ('[^']*'):.*",
              "%s is no time of day; write it as in TIME '14:30:00'"),
          rule(
              "Illegal TIMESTAMP WITH TIME ZONE literal ('[^']*'):.*",
              "%s is no time with a zone; write it as in TIMESTAMP WITH TIME ZONE '2026-03-09 14:30:00 Europe/Lisbon'"),
          rule(
              "Invalid UUID string: (.*)",
              "'%s' is no UUID; write its 32 hexadecimal digits, as in UUID '5f8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55'"),
          rule(
              "SELECT \\* EXCLUDE/EXCEPT list contains unknown column\\(s\\): (.*)",
              "[%s] is not there, so it cannot be left out"),
          rule(
              "SELECT \\* EXCLUDE/EXCEPT list cannot exclude all columns",
              "Nothing is left of [*] without these columns"),
          rule(
              "Illegal TIMESTAMP literal ('[^']*'):.*",
              "%s is no time; write it as in TIMESTAMP '2026-03-09 14:30:00'"),
          rule(
              "List of column aliases must have same degree as table; table has (\\d+) columns? .* whereas alias list has (\\d+) columns?",
              "There are %s columns and %s names for them; name each, or none"),
          rule(
              "Values passed to VALUES operator must have compatible types",
              "The rows of VALUES are unlike each other: each needs as many values, of the same types"),
          rule(
              "Cast function cannot convert value of type ([A-Z]+).* to type ([A-Z]+).*",
              "A value of type %s cannot be cast to %s"),
          rule(
              "BETWEEN operator has no terminating AND",
              "BETWEEN wants two bounds, as in BETWEEN 1 AND 5"));

  private PlainWords() {}

  private static Rule rule(String theirs, String ours) {
    return new Rule(Pattern.compile(theirs), ours);
  }

  /** In our words, if the library's are known. */
  static Optional<String> of(String text) {
    for (Rule rule : RULES) {
      Matcher m = rule.theirs().matcher(text);
      if (m.matches()) {
        Object[] groups = new Object[m.groupCount()];
        for (int i = 0; i < groups.length; i++) {
          groups[i] = m.group(i + 1);
        }
        return Optional.of(rule.ours().formatted(groups));
      }
    }
    return Optional.empty();
  }
}
