package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.util.List;
import java.util.Map;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.testing.Rows;

/** Wrong SQL: each mistake is told at its place, in plain words, with the mend. */
class SqlMistakesTest {
  private static final Map<String, Relation> RELATIONS =
      Map.of(
          "rolls",
          Rows.relation(
              Schema.of(
                  new Schema.Field("id", Type.INT),
                  new Schema.Field("loom", Type.VARCHAR),
                  new Schema.Field("metres", Type.decimal(9, 2)),
                  new Schema.Field("woven", Type.DATE)),
              List.of(),
              10),
          "looms",
          Rows.relation(
              Schema.of(
                  new Schema.Field("code", Type.VARCHAR), new Schema.Field("serial", Type.BIGINT)),
              List.of(),
              10));

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "select lenght(loom) from rolls ~ 8 There is no function [lenght]; did you mean [length]?",
        "select nvl(loom, 'x') from rolls ~ 8 There is no function [nvl]; write COALESCE(a, b)",
        "select now() from rolls ~ 8 There is no function [now]; write CURRENT_TIMESTAMP",
        "select lom from rolls ~ 8 There is no column [lom]; did you mean [loom]?",
        "select l.metres from rolls r join looms l on l.code = r.loom ~ 10 There is no column [metres] in [l]; r has one",
        "select code from rolls r, looms l where r.loom = l.cod ~ 52 There is no column [cod] in [l]; did you mean [code]?",
        "select serial from looms a, looms b ~ 8 The column [serial] is in a and in b; write which one, as in a.serial",
        "select * from roll ~ 15 There is no table or input [roll]; did you mean [rolls]?",
        "select loom, count(*) from rolls ~ 8 [loom] is neither in GROUP BY nor inside an aggregate such as sum or max",
        "select loom from rolls where count(*) > 1 ~ 30 An aggregate such as sum or count cannot stand in WHERE; use HAVING, or a query around this one",
        "select loom form rolls ~ 18 [rolls] cannot stand here; is the word before it misspelt, or is a comma missing there?",
        "selct loom from rolls ~ 1 This is not a query; a query starts with SELECT, WITH or VALUES",
        "select loom from rolls where (metres > 3 ~ 40 The SQL ends too early: something must follow here",
        "select loom from rolls where metres > 'x' ~ 30 [>] compares a number with text; cast one of them, as in CAST(… AS decimal)",
        "select loom from rolls where loom = \"L1\" ~ 37 There is no column [L1]; there are id, loom, metres, woven. If it is meant as a text, put it in single quotes",
        "select loom from rolls where loom == 'L1' ~ 35 [==] cannot stand here; two things are compared with one =",
        "select loom, from rolls ~ 14 [from] cannot stand here; is a comma too many before it, or is something missing there?",
        "select id from rolls, where id = 1 ~ 21 [, where] cannot stand here; is a comma too many before it, or is something missing there?",
        "select value from rolls ~ 8 [value] cannot stand here; if it is the name of a column or table, put it in double quotes",
        "select loom from rolls order by 3 ~ 33 There is no column of this number in the select list; numbers count from 1",
        "select woven - 30 from rolls ~ 8 [-] does not go with date - integer; move a date by an interval, as in woven_on + INTERVAL '30' DAY",
        "select woven - woven from rolls ~ 8 [-] does not go with date - date; how far they are apart is TIMESTAMPDIFF(DAY, a, b)",
        "select id from rolls where cast(woven as timestamp) > woven ~ 28 [>] does not go with timestamp(6) > date; cast one side, as in CAST(x AS date)",
        "select upper(id) from rolls ~ 8 upper does not take (integer); cast what it is given, as in CAST(x AS varchar)",
        "select sum(loom) from rolls ~ 8 sum does not take (varchar); cast what it is given, as in CAST(x AS decimal(12, 2))",
        "select left(loom) from rolls ~ 8 LEFT takes 2 arguments",
        "select cast(loom as numbr) from rolls ~ 21 There is no type [numbr]; there are boolean, int, bigint, double, decimal(p, s), varchar(n), char(n), date and timestamp",
        "select date_trunc('fortnight', woven) from rolls ~ 8 DATE_TRUNC has no unit [fortnight]; there are year, quarter, month, week, day, hour, minute, second and millisecond, as in DATE_TRUNC('month', woven_on)",
        "select to_char(woven, 'YYYY-MM-DD') from rolls ~ 8 [Y] cannot stand in the pattern [YYYY-MM-DD]; there are y, M, d, H, h, m, s, S and a, as in yyyy-MM-dd HH:mm; letters that stand for themselves go into quotes",
        "select regexp_replace(loom, '(', 'x') from rolls ~ 8 [(] is not a valid pattern: missing closing )",
        "select loom from rolls union select id from rolls ~ 8 Column 1 has unlike types in the queries of the UNION; cast it in one of them",
        "select loom from rolls union select loom, id from rolls ~ 37 The queries of the UNION have unlike numbers of columns",
        "select id from rolls where id in (select id, loom from rolls) ~ 28 IN compares unlike things: both sides need as many columns, of the same types; cast, or select less",
        "select max(count(*)) from rolls ~ 8 An aggregate cannot stand inside another; compute the inner one in a query within",
        "select row_number() from rolls ~ 8 This is a window function, and needs a window behind it, as in row_number() OVER (ORDER BY roll_id)",
        "select rank() over () from rolls ~ 20 A rank needs an order in its window, as in OVER (ORDER BY metres)",
        "select ntile(0) over (order by id) from rolls ~ 8 NTILE counts from 1; it cannot take [0]",
        "delete from rolls ~ 1 A query only reads; DELETE changes a table, and tables are written by pipelines",
        "select 1; select 2 ~ 9 [;] cannot stand here; there is one query at a time",
        "select 999999999999999999999999999999999999999 ~ 8 The number [999999999999999999999999999999999999999] has more than 38 digits",
        "select cast(id as decimal(39, 2)) from rolls ~ 19 There is no decimal(39, 2): a decimal has 1 to 38 digits, and no more behind the point than in all",
        "select cast(id as decimal(5, 9)) from rolls ~ 19 There is no decimal(5, 9): a decimal has 1 to 38 digits, and no more behind the point than in all",
        "select cast(woven as timestamp(9)) from rolls ~ 22 There is no timestamp(9): a timestamp has 6 digits of a second",
        "select sum(value) from rolls ~ 12 VALUE is a word of SQL that is not used here; if it is the name of a column or table, put it in double quotes",
        "select case when id > 1 then 'a' else 2 end from rolls ~ 8 The results of CASE or COALESCE have unlike types; cast them to one, as in CAST(… AS varchar)",
        "select greatest(loom, id) from rolls ~ 8 GREATEST takes values of one type, and is given VARCHAR, INTEGER; cast them to one",
        "select extract(fortnight from woven) from rolls ~ 16 There is no unit [fortnight]; there are year, quarter, month, week, day, hour, minute, second and more, as the page of functions says",
        "select id from rolls where id between 1 ~ 40 BETWEEN wants two bounds, as in BETWEEN 1 AND 5",
        "select id from rolls r join looms l ~ 24 A join needs a condition, as in ON a.loom_code = b.loom_code; CROSS JOIN is one without",
        "select percentile_cont(2) within group (order by id) from rolls ~ 8 PERCENTILE_CONT wants a share between 0 and 1, as a constant",
      })
  void saysWhatIsWrong(String sql, String expected) {
    PlanSession session = new PlanSession();
    SqlProblem found =
        assertThrows(
                SqlProblemException.class,
                () -> session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(RELATIONS)))
            .problem();

    assertEquals(expected, found.column() + " " + found.message());
  }
}
