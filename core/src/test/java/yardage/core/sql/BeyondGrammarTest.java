package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.StepTally;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/** Forms that are put into the tree after the grammar has read the rest. */
class BeyondGrammarTest {
  private static final Map<String, Relation> RELATIONS =
      Map.of(
          "bales",
          Rows.relation(
              Schema.of(
                  new Schema.Field("bale", Type.INT),
                  new Schema.Field("hall", Type.VARCHAR),
                  new Schema.Field("odd name", Type.VARCHAR),
                  new Schema.Field("tags", Type.parse("list(varchar)"))),
              List.of(
                  Arrays.asList(1, "North", "x", List.of("dyed", "raw")),
                  Arrays.asList(2, "South", "y", List.of()),
                  Arrays.asList(3, "North", null, null),
                  Arrays.asList(4, "Yard", "z", List.of("raw"))),
              3),
          "halls",
          Rows.relation(
              Schema.of(
                  new Schema.Field("hall", Type.VARCHAR), new Schema.Field("storey", Type.INT)),
              List.of(List.of("North", 1), List.of("South", 2)),
              3));

  private static String ours(String sql) {
    PlanSession session = new PlanSession();
    PlanSession.Planned planned =
        session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(RELATIONS));
    String names = String.join(" ", planned.schema().names());
    return Rows.rows(
            LivePlans.executor(ExecutionContext.standalone(1L << 28), new StepTally("query", "sql"))
                .collect(
                    session.physical().plan(session.optimize(planned.rel()), "query"), "query"))
        .stream()
        .map(r -> r.stream().map(String::valueOf).collect(Collectors.joining(" ")))
        .collect(Collectors.joining(", ", names + ": ", ""));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "select * except (tags, \"odd name\") from bales where bale < 3 ~ bale hall: 1 North, 2 South",
        "select b.* EXCEPT (bale, TAGS), h.*except(hall) from bales b join halls h on h.hall = b.hall where bale = 2 ~ hall odd name storey: South y 2",
        "select n, s.* from (select * except(tags) from bales) s, (values (7)) as v(n) where s.bale = 1 ~ n bale hall odd name: 7 1 North x",
        "select * except (hall) from halls except (select 1 from halls) order by 1 ~ storey: 2",
        "select storey from halls except (select 2 from halls) ~ storey: 1",
        "select count(*) as n from (select hall from bales except select hall from halls) d ~ n: 1",
        "select '* except (hall)' as \"* except (hall)\" from halls where storey = 1 ~ * except (hall): * except (hall)",
        "select hall from bales order by hall fetch first 1 row with ties ~ hall: North, North",
        "select hall as h from bales order by h fetch next 1 rows with ties ~ h: North, North",
        "select bale, hall from bales order by 2 desc nulls last, bale fetch first 2 rows with ties ~ bale hall: 4 Yard, 2 South",
        "select hall, count(*) as n from bales group by hall order by n fetch first 1 row with ties ~ hall n: South 1, Yard 1",
        "select hall from bales union select 'Attic' from halls order by hall fetch first 2 rows with ties ~ hall: Attic, North",
        "with h as (select hall, bale from bales) select hall from h order by hall fetch first 1 row with ties ~ hall: North, North",
        "values (3), (1), (1) order by 1 fetch first 1 row with ties ~ EXPR$0: 1, 1",
        "select storey from halls union all select bale from bales order by 1 desc nulls last fetch first 1 row with ties ~ storey: 4",
        "select h.hall, h.storey + 1 from halls h union all select hall, bale from bales order by 2, 1 desc fetch first 1 row with ties ~ hall EXPR$1: North 1",
        "select hall from bales b order by (select storey from halls h where h.hall = b.hall) nulls first fetch first 1 row with ties ~ hall: Yard",
        "select hall, rank() over (order by hall) as r from bales qualify r > 1 order by r fetch first 1 row with ties ~ hall r: South 3",
        "select cast('abc' as varchar(2)) as a, cast('ab' as char(4)) || '|' as b, case when storey = 1 then cast('é' as char(3)) else 'zz' end || '|' as c, cast('x' as varchar(9)) || '|' as d from halls order by storey ~ a b c d: ab ab  | é  | x|, ab ab  | zz| x|",
        "select hall from bales order by bale fetch first row only ~ hall: North",
        "select hall from bales order by bale offset 1 row fetch next row only ~ hall: South",
        "select hall from bales order by hall  fetch   first row  with ties ~ hall: North, North",
        "select storey, (select bale from bales b where b.hall = h.hall order by bale fetch first rows only) as b from halls h order by 1 ~ storey b: 1 1, 2 2",
        "select sum(bale) as s from (select bale from bales order by hall fetch first 1 row with ties) x ~ s: 4",
        // Lists that each row around the subquery has of its own.
        "select bale, (select count(*) from unnest(b.tags) as t(tag)) as n from bales b order by 1 ~ bale n: 1 2, 2 0, 3 0, 4 1",
        "select bale from bales b where 'raw' in (select tag from unnest(b.tags) as t(tag)) order by 1 ~ bale: 1, 4",
        "select bale from bales b where not exists (select 1 from unnest(b.tags) as t(tag) where tag <> b.hall) order by 1 ~ bale: 2, 3",
        "select bale, (select max(tag) from unnest(b.tags) with ordinality as t(tag, place) where place = 1) as tag from bales b order by 1 ~ bale tag: 1 dyed, 2 null, 3 null, 4 raw"
      })
  void reads(String sql, String expected) {
    assertEquals(expected, ours(sql));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "select * except (colour) from halls ~ 18 [colour] is not there, so it cannot be left out",
        "select * except (hall, storey) from halls ~ 8 Nothing is left of [*] without these columns",
        "select hall from halls order by 1 offset 1 row fetch first 1 row with ties ~ 60 WITH TIES does not go with OFFSET; put that into a query in FROM",
        "select hall from halls fetch first row with ties ~ 30 WITH TIES needs an ORDER BY, which says what ties are",
        "select distinct hall from halls order by 1 fetch first 1 row with ties ~ 56 WITH TIES does not go with DISTINCT; put that into a query in FROM",
        "select * from halls order by 2 fetch first 1 row with ties ~ 30 With * in the list, WITH TIES needs the column of ORDER BY by its name",
        "select hall from halls order by 3 fetch first 1 row with ties ~ 33 There is no column of this number in the select list; numbers count from 1",
        "select hall from halls union select hall from bales order by 0 fetch first 1 row with ties ~ 62 There is no column of this number in the select list; numbers count from 1",
        "select hall from halls union select hall from bales order by 3 fetch first 1 row with ties ~ 62 There is no column of this number in the select list; numbers count from 1",
        "select hall from halls fetch first 1 row with ties ~ 36 WITH TIES needs an ORDER BY, which says what ties are",
        "select stoey, x at time zone 'UTC' from halls ~ 8 There is no column [stoey]; did you mean [storey]?"
      })
  void saysWhatIsWrong(String sql, String expected) {
    SqlProblem found = assertThrows(SqlProblemException.class, () -> ours(sql)).problem();
    assertEquals(expected, found.column() + " " + found.message());
  }
}
