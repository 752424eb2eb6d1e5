package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.exec.Tally;
import yardage.core.pipeline.insight.JoinInsight;
import yardage.core.pipeline.insight.JoinMending;
import yardage.core.testing.Mills;
import yardage.core.testing.TestLake;
import yardage.demo.WeavingMills;

/**
 * The sample scenario through the engine; what comes out is what the generator counted while it
 * wrote.
 */
class WeavingMillsTest {
  @TempDir Path folder;

  private static void declareFeeds(TestLake lake) throws IOException {
    for (String feed : Mills.FEEDS) {
      lake.declare(Mills.document("feeds/" + feed + ".yaml"));
    }
  }

  @Test
  void findsWhatTheGeneratorCounted() throws IOException {
    TestLake lake = new TestLake(folder);
    WeavingMills.Expected expected = WeavingMills.write(lake.inbox(), 6000, 7);
    declareFeeds(lake);

    lake.run(Mills.document("pipelines/land-reference.yaml"));
    Map<String, Tally> landed = lake.run(Mills.document("pipelines/land-ledger.yaml"));
    Map<String, Long> reasons = lake.lastRun().setAsideByReason();
    Map<String, Tally> again = lake.run(Mills.document("pipelines/land-ledger.yaml"));
    Map<String, Tally> yard = lake.run(Mills.document("pipelines/land-yard.yaml"));
    Map<String, Long> yardReasons = lake.lastRun().setAsideByReason();
    Map<String, Tally> mart = lake.run(Mills.document("pipelines/roll-inspection.yaml"));

    assertEquals(
        expected.count("ledger.good") + expected.count("ledger.broken"),
        landed.get("rolls").rowsIn());
    assertEquals(expected.count("ledger.broken"), landed.get("rolls").setAside());
    assertEquals(expected.count("ledger.good"), landed.get("keep_rolls").rowsOut());
    assertEquals(expected.count("inspections"), landed.get("keep_inspections").rowsOut());
    for (String reason :
        List.of("too-few-fields", "too-many-fields", "wrong-type", "missing-value")) {
      assertEquals(expected.count("ledger." + reason), reasons.getOrDefault(reason, 0L), reason);
    }
    assertEquals(0, again.get("rolls").rowsIn(), "no file is taken twice");
    assertEquals(expected.count("lots.good"), yard.get("keep_lots").rowsOut());
    assertEquals(expected.count("lots.broken"), yardReasons.get("not-as-schema"));
    assertEquals(expected.count("gates.good"), yard.get("keep_passages").rowsOut());
    assertEquals(expected.count("gates.broken"), yardReasons.get("no-match"));
    assertEquals(expected.count("filtered"), mart.get("usable").filtered());
    assertEquals(expected.count("merged"), mart.get("once").merged());
    assertEquals(expected.count("rolls"), mart.get("once").rowsOut());
    assertEquals(expected.count("reinspected"), mart.get("latest").merged());
    assertEquals(expected.count("unknown-loom"), mart.get("placed").unmatched());
    assertEquals(expected.count("uninspected"), mart.get("graded").unmatched());
    assertEquals(expected.count("mart.rolls"), mart.get("by_day").rowsIn());
    assertEquals(
        List.of(List.of(expected.count("mart.rolls"), expected.metres())),
        lake.query("select sum(rolls), sum(metres) from mart.roll_inspection"));
    assertEquals(
        List.of(
            "data/year=2026/month=1",
            "data/year=2026/month=2",
            "data/year=2026/month=3",
            "data/year=2026/month=4"),
        lake
            .table(yardage.core.lake.TableName.parse("mart.roll_inspection"))
            .orElseThrow()
            .files()
            .stream()
            .map(f -> "data/" + f.partition())
            .toList());
  }

