package yardage.core.testing;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.List;
import yardage.demo.WeavingMills;

/** The sample scenario in a test's own lake. */
public final class Mills {
  public static final List<String> FEEDS =
      List.of(
          "holidays",
          "mills",
          "looms",
          "patterns",
          "roll-ledger",
          "inspections",
          "yarn-lots",
          "gate-log",
          "suppliers",
          "loom-moves",
          "loom-hours",
          "shipments");

  /** In an order in which each finds what it reads. */
  public static final List<String> PIPELINES =
      List.of(
          "land-reference",
          "land-ledger",
          "land-yard",
          "roll-inspection",
          "cloth-star",
          "faulty-cloth",
          "loom-hours");

  private Mills() {}

  /** A document of the scenario, such as {@code feeds/looms.yaml}. */
  public static String document(String path) throws IOException {
    try (InputStream in = WeavingMills.class.getResourceAsStream("/demo/" + path)) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }

  /** A lake with the scenario's files and feeds, the same each time. */
  public static TestLake lake(Path folder, int rolls) throws IOException {
    TestLake lake = new TestLake(folder);
    WeavingMills.write(lake.inbox(), rolls, 7);
    return declared(lake);
  }

  /** The scenario's feeds and parts in a lake. */
  public static TestLake declared(TestLake lake) throws IOException {
    for (String feed : FEEDS) {
      lake.declare(document("feeds/" + feed + ".yaml"));
    }
    return lake.declarePart(document("parts/tidy-rolls.yaml"));
  }
}
