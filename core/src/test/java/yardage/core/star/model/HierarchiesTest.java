package yardage.core.star.model;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.document.Problem;

/** Hierarchies are found by what columns determine, proposed once, and held against the rows. */
class HierarchiesTest {
  @TempDir Path folder;
  private LakeOfStars tables;

  @BeforeEach
  void begins() {
    tables = new LakeOfStars(folder);
  }

  private static StarModel star(String dimension) {
    StarModel.Parsed parsed =
        StarModel.parse("star: cloth\ndimensions:\n  %s\nfacts: {}\n".formatted(dimension));
    assertEquals(List.of(), parsed.problems());
    return parsed.model().orElseThrow();
  }

  /** As in {@code hall 2 [floor] > loom 20: 95 %}. */
  private List<String> found(String dimension) {
    StarModel.Dimension d = star(dimension).dimensions().values().iterator().next();
    return Hierarchies.of(d, tables.table(d.table()).orElseThrow().schema(), tables).stream()
        .map(
            f ->
                "%s: %s, %.0f %%"
                    .formatted(
                        f.name(),
                        String.join(
                            " > ",
                            f.levels().stream()
                                .map(
                                    l ->
                                        "%s %d%s"
                                            .formatted(
                                                l.column(),
                                                l.values(),
                                                l.same().isEmpty() ? "" : " = " + l.same()))
                                .toList()),
                        100 * f.share()))
        .toList();
  }

  private List<String> problems(String dimension) {
    return StarCheck.of(star(dimension), tables, true).problems().stream()
        .map(p -> p.severity() == Problem.Severity.ERROR ? "error " + p.code() : p.code())
        .toList();
  }

  /** 20 looms in 4 halls of 2 mills; a letter of each hall; a colour that follows nothing. */
  private List<String> looms() {
    List<String> rows = new ArrayList<>(List.of("-1,unknown,unknown,?,unknown,grey"));
    for (int i = 0; i < 20; i++) {
      rows.add(
          "%d,M%d,H%d,%s,L%02d,c%d".formatted(i, i / 10, i / 5, "ABCD".charAt(i / 5), i, i % 3));
    }
    return rows;
  }

  private static final String COLUMNS =
      "loom_key int, mill varchar, hall varchar, letter varchar, loom varchar, colour varchar";

  @Test
  void columnsThatDetermineOthersStandBelowThem() {
    tables.table("d.loom", COLUMNS, looms());
    assertEquals(
        List.of(
            "mill: mill 2 > hall 4 = [letter] > loom 20, 100 %",
            "colour: colour 3 > loom 20, 100 %"),
        found("loom: {table: d.loom, key: loom_key}"));
  }

  @Test
  void aMemberThatStandsUnderTwoIsToldAndManyAreNone() {
    List<String> rows = looms();
    rows.add("20,M1,H3,D,L00,c0");
    tables.table("d.loom", COLUMNS, rows);
    String loom = "loom: {table: d.loom, key: loom_key, hierarchies: {place: [mill, hall, loom]}}";
    assertEquals(List.of("hierarchy-branches"), problems(loom));
    assertEquals(
        "mill: mill 2 > hall 4 = [letter] > loom 20, 95 %",
        found("loom: {table: d.loom, key: loom_key}").get(0));
    for (int i = 1; i < 5; i++) {
      rows.add("%d,M1,H3,D,L%02d,c0".formatted(20 + i, i));
    }
    tables.table("d.loom", COLUMNS, rows);
    assertEquals(
        List.of("mill: mill 2 > hall 4 = [letter], 100 %"),
        found("loom: {table: d.loom, key: loom_key}").subList(0, 1));
  }

  @Test
  void whatTheDocumentNamesIsNotProposedAgain() {
    tables.table("d.loom", COLUMNS, looms());
    String loom =
        "loom: {table: d.loom, key: loom_key, hierarchies: {place: [mill, hall, loom], dye: [colour, loom]}}";
    assertEquals(List.of(), found(loom));
    assertEquals(List.of(), problems(loom));
    assertEquals(
        List.of("error unknown-column"),
        problems("loom: {table: d.loom, key: loom_key, hierarchies: {place: [mill, hal]}}"));
    assertEquals(
        List.of("wrong-shape"),
        StarModel.parse(
                "star: s\ndimensions:\n  d: {table: a.b, key: k, hierarchies: {place: [mill]}}\nfacts: {}\n")
            .problems()
            .stream()
            .map(Problem::code)
            .toList());
  }

  /** Months of two years are the same numbers, so that nothing but the calendar knows. */
  @Test
  void daysHaveTheLevelsOfTheirCalendar() {
    tables
        .lake()
        .run(
            "pipeline: days\nsteps:\n  days: {calendar: {first: 2026-01-01, last: 2027-12-31, fiscal-start: 4}}\n  out: {from: days, write: {table: d.day, mode: replace}}\n");
    assertEquals(
        List.of(
            "fiscal: fiscal_year 3 > fiscal_quarter 4 > fiscal_month 12 > calendar_day 730, 100 %",
            "months: year_number 2 > quarter_number 4 > month_number 12 > calendar_day 730, 100 %",
            "weeks: iso_year 2 > iso_week 53 > calendar_day 730, 100 %"),
        found("day: {table: d.day, key: day_key, time: true}"));
    String weeks =
        "day: {table: d.day, key: day_key, time: true, hierarchies: {weeks: [iso_year, iso_week, calendar_day]}}";
    assertEquals(2, found(weeks).size());
    assertEquals(List.of(), problems(weeks));
  }
}