  @Test
  void theStarHoldsWhatTheGeneratorCounted() throws IOException {
    TestLake lake = new TestLake(folder);
    WeavingMills.Expected expected = WeavingMills.write(lake.inbox(), 3000, 7);
    declareFeeds(lake);
    lake.run(Mills.document("pipelines/land-reference.yaml"));
    lake.run(Mills.document("pipelines/land-ledger.yaml"));
    lake.declarePart(Mills.document("parts/tidy-rolls.yaml"));

    lake.run(Mills.document("pipelines/cloth-star.yaml"));
    long snapshots =
        lake.table(yardage.core.lake.TableName.parse("star.dim_loom"))
            .orElseThrow()
            .snapshots()
            .size();
    Map<String, Tally> again = lake.run(Mills.document("pipelines/cloth-star.yaml"));

    assertEquals(expected.count("supplier-rows"), again.get("one_each").rowsIn());
    assertEquals(expected.count("suppliers"), again.get("one_each").rowsOut());
    assertEquals(
        List.of(List.of(expected.count("looms") + expected.count("looms-moved"))),
        lake.query("select count(*) from star.dim_loom where loom_key > 0"));
    assertEquals(1, snapshots, "a dimension that did not change was written once");
    assertEquals(
        lake.query(
            "select m.hall, count(*), sum(f.metres) from star.fact_roll f join star.dim_loom m on f.loom_key = m.loom_key where m.loom_key > 0 group by m.hall order by 1"),
        lake.query(
            "select m.hall, count(*), sum(r.len_m) from (select trim(loom_code) as l, len_m, woven_at, row_number() over (partition by roll_id order by received_at desc) as n from raw.rolls where len_m > 0) r join star.dim_loom m on m.loom_code = r.l and r.woven_at >= m.valid_from and (m.valid_to is null or r.woven_at < m.valid_to) where n = 1 group by m.hall order by 1"));
    assertEquals(
        List.of(List.of(expected.count("rolls"), expected.count("unknown-loom"))),
        lake.query(
            "select count(*), count(case when loom_key = -1 then 1 end) from star.fact_roll"));
    assertEquals(
        List.of(
            List.of(
                expected.count("shipments.known") + expected.count("shipments.unknown"),
                expected.count("shipments.unknown"))),
        lake.query(
            "select count(*), count(case when p.is_placeholder then 1 end) from star.fact_shipment s join star.dim_pattern p on s.pattern_key = p.pattern_key where p.pattern_key > 0"));
    assertEquals(
        List.of(List.of(5L, "Shuttle Day")),
        lake.query(
            "select count(*), max(holiday_name) from star.dim_day where is_holiday and not is_working_day"));
  }

  @Test
  void replacesOnlyThePartitionsThatARunMakes() {
    TestLake lake = new TestLake(folder);
    lake.declare(
        """
        feed: cuts
        files: cuts/*.csv
        text: {header: true}
        columns: {day_cut: date, metres: "decimal(9, 2)"}
        """);
    String pipeline =
        """
        pipeline: cuts
        steps:
          cuts: {read: {feed: cuts}}
          publish: {from: cuts, write: {table: mart.cuts, mode: replace-partitions, partition: [month(day_cut)]}}
        """;
    lake.file("cuts/1.csv", "day_cut,metres\n2026-01-05,1.00\n2026-02-05,2.00\n,3.00\n");
    lake.run(pipeline);
    lake.file("cuts/2.csv", "metres,day_cut\n5.00,2026-02-07\n6.00,2026-02-08\n");

    lake.run(pipeline);

    assertEquals(
        List.of(
            List.of(new BigDecimal("1.00")),
            List.of(new BigDecimal("3.00")),
            List.of(new BigDecimal("5.00")),
            List.of(new BigDecimal("6.00"))),
        lake.query("select metres from mart.cuts order by metres"));
  }

  /** The scenario's join that comes back nearly empty, what the run says of it, and its mending. */
  @Test
  void aJoinThatFindsNextToNothingIsMendedByItsOwnDiagnosis() throws IOException {
    TestLake lake = new TestLake(folder);
    WeavingMills.Expected expected = WeavingMills.write(lake.inbox(), 10, 7);
    declareFeeds(lake);
    lake.run(Mills.document("pipelines/land-reference.yaml"));
    String hours = Mills.document("pipelines/loom-hours.yaml");

    Map<String, Tally> empty = lake.run(hours);
    JoinInsight insight = lake.diagnose(hours, "placed");
    Map<String, Tally> full = lake.run(JoinMending.apply(hours, insight, "blanks").orElseThrow());

    assertEquals(expected.count("hours.plain"), empty.get("placed").matched());
    assertEquals(
        expected.count("hours.padded"), insight.diagnosis().remedies().get(0).wouldMatch());
    assertEquals(
        expected.count("hours.plain") + expected.count("hours.padded"),
        full.get("placed").matched());
  }
}
