package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
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
        "select x.totl from (select loom, sum(metres) as total from rolls group by loom) x ~ 10 There is no column [totl] in [x]; did you mean [total]?",
        "select x.id from (select loom, sum(metres) as total from rolls group by loom) x ~ 10 There is no column [id] in [x]; rolls has one",
        "with w as (select id as roll from rolls) select rol from w ~ 49 There is no column [rol]; did you mean [roll]?",
        "with w(roll, x) as (select id, loom from rolls) select w.value from w ~ 58 There is no column [value] in [w]; there are roll, x",
        "select \"L1\" from (select 'L1' as code) ~ 8 There is no column [L1]; there is code. If it is meant as a text, put it in single quotes",
        "select distinct loom from rolls order by metres ~ 42 With DISTINCT, rows are ordered by what is selected, and [metres] is not; select it, or leave it out of ORDER BY",
        "select loom from rolls order by count(*) ~ 33 An aggregate in ORDER BY needs a GROUP BY; or order by a column",
        "select upper(loom) over () from rolls ~ 8 OVER goes with an aggregate or a window function, as in sum(x) OVER (…)",
        "select 1 from rolls a, looms a ~ 24 Two inputs are called [a]; give one of them another name with AS",
        "select loom from rolls qualify loom = 'x' ~ 8 QUALIFY filters by a window function, and has none here; use WHERE or HAVING",
        "select row_number() over (order by id rows 2 preceding) from rolls ~ 39 This window function takes no frame; leave ROWS or RANGE out",
        "select (select id, loom from rolls) ~ 8 A subquery in the place of a value gives one column; select one",
        "select x'1' ~ 8 Bytes are written as pairs of hexadecimal digits, as in X'0A1F'",
        "select sum(id) within group (order by id) from rolls ~ 8 SUM takes no WITHIN GROUP",
        "select count() from rolls ~ 8 COUNT takes one argument",
        "select l.metres from rolls r join looms l on l.code = r.loom ~ 10 There is no column [metres] in [l]; r has one",
        "select code from rolls r, looms l where r.loom = l.cod ~ 52 There is no column [cod] in [l]; did you mean [code]?",
        "select serial from looms a, looms b ~ 8 The column [serial] is in a and in b; write which one, as in a.serial",
        "select * from roll ~ 15 There is no table or input [roll]; did you mean [rolls]?",
        "show tables ~ 1 This is not a query; what there is to read stands in information_schema.tables and information_schema.columns",
        "select metres over from rolls ~ 15 [over] cannot stand here; if it is the name of a column or table, put it in double quotes",
        "select * from mill.rolls ~ 15 There is no table or input [mill.rolls]; did you mean [rolls]?",
        "select loom, count(*) from rolls ~ 8 [loom] is neither in GROUP BY nor inside an aggregate such as sum or max",
        "select loom from rolls where count(*) > 1 ~ 30 An aggregate such as sum or count cannot stand in WHERE; use HAVING, or a query around this one",
        "select loom form rolls ~ 18 [rolls] cannot stand here; is the word before it misspelt, or is a comma missing there?",
        "selct loom from rolls ~ 1 This is not a query; a query starts with SELECT, WITH or VALUES",
        "select loom from rolls where (metres > 3 ~ 40 The SQL ends too early: something must follow here",
        "select loom from rolls where metres > 'x' ~ 30 [>] compares a number with text; cast one of them, as in CAST(… AS decimal(9, 2))",
        "select loom from rolls where loom = \"L1\" ~ 37 There is no column [L1]; there are id, loom, metres, woven. If it is meant as a text, put it in single quotes",
        "select loom from rolls where loom == 'L1' ~ 35 [==] cannot stand here; two things are compared with one =",
        "select loom, from rolls ~ 14 [from] cannot stand here; is a comma too many before it, or is something missing there?",
        "select id from rolls, where id = 1 ~ 21 [, where] cannot stand here; is a comma too many before it, or is something missing there?",
        "select value from rolls ~ 8 There is no column [value]; there are id, loom, metres, woven. If it is meant as a text, put it in single quotes",
        "select loom from rolls order by 3 ~ 33 There is no column of this number in the select list; numbers count from 1",
        "select woven - 30 from rolls ~ 8 [-] does not go with date - integer; move a date by an interval, as in woven_on + INTERVAL '30' DAY",
        "select woven - woven from rolls ~ 8 [-] does not go with date - date; how far they are apart is TIMESTAMPDIFF(DAY, a, b)",
        "select id from rolls where cast(woven as timestamp) > woven ~ 28 [>] does not go with timestamp > date; cast one side, as in CAST(x AS date)",
        "select upper(id) from rolls ~ 8 upper does not take (integer); cast what it is given, as in CAST(x AS varchar)",
        "select sum(loom) from rolls ~ 8 sum does not take (varchar); cast what it is given, as in CAST(x AS decimal(12, 2))",
        "select left(loom) from rolls ~ 8 LEFT takes 2 arguments",
        "select cast(loom as numbr) from rolls ~ 21 There is no type [numbr]; there are boolean, int, bigint, double, decimal(p, s), varchar(n), char(n), varbinary, uuid, date, time, timestamp and timestamp with time zone",
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
        "select sum(value) from rolls ~ 12 There is no column [value]; there are id, loom, metres, woven. If it is meant as a text, put it in single quotes",
        "select case when id > 1 then 'a' else 2 end from rolls ~ 8 The results of CASE or COALESCE have unlike types; cast them to one, as in CAST(… AS varchar)",
        "select greatest(loom, id) from rolls ~ 8 GREATEST takes values of one type, and is given VARCHAR, INTEGER; cast them to one",
        "select extract(fortnight from woven) from rolls ~ 16 There is no unit [fortnight]; there are year, quarter, month, week, day, hour, minute, second and more, as the page of functions says",
        "select id from rolls where id between 1 ~ 40 BETWEEN wants two bounds, as in BETWEEN 1 AND 5",
        "select id from rolls r join looms l ~ 24 A join needs a condition, as in ON a.loom_code = b.loom_code; CROSS JOIN is one without",
        "select percentile_cont(2) within group (order by id) from rolls ~ 8 PERCENTILE_CONT wants a share between 0 and 1, as a constant",
        "select string_agg(loom, ',') from rolls ~ 8 There is no function [STRING_AGG]; write LISTAGG(a, ', ') WITHIN GROUP (ORDER BY a)",
        "select id from rolls where loom like 'a%' escape '!!' ~ 28 ESCAPE takes one character, not [!!]",
        "select id, id from rolls order by id ~ 35 Two columns are called [id] here; give one of them another name with AS",
        "select top 5 id from rolls ~ 12 TOP is not used here; write LIMIT 5 at the end of the query",
        "select time '25:00' from rolls ~ 8 '25:00' is no time of day; write it as in TIME '14:30:00'",
        "select uuid '12' from rolls ~ 1 '12' is no UUID; write its 32 hexadecimal digits, as in UUID '5f8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55'",
        "select timestamp with time zone '2026-03-09 14:30:00' from rolls ~ 8 '2026-03-09 14:30:00' is no time with a zone; write it as in TIMESTAMP WITH TIME ZONE '2026-03-09 14:30:00 Europe/Lisbon'",
        "select id from rolls where woven > '2026-01-01' ~ 28 [>] compares a date or time with text; cast one of them, as in CAST(… AS date)",
        "select [id] from rolls ~ 8 [[] cannot stand here; a name is put in double quotes",
        "select id from rolls where loom in () ~ 37 [)] cannot stand here; is something missing before it, or is a bracket too many?",
        "select id from rolls where not loom ~ 28 NOT joins conditions, and varchar is none; compare it, as in x > 0",
        "select id from rolls where id ~ 28 This is no condition; compare it with something, as in id > 0",
        "select count(*) filter (where id) from rolls ~ 31 This is no condition; compare it with something, as in id > 0",
        "select id from rolls limit -1 ~ 28 LIMIT takes a number of rows, as in LIMIT 10",
        "select id from rolls limit 5, 10 ~ 22 LIMIT takes one number; write LIMIT 10 OFFSET 5",
        "select id from rolls r where rolls.id = 1 ~ 30 [rolls] is called [r] in this query; name it so",
        "select rolls.* from rolls r ~ 8 [rolls] is called [r] in this query; name it so",
        "select r.id from rolls ~ 8 There is no table or input [r]; there are looms, rolls",
        "select 'a' + 'b' ~ 8 [+] adds numbers; texts are put together with ||",
        "select 'a' || 1 ~ 8 [||] does not go with char(1) || integer; cast one side, as in CAST(x AS varchar)",
        "select round(loom) from rolls ~ 8 round does not take (varchar); cast what it is given, as in CAST(x AS decimal(12, 2))",
        "select a.id from (select id, loom as id from rolls) a ~ 8 Two columns are called [id] here; give one of them another name with AS",
        "select * from rolls natural join looms ~ 29 NATURAL JOIN joins by the columns that both inputs have, and these have none in common; join with ON a.loom_code = b.loom_code",
        "select * from rolls join looms using (id) ~ 39 USING and NATURAL need a column that both inputs have, and [id] is in rolls only; join with ON a.loom_code = b.loom_code",
        "with x as (select 1) select * from y ~ 36 There is no table or input [y]; there are looms, rolls",
        "with x as (select 1 as a), x as (select 2 as b) select * from x ~ 28 WITH names two queries [x]; give one of them another name",
        "select (select id, loom from rolls) from looms ~ 8 A subquery in the place of a value gives one column; select one",
        "select sum(id) over (partition by nope) from rolls ~ 35 There is no column [nope]; there are id, loom, metres, woven. If it is meant as a text, put it in single quotes",
        "select sum(id) over w from rolls ~ 21 There is no window [w]; name it behind the query, as in WINDOW w AS (PARTITION BY loom)",
        "select grouping(loom) from rolls ~ 8 GROUPING says which columns a row is grouped by, and this query has no GROUP BY",
        "select timestamp '10000-01-01 00:00:00' ~ 8 Years go from 0001 to 9999",
        "select id, cot(id) from rolls ~ 12 The function [COT] is not supported",
        "select array[interval '3' day] ~ 1 An interval is no column; make it a number, as in CAST((a - b) MINUTE AS int)",
        "select interval '3' day ~ 1 An interval is no column; make it a number, as in CAST((a - b) MINUTE AS int)",
        "select cast(interval '3' day as varchar) ~ 8 An interval is cast to numbers alone, as in CAST((a - b) DAY AS int)",
        "select date '2026-13-01' ~ 8 '2026-13-01' is no date; write year, month and day, as in DATE '2026-03-09'",
        "select timestamp 'noon' ~ 8 'noon' is no time; write it as in TIMESTAMP '2026-03-09 14:30:00'",
        "select case when id then 1 end from rolls ~ 8 WHEN wants a condition here, as in WHEN id > 0",
        "select case id when 'a' then 1 end from rolls ~ 8 [=] compares a number with text; cast one of them, as in CAST(… AS int)",
        "select loom from rolls where loom like 5 ~ 30 like does not take (varchar, integer); cast what it is given, as in CAST(x AS varchar)",
        "select trim('ab' from loom) from rolls ~ 8 TRIM takes one ASCII character, not [ab]",
        "select 'abc from rolls ~ 8 The text that begins here is never closed; end it with '",
        "select \"abc from rolls ~ 8 The name that begins here is never closed; end it with \"",
        "select /* abc from rolls ~ 8 The comment that begins here is never closed; end it with */",
        "create table x (a int) ~ 1 A query only reads; CREATE changes something, and tables are written by pipelines",
        "show tables ~ 1 This is not a query; what there is to read stands in information_schema.tables and information_schema.columns",
        "select id from rolls where ~ 26 The SQL ends too early: something must follow here",
        "select id id2 id3 from rolls ~ 15 [id3] cannot stand here; is the word before it misspelt, or is a comma missing there?",
        "select id from rolls as r (a) ~ 28 There are 4 columns and 1 names for them; name each, or none",
        "select mod(id, loom) from rolls ~ 8 mod does not take (integer, varchar); cast what it is given, as in CAST(x AS decimal(12, 2))",
        "select date_trunc('month', loom) from rolls ~ 8 date_trunc does not take (char(5), varchar); cast what it is given, as in CAST(x AS date)",
        "select to_date(woven, 'yyyy') from rolls ~ 8 to_date does not take (date, char(4)); cast what it is given, as in CAST(x AS varchar)",
        "select percentile_cont(0.5) from rolls ~ 8 PERCENTILE_CONT says behind it what it is of, as in PERCENTILE_CONT(0.5) WITHIN GROUP (ORDER BY metres)",
        "select id from rolls where (id, loom) = (1) ~ 28 [=] compares unlike things: both sides need as many values",
        "values (1), (2, 3) ~ 1 The rows of VALUES are unlike each other: each needs as many values, of the same types",
        "select id from rolls@x ~ 21 [@] cannot stand here; a value that is given is written :name",
        "select id from rolls where id => 1 ~ 31 [=>] cannot stand here; at least is written >=",
        "select id::int from rolls ~ 10 [::] cannot stand here; a type is changed with CAST(value AS type)",
        "select cast(woven as int) from rolls ~ 8 A value of type DATE cannot be cast to INTEGER",
        "select r.day from rolls r ~ 10 There is no column [day] in [r]; there are id, loom, metres, woven",
        "select r.order from rolls r ~ 9 [order] is a word of SQL; as the name of a column it is put in double quotes, as in r.\"order\"",
        "select sum(precision) from rolls ~ 12 [precision] cannot stand here; if it is the name of a column or table, put it in double quotes",
        "select unnest(loom) from rolls ~ 8 UNNEST makes rows and stands in FROM, as in FROM bales AS b, UNNEST(b.tags) AS g (tag)",
        "select * from unnest(array[1, 2], array[3]) as a ~ 1 UNNEST takes one list; unnest each of them by itself, WITH ORDINALITY, and join them by their places",
        "select l.x from rolls r, unnest(r.id) as l(x) ~ 26 UNNEST takes a list or a map, and is given (integer); SPLIT_TEXT(text, ',') makes a list of a text",
        "select array[1, 'a'] from rolls ~ 8 The values of a list are of one type; cast them to it",
      })
  void saysWhatIsWrong(String sql, String expected) {
    assertSaid(sql, expected);
  }

  /** Signs that other programs write. */
  @Test
  void saysWhatIsWrongWithSigns() {
    assertSaid("select `id` from rolls", "8 [`] cannot stand here; a name is put in double quotes");
    assertSaid(
        "select id from rolls where loom ~ 'a'",
        "33 [~] cannot stand here; a pattern is looked for with REGEXP_LIKE(loom, 'pattern') or LIKE");
  }

  private static void assertSaid(String sql, String expected) {
    PlanSession session = new PlanSession();
    SqlProblem found =
        assertThrows(
                SqlProblemException.class,
                () -> session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(RELATIONS)))
            .problem();

    assertEquals(expected, found.column() + " " + found.message());
  }
}
