package yardage.core.sql;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * What there is to know of each function: the page of functions is made from it, and a test runs
 * every example.
 */
public final class FunctionReference {
  /**
   * A function.
   *
   * @param form how it is called
   * @param does what it gives, in words
   * @param example an expression
   * @param gives the example's value as text
   */
  public record Entry(String form, String does, String example, String gives) {
    public String name() {
      return form.replaceAll("[^A-Z0-9_].*", "");
    }
  }

  /** The group whose examples are over the rows (1, 'a'), (2, 'b'), (3, 'a'), (4, 'c'). */
  private static final String AGGREGATES = "Aggregates";

  private static final Map<String, List<Entry>> GROUPS = new LinkedHashMap<>();

  /** Names that people bring from elsewhere, and what to write here. */
  private static final Map<String, String> ELSEWHERE =
      Map.ofEntries(
          Map.entry("LEN", "CHAR_LENGTH(text)"),
          Map.entry("INSTR", "POSITION('b' IN text)"),
          Map.entry("LOCATE", "POSITION('b' IN text)"),
          Map.entry("STRPOS", "POSITION('b' IN text)"),
          Map.entry("CHARINDEX", "POSITION('b' IN text)"),
          Map.entry("IFNULL", "COALESCE(a, b)"),
          Map.entry("NVL", "COALESCE(a, b)"),
          Map.entry("ISNULL", "COALESCE(a, b), or a IS NULL"),
          Map.entry("IF", "CASE WHEN a THEN b ELSE c END"),
          Map.entry("IIF", "CASE WHEN a THEN b ELSE c END"),
          Map.entry("DECODE", "CASE a WHEN 1 THEN b ELSE c END"),
          Map.entry("NOW", "CURRENT_TIMESTAMP"),
          Map.entry("GETDATE", "CURRENT_TIMESTAMP"),
          Map.entry("SYSDATE", "CURRENT_TIMESTAMP"),
          Map.entry("TODAY", "CURRENT_DATE"),
          Map.entry("CURDATE", "CURRENT_DATE"),
          Map.entry("DATEDIFF", "TIMESTAMPDIFF(DAY, a, b)"),
          Map.entry("DATE_DIFF", "TIMESTAMPDIFF(DAY, a, b)"),
          Map.entry("DATEADD", "TIMESTAMPADD(DAY, 3, a), or a + INTERVAL '3' DAY"),
          Map.entry("DATE_ADD", "a + INTERVAL '3' DAY"),
          Map.entry("DATE_SUB", "a - INTERVAL '3' DAY"),
          Map.entry("DATEPART", "EXTRACT(YEAR FROM a)"),
          Map.entry("DATE_PART", "EXTRACT(YEAR FROM a)"),
          Map.entry("DATE_FORMAT", "TO_CHAR(a, 'yyyy-MM')"),
          Map.entry("STRFTIME", "TO_CHAR(a, 'yyyy-MM')"),
          Map.entry("STR_TO_DATE", "TO_DATE(text, 'dd.MM.yyyy')"),
          Map.entry("TO_NUMBER", "CAST(text AS decimal(12, 2))"),
          Map.entry("UCASE", "UPPER(text)"),
          Map.entry("LCASE", "LOWER(text)"),
          Map.entry("POW", "POWER(a, b)"),
          Map.entry("STRING_AGG", "LISTAGG(a, ', ') WITHIN GROUP (ORDER BY a)"),
          Map.entry("GROUP_CONCAT", "LISTAGG(a, ', ') WITHIN GROUP (ORDER BY a)"),
          Map.entry("SIMILARITY", "LIKENESS(a, b)"),
          Map.entry("SOUNDEX", "SOUND(text)"),
          Map.entry("MEDIAN", "PERCENTILE_CONT(0.5) WITHIN GROUP (ORDER BY a)"),
          Map.entry("BOOL_AND", "MIN(condition)"),
          Map.entry("BOOL_OR", "MAX(condition)"),
          Map.entry("RAND", "a sample step, which can be repeated"),
          Map.entry("RANDOM", "a sample step, which can be repeated"));

