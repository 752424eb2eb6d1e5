package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.*;

import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.testing.TestLake;

/** UNNEST: rows of lists and maps, alone and beside the rows that they stand in. */
class ListRowsTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void load() {
    lake = new TestLake(folder);
    lake.file(
        "bales/1.jsonl",
        """
        {"bale": 1, "lots": [{"lot": "A", "kg": 10}, {"lot": "B", "kg": 5}], "tags": ["x", "y"]}
        {"bale": 2, "lots": [], "tags": null}
        {"bale": 3, "lots": [{"lot": "C", "kg": 7}], "tags": ["z", null]}
        """);
    lake.declare(
        """
        feed: bales
        files: bales/*
        json: {}
        columns:
          bale: int
          lots: {type: 'list(struct(lot varchar, kg int))'}
          tags: {type: 'list(varchar)'}
        """);
    lake.run(
        "pipeline: b\nsteps:\n  b: {read: {feed: bales}}\n  out: {from: b, write: {table: t.bales, mode: replace}}\n");
  }

  private String rows(String sql) {
    return lake.query(sql).stream()
        .map(r -> r.stream().map(String::valueOf).collect(Collectors.joining(" ")))
        .collect(Collectors.joining(", "));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "select b.bale, l.lot, l.kg from t.bales b, unnest(b.lots) as l | 1 A 10, 1 B 5, 3 C 7",
        "select b.bale, x.n, x.m from t.bales b cross join unnest(b.lots) as x(n, m) where x.m > 5 | 1 A 10, 3 C 7",
        "select b.bale, g.tag, g.n from t.bales b, unnest(b.tags) with ordinality as g(tag, n) | 1 x 1, 1 y 2, 3 z 1, 3 null 2",
        "select b.bale, g.tag from t.bales b left join unnest(b.tags) as g(tag) on true | 1 x, 1 y, 2 null, 3 z, 3 null",
        "select l.lot, g.tag from t.bales b, unnest(b.lots) as l, unnest(b.tags) as g(tag) where g.tag <> 'x' | A y, B y, C z",
        "select sum(l.kg), count(*) from t.bales b, unnest(b.lots) as l | 22 3",
        "select b.bale, x.lot from t.bales b, lateral (select l.lot from unnest(b.lots) as l where l.kg > b.bale + 8) x | 1 A",
        "select b.bale, p.part from t.bales b, unnest(split_text('u-v', '-')) as p(part) where b.bale = 2 order by p.part | 2 u, 2 v",
        "select n from unnest(array[3, 1, 2]) as v(n) order by n | 1, 2, 3",
        "select b.bale, v.n from t.bales b, unnest(array[b.bale, b.bale * 10, null]) as v(n) where b.bale < 3 | 1 1, 1 10, 1 null, 2 2, 2 20, 2 null",
        "select a.bale, l.lot from t.bales a join t.bales b on a.bale = b.bale, unnest(b.lots) as l where a.bale = 3 | 3 C"
      })
  void givesARowForEachElement(String sql, String expected) {
    assertEquals(expected, rows(sql));
  }

  private static final String NOTE =
      "'{\"mill\": \"East\", \"lots\": [{\"lot\": \"A\", \"kg\": 7.5, \"tags\": [\"x\", \"y\"]}, {\"lot\": \"B, (2)\"}, {\"lot\": \"C\", \"kg\": \"many\", \"tags\": []}]}'";

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "select l.* from json_table(NOTE, '$.lots[*]' columns (place for ordinality, lot varchar, kg decimal(5, 2))) as l | 1 A 7.50, 2 B, (2) null, 3 C null",
        "select b.bale, l.n from t.bales b, json_table(NOTE, '$.lots[*]' columns (\"n\" varchar(3) path '$.lot')) l where b.bale < 3 and l.n <> 'B, (2)' order by 1, 2 | 1 A, 1 C, 2 A, 2 C",
        "select kg, has, tags from JSON_TABLE (NOTE, '$.lots[*]' COLUMNS (kg varchar DEFAULT 'none' ON EMPTY, has boolean EXISTS PATH '$.tags', tags varchar FORMAT JSON PATH '$.tags')) AS l | 7.5 true [\"x\",\"y\"], none false null, many true []",
        "select m.mill, t.tag from json_table(NOTE, '$' columns (mill varchar path '$.mill', lots varchar format json path '$.lots')) as m, json_table(m.lots, '$[*].tags[*]' columns (tag varchar path '$')) as t | East x, East y",
        "select b.bale, l.lot from t.bales b left join json_table(case b.bale when 1 then NOTE end, '$.lots[0]' columns (lot varchar)) as l on true | 1 A, 2 null, 3 null",
        "select nested_lot, tagged from json_table(NOTE, '$.lots[*]' columns (nested_lot varchar path '$.lot', tagged int exists path '$.tags')) as l | A 1, B, (2) 0, C 1",
        "select count(*) from json_table('no json', '$[*]' columns (a int path '$')) as l | 0",
        "select x.day, x.\"at\" from json_table('[{\"day\": \"2026-11-30\", \"at\": \"2026-11-30 07:30:00\"}]', '$[*]' columns (day date, \"at\" timestamp)) as x | 2026-11-30 2026-11-30T07:30"
      })
  void jsonTextsMakeRowsOfWhatIsAtAPath(String sql, String expected) {
    assertEquals(expected, rows(sql.replace("NOTE", NOTE)));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "json_table(NOTE, '$.lots[*]') | needs its columns",
        "json_table(NOTE, b.path columns (a int)) | needs the path of its rows as a constant",
        "json_table(NOTE, '$.lots[*]' columns (a)) | cannot read the column [a]",
        "json_table(NOTE, '$.lots[*]' columns (nested path '$.a' columns (b int))) | has no NESTED columns",
        "json_table(NOTE, '$.lots[*]' columns (a strange path '$.a')) | strange",
        "json_table(NOTE, 'lots' columns (a int)) | lots",
        "json_table(NOTE, '$.lots[*]' columns (a int | ends too early"
      })
  void whatIsWrongInSuchATableIsTold(String table, String told) {
    String sql = "select * from t.bales b, %s as l".formatted(table.replace("NOTE", NOTE));
    RuntimeException refused = assertThrows(RuntimeException.class, () -> rows(sql));
    assertTrue(refused.getMessage().contains(told), refused.getMessage());
    assertTrue(
        refused instanceof SqlProblemException || refused instanceof UnsupportedSqlException,
        refused.toString());
  }

  @Test
  void aListOfManyElementsMakesAsManyRows() {
    String list = "array[" + String.join(", ", java.util.Collections.nCopies(150, "7")) + "]";
    assertEquals(
        List.of(List.of(150L * 150 * 2, 7)),
        lake.query(
            "select count(*), max(a.n) from unnest(%s) as a(n), unnest(%s) as b(n), unnest(array[1, 2]) as c(n)"
                .formatted(list, list)));
    assertEquals(
        Arrays.asList(150, null),
        lake.query("select cardinality(%s), array[1, 2][3]".formatted(list)).get(0));
  }
}
