package yardage.core.sampler;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/** What a sampler's document says, and what its blocks ask when something is chosen. */
class SamplerTest {
  private static final String TEXT =
      """
      sampler: cloth
      title: Cloth
      over: cloth.rolls
      choices:
        when: {column: year, label: year}
        hall: {many: true}
      paths:
        place: [mill, hall, loom]
      blocks:
        woven: {number: metres_woven, before: sum(metres) - 1, unit: m}
        halls: {chart: bar, by: [place, grade], of: [metres_woven], order: [metres_woven desc], most: 9}
        mean: {table: true, by: [year], of: {mean: avg(metres)}, where: metres > 0, width: 6}
        rolls: {rows: [roll_id, "odd \\"name\\""], order: [roll_id]}
        own: {chart: line, query: "select 1 as n from mart.days where y = :year"}
        words: {text: "*Metres*"}
      """;

  private static final Schema COLUMNS =
      new Schema(
          List.of(
              field("year", "int"),
              field("mill", "varchar"),
              field("hall", "varchar"),
              field("loom", "varchar"),
              field("woven_on", "date"),
              field("metres", "decimal(9, 2)")));

  private static Schema.Field field(String name, String type) {
    return new Schema.Field(name, Type.parse(type), true);
  }

  private static Chosen chosen(String... pairs) {
    Map<String, List<Optional<String>>> out = new LinkedHashMap<>();
    for (String pair : pairs) {
      String[] both = pair.split("=", 2);
      out.put(
          both[0],
          Arrays.stream(both[1].split("\\|"))
              .map(v -> v.equals("~") ? Optional.<String>empty() : Optional.of(v))
              .toList());
    }
    return new Chosen(out);
  }

  private static SamplerSql.Asked asked(String block, Chosen chosen) {
    SamplerDocument d = SamplerDocument.parse(TEXT).document().orElseThrow();
    Block.Answer answer =
        (Block.Answer)
            d.blocks().stream()
                .filter(b -> b.name().equals(block))
                .findFirst()
                .orElseThrow()
                .content();
    return new SamplerSql(d, chosen).of(answer.question(), COLUMNS);
  }

  private static String sql(String block, String... chosen) {
    return asked(block, chosen(chosen)).sql();
  }

  @Test
  void blocksAskWhatTheySayNarrowedByWhatIsChosen() {
    assertEquals(
        "SELECT metres_woven AS \"value\", sum(metres) - 1 AS \"before\" FROM cloth.rolls",
        sql("woven"));
    assertEquals(
        "SELECT \"year\", avg(metres) AS \"mean\" FROM cloth.rolls WHERE (metres > 0) AND \"year\" = 2026 AND (\"hall\" IN ('North', 'O''Hara') OR \"hall\" IS NULL) GROUP BY \"year\" ORDER BY \"year\"",
        sql("mean", "year=2026", "hall=North|O'Hara|~"));
    assertEquals(
        "SELECT \"roll_id\", \"odd \"\"name\"\"\" FROM cloth.rolls WHERE \"woven_on\" = CAST('2026-01-05' AS date) ORDER BY \"roll_id\"",
        sql("rolls", "woven_on=2026-01-05"));
    // A path shows the first of its columns that has not come down to one value.
    assertTrue(sql("halls").startsWith("SELECT \"mill\", \"grade\", \"metres_woven\" FROM"));
    assertEquals(List.of("loom", "grade"), asked("halls", chosen("mill=A", "hall=B")).by());
    assertEquals(List.of("hall", "grade"), asked("halls", chosen("mill=A", "hall=B|C")).by());
    assertEquals(
        List.of("loom", "grade"), asked("halls", chosen("mill=A", "hall=B", "loom=C")).by());
    assertTrue(sql("halls").endsWith("ORDER BY \"metres_woven\" DESC"));
    assertEquals(9, asked("halls", Chosen.NOTHING).most());
  }

  @Test
  void whatDoesNotFitIsToldOrRefusedAndNeverWritten() {
    assertEquals(List.of("weave"), asked("woven", chosen("weave=twill", "year=2026")).passed());
    for (String wrong : List.of("year=2026 or 1=1", "year=1; drop", "woven_on=5 Jan", "metres=x")) {
      IllegalArgumentException e =
          assertThrows(IllegalArgumentException.class, () -> sql("woven", wrong), wrong);
      assertTrue(e.getMessage().contains("] is no value of ["), e.getMessage());
    }
    assertTrue(sql("woven", "hall=' OR '1'='1").endsWith("\"hall\" = ''' OR ''1''=''1'"));
  }

  @Test
  void aQueryOfItsOwnTakesWhatItAsksFor() {
    SamplerSql.Asked own = asked("own", chosen("year=2026", "hall=North"));
    assertEquals(Map.of("year", Optional.of("2026")), own.parameters());
    assertEquals(List.of("hall"), own.passed());
    assertEquals(
        Map.of("year", Optional.empty()), asked("own", chosen("year=2025|2026")).parameters());
  }

  @Test
  void theValuesOfAChoiceAreThoseThatTheOthersLeave() {
    SamplerDocument d = SamplerDocument.parse(TEXT).document().orElseThrow();
    assertEquals(
        "SELECT DISTINCT \"hall\" FROM cloth.rolls WHERE \"year\" = 2026 ORDER BY 1",
        new SamplerSql(d, chosen("year=2026", "hall=North"))
            .values("cloth.rolls", "hall", COLUMNS)
            .sql());
  }

  @Test
  void whatIsWrongIsSaidAtItsPlace() {
    Map<String, String> wrong =
        Map.of(
            TEXT.replace("chart: bar", "chart: pie"),
            "11: [pie] is not one of line, area, bar",
            TEXT.replace("number: metres_woven, ", ""),
            "10: Block [woven] has nothing to show",
            TEXT.replace("rows: [", "table: true, rows: ["),
            "Block [rolls] has table and rows",
            TEXT.replace(", of: [metres_woven]", ""),
            "11: [of] is missing",
            TEXT.replace("over: cloth.rolls\n", ""),
            "9: [over] is missing",
            TEXT.replace("over: cloth.rolls", "over: rolls; drop"),
            "[rolls; drop] is no table",
            TEXT.replace("width: 6", "width: 13"),
            "[width] is a number from 1 to 12, not 13",
            TEXT.replace("most: 9", "most: 0"),
            "[most] is a number from 1 to 10,000, not 0",
            TEXT.replace("place: [mill, hall, loom]", "place: [mill]"),
            "8: A path leads through two",
            "sampler: [",
            "This is not YAML");
    wrong.forEach(
        (text, said) -> {
          SamplerDocument.Parsed parsed = SamplerDocument.parse(text);
          assertTrue(parsed.document().isEmpty(), said);
          List<String> all =
              parsed.problems().stream().map(p -> p.place().line() + ": " + p.message()).toList();
          assertTrue(all.stream().anyMatch(m -> m.contains(said)), said + " in " + all);
        });
  }
}