  static {
    group(
        "Text",
        e("UPPER(text)", "in upper case", "upper('twill')", "TWILL"),
        e("LOWER(text)", "in lower case", "lower('Twill')", "twill"),
        e(
            "INITCAP(text)",
            "the first letter of each word in upper case",
            "initcap('indigo twill')",
            "Indigo Twill"),
        e("CHAR_LENGTH(text)", "its letters (code points)", "char_length('Köper')", "5"),
        e("LENGTH(text)", "the same", "length('Köper')", "5"),
        e(
            "OCTET_LENGTH(text)",
            "its bytes in UTF-8, or those of a binary value",
            "octet_length('Köper')",
            "6"),
        e(
            "SUBSTRING(text FROM n FOR m)",
            "a part; also SUBSTRING(text, n, m)",
            "substring('R00042-7' from 2 for 5)",
            "00042"),
        e("SUBSTR(text, n, m)", "the same", "substr('R00042-7', 8)", "7"),
        e("LEFT(text, n)", "the first letters", "left('R00042', 1)", "R"),
        e("RIGHT(text, n)", "the last letters", "right('R00042', 2)", "42"),
        e(
            "POSITION(what IN text)",
            "where it is; 0 when it is not there",
            "position('-' in 'R42-7')",
            "4"),
        e(
            "TRIM(text)",
            "without blanks at the ends; TRIM(BOTH 'x' FROM text) takes another character, LEADING and TRAILING one end",
            "trim('  twill ')",
            "twill"),
        e("LTRIM(text)", "without blanks in front", "ltrim('  twill')", "twill"),
        e("RTRIM(text)", "without blanks behind", "rtrim('twill  ')", "twill"),
        e(
            "LPAD(text, n, fill)",
            "filled up in front to so many letters, or cut to them; blanks without a fill",
            "lpad('42', 5, '0')",
            "00042"),
        e("RPAD(text, n, fill)", "filled up behind", "rpad('R', 3, '-')", "R--"),
        e("REPEAT(text, n)", "so many times", "repeat('ab', 2)", "abab"),
        e("REVERSE(text)", "backwards", "reverse('abc')", "cba"),
        e(
            "LIKENESS(text, other)",
            "how alike two texts are, from 0 to 1: the share of runs of three letters that both have, whatever their accents, case and punctuation, as a dedupe step measures",
            "likeness('Crépe de Chine', 'crepe de chine') = 1",
            "true"),
        e(
            "SOUND(text)",
            "the phonetic code of each word in English (Soundex), equal for words that sound alike",
            "sound('Smith') = sound('smyth')",
            "true"),
        e(
            "REPLACE(text, what, by)",
            "every occurrence replaced",
            "replace('R-42-7', '-', '/')",
            "R/42/7"),
        e(
            "OVERLAY(text PLACING by FROM n FOR m)",
            "a part replaced",
            "overlay('R00042' placing 'X' from 1 for 1)",
            "X00042"),
        e(
            "CONCAT(a, b, …)",
            "put together; null where any is, as with a || b",
            "concat('R', '42')",
            "R42"),
        e(
            "JOIN_TEXT(between, a, …)",
            "texts and lists of texts put together, without nulls",
            "join_text(', ', 'slub', null, 'stain')",
            "slub, stain"),
        e(
            "SPLIT_TEXT(text, separator)",
            "cut into a list; with a number behind into so many parts at most",
            "split_text('a-b-c', '-', 2)",
            "[a, b-c]"),
        e("STARTS_WITH(text, start)", "whether it begins so", "starts_with('R42', 'R')", "true"),
        e("ENDS_WITH(text, end)", "whether it ends so", "ends_with('R42', '2')", "true"),
        e(
            "COLLAPSE_BLANKS(text)",
            "runs of blanks made one, none at the ends",
            "collapse_blanks(' a   b ')",
            "a b"),
        e(
            "PLAIN_TEXT(text)",
            "letters and digits in lower case without accents; what else is there is one blank",
            "plain_text('Köper-Nr. 7')",
            "koper nr 7"),
        e(
            "MD5(text)",
            "the digest in hexadecimal",
            "md5('twill')",
            "3405ade4a21ff93b027f9d53ca89382b"),
        e(
            "UTF8_BYTES(text)",
            "a text as binary: its bytes in UTF-8; CAST(text AS varbinary) reads hexadecimal digits",
            "utf8_bytes('é')",
            "c3a9"),
        e(
            "UTF8_TEXT(binary)",
            "the text that bytes are; CAST(binary AS varchar) gives hexadecimal digits",
            "utf8_text(x'c3a9')",
            "é"),
        e("SHA256(text)", "the digest in hexadecimal", "left(sha256('a'), 8)", "ca978112"));
    group(
        "Patterns",
        e(
            "LIKE",
            "% is any run of characters, _ is one; ESCAPE names a character that takes their meaning",
            "'R42' like 'R%'",
            "true"),
        e("ILIKE", "as LIKE, in upper and lower case alike", "'Twill' ilike 't%'", "true"),
        e(
            "SIMILAR TO",
            "as LIKE, with |, *, +, ?, (…) and […]",
            "'R42' similar to 'R[0-9]+'",
            "true"),
        e(
            "REGEXP_LIKE(text, pattern)",
            "whether a regular expression is found; in time linear in the text, without back references",
            "regexp_like('R42', '^R[0-9]+$')",
            "true"),
        e(
            "REGEXP_EXTRACT(text, pattern, group)",
            "the first match, or a group of it; null when there is none",
            "regexp_extract('R42-7', '([0-9]+)-', 1)",
            "42"),
        e(
            "REGEXP_REPLACE(text, pattern, by)",
            "every match replaced; $1 is what a group matched",
            "regexp_replace('R42', '([0-9])', '<$1>')",
            "R<4><2>"));
    group(
        "Numbers",
        e("ABS(n)", "without its sign", "abs(-1.5)", "1.5"),
        e("SIGN(n)", "-1, 0 or 1", "sign(-7)", "-1"),
        e("ROUND(n, digits)", "rounded, halves away from zero", "round(2.345, 2)", "2.350"),
        e("TRUNCATE(n, digits)", "cut off", "truncate(2.349, 1)", "2.300"),
        e("FLOOR(n)", "the next whole number below", "floor(-1.5)", "-2"),
        e("CEIL(n)", "the next whole number above", "ceil(1.2)", "2"),
        e("MOD(a, b)", "what a division leaves", "mod(7, 3)", "1"),
        e("POWER(a, b)", "a to the power of b", "power(2, 10)", "1024.0"),
        e("SQRT(n)", "the square root", "sqrt(16)", "4.0"),
        e("CBRT(n)", "the cube root", "cbrt(27)", "3.0"),
        e("EXP(n)", "e to the power of n", "exp(0)", "1.0"),
        e("LN(n)", "the natural logarithm", "ln(1)", "0.0"),
        e("LOG10(n)", "the logarithm to base 10", "log10(1000)", "3.0"),
        e(
            "SIN(n)",
            "and COS, TAN, ASIN, ACOS, ATAN, SINH, COSH, TANH, DEGREES, RADIANS",
            "sin(0)",
            "0.0"),
        e("ATAN2(y, x)", "the angle of a point, in radians", "atan2(0, 1)", "0.0"),
        e("PI()", "half of a circle, in radians", "round(pi(), 4)", "3.1416"),
        e("GREATEST(a, b, …)", "the largest; null where any is", "greatest(3, 7, 5)", "7"),
        e("LEAST(a, b, …)", "the smallest; null where any is", "least(3, 7, 5)", "3"));
    group(
        "Dates and times",
        e(
            "CURRENT_DATE",
            "the day of the query, in UTC; one day in all of it",
            "current_date >= date '2026-01-01'",
            "true"),
        e(
            "CURRENT_TIME",
            "the time of day of the query, in UTC; LOCALTIME is the same",
            "current_time >= time '00:00:00'",
            "true"),
        e(
            "CURRENT_TIMESTAMP",
            "the time of the query, in UTC; LOCALTIMESTAMP is the same",
            "current_timestamp > timestamp '2026-01-01 00:00:00'",
            "true"),
        e(
            "AT TIME ZONE",
            "of a timestamp with time zone, what clocks there show; of a timestamp that clocks there show, the timestamp with time zone",
            "timestamp '2026-07-01 08:00:00' at time zone 'Europe/Lisbon'",
            "2026-07-01 07:00:00+00:00"),
        e(
            "date + INTERVAL",
            "moved; the number of intervals may be a column",
            "date '2026-01-31' + 2 * interval '1' month",
            "2026-03-31"),
        e(
            "(a - b) unit",
            "how far two dates or times are apart, as an interval: it moves others, is compared, multiplied, and made a number by CAST; no column is one",
            "(timestamp '2026-03-02 06:00:00' - timestamp '2026-03-01 00:00:00') hour > interval '1' day",
            "true"),
        e(
            "CAST(interval AS int)",
            "whole units of the one that the interval has; CAST(n AS INTERVAL HOUR) goes back",
            "cast((date '2026-03-05' - date '2026-03-01') day as int)",
            "4"),
        e(
            "TIMESTAMPADD(unit, n, time)",
            "moved by a number of units",
            "timestampadd(day, 3, date '2026-02-27')",
            "2026-03-02"),
        e(
            "TIMESTAMPDIFF(unit, a, b)",
            "whole units from a to b",
            "timestampdiff(day, date '2026-01-01', date '2026-03-01')",
            "59"),
        e(
            "EXTRACT(unit FROM time)",
            "year, quarter, month, week (ISO), isoyear, day, dow (1 is Sunday), isodow (1 is Monday), doy, hour, minute, second, millisecond, microsecond, epoch (seconds since 1970)",
            "extract(week from date '2026-01-05')",
            "2"),
        e(
            "DATE_TRUNC('unit', time)",
            "the start of the unit; weeks begin on Monday",
            "date_trunc('month', date '2026-03-15')",
            "2026-03-01"),
        e(
            "FLOOR(time TO unit)",
            "the start of the unit; weeks begin on Sunday",
            "floor(timestamp '2026-03-15 10:20:30' to hour)",
            "2026-03-15 10:00:00"),
        e(
            "LAST_DAY(date)",
            "the last day of its month",
            "last_day(date '2026-02-10')",
            "2026-02-28"),
        e(
            "TO_CHAR(time, pattern)",
            "written by a pattern, with the letters that feeds have",
            "to_char(date '2026-03-05', 'dd.MM.yyyy')",
            "05.03.2026"),
        e(
            "TO_DATE(text, pattern)",
            "read by a pattern",
            "to_date('05.03.2026', 'dd.MM.yyyy')",
            "2026-03-05"),
        e(
            "TO_TIME(text, pattern)",
            "read by a pattern",
            "to_time('9.05 PM', 'h.mm a')",
            "21:05:00"),
        e(
            "TO_TIMESTAMP(text, pattern)",
            "read by a pattern",
            "to_timestamp('5/3/2026 9:30', 'd/M/yyyy H:mm')",
            "2026-03-05 09:30:00"));
    group(
        "Choices and types",
        e(
            "CASE",
            "the first result whose condition holds",
            "case when 3 > 2 then 'more' else 'less' end",
            "more"),
        e("COALESCE(a, b, …)", "the first that is not null", "coalesce(null, 'none')", "none"),
        e("NULLIF(a, b)", "null where both are equal", "nullif(0, 0)", "null"),
        e(
            "CAST(value AS type)",
            "as another type; an error that names the value where that cannot be",
            "cast('12.5' as decimal(5, 2))",
            "12.50"),
        e(
            "TRY_CAST(value AS type)",
            "as CAST, and null where that cannot be",
            "try_cast('twelve' as int)",
            "null"));
    group(
        "Lists, structs, JSON and XML",
        e(
            "CARDINALITY(list)",
            "how many elements there are; list[1] is the first",
            "cardinality(split_text('a-b', '-'))",
            "2"),
        e("ARRAY[a, b]", "a list of values of one type", "cardinality(array[1, 2, 3])", "3"),
        e(
            "JSON_TEXT(value)",
            "a value written as JSON",
            "json_text(split_text('a-b', '-'))",
            "[\"a\",\"b\"]"),
        e(
            "JSON_VALUE(text, 'path' RETURNING type DEFAULT 'x' ON EMPTY)",
            "the plain value at a path such as $.lots[0].kg; null where there is none, without RETURNING a text",
            "json_value('{\"lots\": [{\"kg\": 7.50}]}', '$.lots[0].kg' returning decimal(5, 2))",
            "7.50"),
        e(
            "JSON_QUERY(text, 'path' WITH WRAPPER)",
            "the list or object at a path, as JSON; WITH WRAPPER a list of all that is found",
            "json_query('{\"lots\": [{\"kg\": 7}, {\"kg\": 9}]}', '$.lots.kg' with wrapper)",
            "[7,9]"),
        e(
            "JSON_ITEMS(text, 'path')",
            "all that is at a path, each as JSON, in a list",
            "json_items('{\"lots\": [{\"kg\": 7}, {\"kg\": 9}]}', '$.lots[*].kg')",
            "[7, 9]"),
        e(
            "JSON_EXISTS(text, 'path')",
            "whether something is there",
            "json_exists('{\"lot\": null}', '$.lot')",
            "true"),
        e(
            "PARSE_JSON(text, 'type')",
            "a text read as a type that is written as in feeds",
            "parse_json('{\"a\": 7}', 'struct(a int)').a",
            "7"),
        e(
            "TYPE_OF_JSON(text)",
            "the type that a sample has",
            "type_of_json('{\"a\": 7}')",
            "struct(a int)"),
        e(
            "XML_TEXT(value, 'element')",
            "a value written as XML",
            "xml_text('x', 'remark')",
            "<remark>x</remark>"),
        e(
            "PARSE_XML(text, 'type')",
            "as PARSE_JSON, of the outermost element; attributes are \"@name\", its own text is \".\"",
            "parse_xml('<lot><id>7</id></lot>', 'struct(id int)').id",
            "7"),
        e(
            "TYPE_OF_XML(text)",
            "the type that a sample has",
            "type_of_xml('<lot><id>7</id></lot>')",
            "struct(id int)"));
    group(
        AGGREGATES,
        e(
            "COUNT(*)",
            "rows; COUNT(x) those that are not null, COUNT(DISTINCT x) unlike ones, COUNT(DISTINCT x, y) unlike pairs without nulls",
            "count(*)",
            "4"),
        e("SUM(n)", "the sum", "sum(n)", "10"),
        e("AVG(n)", "the average", "avg(n)", "2.5"),
        e("MIN(x)", "the smallest; of conditions whether all hold", "min(n)", "1"),
        e("MAX(x)", "the largest; of conditions whether any holds", "max(n)", "4"),
        e("STDDEV_SAMP(n)", "and STDDEV_POP, VAR_SAMP, VAR_POP", "var_pop(n)", "1.25"),
        e(
            "CORR(y, x)",
            "how far two numbers go together, from -1 to 1; COVAR_POP and COVAR_SAMP their covariance; pairs with a null are left out",
            "corr(n, 10 - n)",
            "-1.0"),
        e(
            "REGR_SLOPE(y, x)",
            "the slope of the straight line that fits best, REGR_INTERCEPT where it begins, REGR_R2 how well it fits; REGR_COUNT counts the pairs, REGR_AVGX and REGR_AVGY are their means, REGR_SXX, REGR_SYY and REGR_SXY the sums of squares and products about them",
            "regr_slope(2 * n + 1, n)",
            "2.0"),
        e("MODE(x)", "the commonest value", "mode(k)", "a"),
        e(
            "PERCENTILE_CONT(share) WITHIN GROUP (ORDER BY n)",
            "the value below which a share of the rows lies, between two of them where it falls there; PERCENTILE(n, share) is the same",
            "percentile_cont(0.5) within group (order by n)",
            "2.5"),
        e(
            "PERCENTILE_DISC(share) WITHIN GROUP (ORDER BY x)",
            "the first value, of any type that has an order, by which that share of the rows is reached",
            "percentile_disc(0.5) within group (order by k)",
            "a"),
        e(
            "LISTAGG(text, between) WITHIN GROUP (ORDER BY x)",
            "all values put together",
            "listagg(k, '-') within group (order by n)",
            "a-b-a-c"),
        e(
            "ARRAY_AGG(x)",
            "all values as a list, with ORDER BY inside; LIST_OF is the same",
            "array_agg(n order by n desc)",
            "[4, 3, 2, 1]"),
        e(
            "FIRST_OF(x) WITHIN GROUP (ORDER BY y)",
            "the value of the first row; LAST_OF that of the last",
            "first_of(k) within group (order by n desc)",
            "c"),
        e(
            "GROUPING(x)",
            "1 in rows of ROLLUP, CUBE and GROUPING SETS that are not grouped by x",
            "max(n) filter (where k = 'a')",
            "3"));
  }

  private FunctionReference() {}

  private static Entry e(String form, String does, String example, String gives) {
    return new Entry(form, does, example, gives);
  }

  private static void group(String name, Entry... entries) {
    GROUPS.put(name, List.of(entries));
  }

  /** All of them, by what they are about. */
  public static Map<String, List<Entry>> groups() {
    return GROUPS;
  }

  /** A query that gives an example's value. */
  public static String query(String group, Entry entry) {
    return "SELECT "
        + entry.example()
        + (group.equals(AGGREGATES)
            ? " FROM (VALUES (1, 'a'), (2, 'b'), (3, 'a'), (4, 'c')) AS t (n, k)"
            : "");
  }

  /** What to write for a function that has another name here. */
  static Optional<String> elsewhere(String name) {
    return Optional.ofNullable(ELSEWHERE.get(name.toUpperCase(java.util.Locale.ROOT)));
  }

  /** The page of functions, in Markdown. */
  public static String markdown() {
    StringBuilder out =
        new StringBuilder(
            """
            # Functions

            What SQL has here, in queries and in the expressions of pipelines. Names may be written in upper or lower case. Where nothing else is
            said, a function of null is null. Examples of aggregates are over the rows (1, 'a'), (2, 'b'), (3, 'a'), (4, 'c') of columns n and k.
            Over windows (`OVER (PARTITION BY … ORDER BY … frame)`) there are ROW_NUMBER, RANK, DENSE_RANK, NTILE, PERCENT_RANK, CUME_DIST, LAG and LEAD
            (with a number of rows and a default), FIRST_VALUE, LAST_VALUE, NTH_VALUE, and all aggregates, with DISTINCT and FILTER too. The frame counts
            rows (ROWS 6 PRECEDING), groups of rows with equal keys (GROUPS BETWEEN 1 PRECEDING AND CURRENT ROW), or reaches by the value of one key (RANGE
            BETWEEN INTERVAL '6' DAY PRECEDING AND CURRENT ROW, RANGE 0.5 PRECEDING). LAG, LEAD and the VALUE functions take IGNORE NULLS.
            Columns may be called day, month, year, value or result and need no quotes; other words of SQL, such as order, are put in double quotes.
            Comparisons, AND, OR, NOT, IN, BETWEEN, EXISTS, IS NULL and IS DISTINCT FROM are those of the standard.
            FROM bales AS b, UNNEST(b.lots) AS l (lot, kg) has a row for each element of a list, or entry of a map; WITH ORDINALITY counts them in a last
            column, and LEFT JOIN UNNEST(…) AS l (…) ON TRUE keeps rows whose list is empty.
            FROM bales AS b, JSON_TABLE(b.note, '$.lots[*]' COLUMNS (place FOR ORDINALITY, lot varchar(10) PATH '$.lot', kg int DEFAULT '0' ON EMPTY))
            AS l has a row for each thing at a path of a JSON text; a column without PATH is the key of its name, and takes JSON_VALUE's DEFAULT.
            FROM rolls TABLESAMPLE BERNOULLI (5) keeps about five rows in a hundred; REPEATABLE (7) behind it the same ones each time.
            WITH RECURSIVE t (n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM t WHERE n < 9) names itself: it goes on until a round gives no rows, 10,000
            rounds at most; with UNION a row that is there already adds nothing.
            Subqueries stand wherever a value or a condition does, and may name columns of the query around them; SOME, ANY, ALL and LATERAL too.
            SELECT * EXCEPT (note, hall) leaves columns out, and r.* EXCEPT (…) too. ORDER BY metres FETCH FIRST 3 ROWS WITH TIES gives those that are
            as far up as the third.

            ## Types

            boolean, int, bigint, float, double, decimal(p, s), varchar, varbinary, uuid, date, time, timestamp, timestamp with time zone, and lists, maps and
            rows of these. Values of unlike types compare only after a CAST.

            | | written | shown |
            |---|---|---|
            | time | `TIME '14:30:00'` | `14:30:00`; to the microsecond |
            | timestamp | `TIMESTAMP '2026-03-09 14:30:00'` | without a zone; where one is needed, UTC |
            | timestamp with time zone | `TIMESTAMP WITH TIME ZONE '2026-03-09 14:30:00 Europe/Lisbon'`; as text with an offset or a zone | `2026-03-09 14:30:00+00:00`: a point in time, in UTC; the zone is not kept |
            | uuid | `UUID '5f8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55'` | the same; ordered by its bytes |
            | varbinary | `X'cafe01'` | `cafe01`; ordered by its bytes |

            ## Numbers

            Whole numbers and decimals are exact; what does not fit is an error that names the values. A decimal has up to 38 digits. Its results have
            the digits that they need, up to 38; an int counts as 10 digits and a bigint as 19:

            | | digits before the point | behind it |
            |---|---|---|
            | `a + b`, `a - b` | one more than the larger | as the larger |
            | `a * b` | as both together | as both together |
            | `a / b` | before the point of a, and behind that of b | as many as make 18 in all, at least 6; rounded half away from zero |
            | `SUM(a)` | nine more; 18 digits in all at least | as a |
            | `AVG(a)` | as a | four more; rounded half away from zero |

            Whole numbers divide to a whole number; their SUM is a bigint, their AVG a double. A float has the precision
            of 32 bits; its SUM and AVG are doubles. With a whole number it gives a float, with a decimal or a double a double.
            """);
    GROUPS.forEach(
        (group, entries) -> {
          out.append("\n## ")
              .append(group)
              .append("\n\n| | gives | example | |\n|---|---|---|---|\n");
          for (Entry e : entries) {
            out.append(
                "| `%s` | %s | `%s` | `%s` |\n"
                    .formatted(cell(e.form()), cell(e.does()), cell(e.example()), cell(e.gives())));
          }
        });
    return out.toString();
  }

  private static String cell(String text) {
    return text.replace("|", "\\|");
  }
}
