package yardage.core.lake;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.FileTime;
import java.time.Instant;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.apache.iceberg.BaseTable;
import org.apache.iceberg.TableMetadataParser;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.TestLake;

/**
 * A lake that is linked, moved or copied, and sweeps that must never take what is needed: whatever
 * leads to a lake, its tables keep every row.
 */
class LakePlaceTest {
  private static final TableName ROLLS = TableName.parse("t.rolls");
  private static final String PIPELINE =
      """
      pipeline: land
      steps:
        rolls: {read: {feed: rolls}}
        keep: {from: rolls, write: {table: t.rolls, mode: append, partition: [loom]}}
      """;

  @TempDir Path folder;
  private Path home;

  @BeforeEach
  void realFolder() throws IOException {
    folder = folder.toRealPath();
    home = Files.createDirectory(folder.resolve("home"));
  }

  private static TestLake lake(Path place) {
    return new TestLake(place)
        .declare(
            "feed: rolls\nfiles: rolls/*.csv\ntext: {}\ncolumns: {roll: int, loom: varchar}\n");
  }

  private static void load(TestLake lake, int from, int to) {
    for (int i = from; i < to; i++) {
      lake.file("rolls/%d.csv".formatted(i), "roll,loom\n%d,L%d\n%d,L9\n".formatted(i, i % 3, -i));
      lake.run(PIPELINE);
    }
  }

  private static String rows(TestLake lake) {
    return lake.query("select roll, loom from t.rolls order by roll").toString();
  }

  private static Set<Path> files(Path below) throws IOException {
    try (Stream<Path> walk = Files.walk(below)) {
      return walk.filter(Files::isRegularFile).collect(Collectors.toSet());
    }
  }

  private static Expiry.Result expire(TestLake lake) {
    return Expiry.expire(
        lake.lake(), ROLLS, 1, Instant.now().plusSeconds(60), Instant.MAX, "expire", lake::swap);
  }

  @Test
  void aLakeOpenedThroughALinkLosesNothingWhenItExpires() throws IOException {
    Path link = Files.createSymbolicLink(folder.resolve("link"), home);
    TestLake linked = lake(link);
    load(linked, 1, 6);
    String before = rows(linked);

    Expiry.Result gone = expire(linked);

    assertEquals(4, gone.snapshots());
    assertEquals(before, rows(linked));
    assertEquals(before, rows(lake(home).withPointersOf(linked)), "by its real name too");
  }

  @Test
  void aSweepThatDoesNotSeeTheTableWholeRemovesNothing() throws IOException {
    TestLake lake = lake(home);
    load(lake, 1, 5);
    String rows = rows(lake);
    // What a lake of before looks like that was opened through a link.
    Path link = Files.createSymbolicLink(folder.resolve("link"), home);
    String location = lake.metadataLocation(ROLLS).orElseThrow();
    Path linked = link.resolve(home.relativize(Path.of(location)));
    Files.writeString(linked, Files.readString(linked).replace(home.toString(), link.toString()));
    TestLake other = lake(home).withPointer(ROLLS, linked.toString());
    Set<Path> before = files(home);

    LakeException refused =
        assertThrows(LakeException.class, () -> other.lake().sweep(ROLLS, Instant.MAX));

    assertTrue(refused.getMessage().startsWith("Nothing of table [t.rolls] was removed"));
    assertEquals(before, files(home));

    // Told where it is, the table is whole again, and old states are too.
    long oldest = other.table(ROLLS).orElseThrow().snapshots().get(3).id();
    String moved =
        Relocation.move(
            other.lake(),
            linked.toString(),
            Relocation.rootOf(ROLLS, linked.toString()).orElseThrow());
    TestLake mended = lake(home).withPointer(ROLLS, moved);
    mended.lake().sweep(ROLLS, Instant.MAX);
    assertEquals(rows, rows(mended));
    assertEquals(2, mended.table(ROLLS).orElseThrow().asOf(oldest).rowCount());
  }

  @Test
  void aMovedLakeIsReadWrittenAndSweptWhereItIs() throws IOException {
    TestLake lake = lake(home);
    load(lake, 1, 6);
    String before = rows(lake);
    String location = lake.metadataLocation(ROLLS).orElseThrow();
    // A name that begins with the old one, and an old one that begins with the new one.
    for (String name : List.of("home/inner", "home2", "h")) {
      Path place = folder.resolve(name);
      copy(home, place);
      TestLake there = lake(place).afterRuns(100);
      String root = Relocation.rootOf(ROLLS, location).orElseThrow();
      assertEquals(home.toString(), root);

      // As often as it takes, as after a crash on the way.
      Relocation.move(there.lake(), location, root);
      there.withPointer(ROLLS, Relocation.move(there.lake(), location, root));
      there.lake().sweep(ROLLS, Instant.MAX);

      assertEquals(before, rows(there), name);
      for (Path file : files(place.resolve("tables"))) {
        if (file.toString().endsWith(".json")) {
          assertFalse(Files.readString(file).contains(home + "/tables"), file.toString());
        }
      }
      BaseTable theirs =
          new BaseTable(
              new StagedOperations(
                  new StagedFiles(there.lake().storage()),
                  TableMetadataParser.read(
                      new StagedFiles(there.lake().storage()),
                      there.metadataLocation(ROLLS).orElseThrow()),
                  java.util.Optional.empty()),
              "theirs");
      theirs
          .newScan()
          .planFiles()
          .forEach(t -> assertTrue(t.file().location().startsWith(place + "/tables/")));
      long oldest = there.table(ROLLS).orElseThrow().snapshots().get(4).id();
      assertEquals(2, there.table(ROLLS).orElseThrow().asOf(oldest).rowCount());
      there.file("rolls/more.csv", "roll,loom\n77,L1\n");
      there.run(PIPELINE.replace("land", "more"));
      assertTrue(rows(there).contains("[77, L1]"));
      assertEquals(before, rows(lake), "the lake that was copied is as it was");
      delete(place);
    }
  }

  @Test
  void aCopysCleaningUpTakesNothingOfTheOriginals() throws IOException {
    TestLake lake = lake(home);
    load(lake, 1, 2);
    Path staged = home.resolve("tables/t/rolls/data/loom=L1/staged.parquet");
    Staging log = lake.lake().stage("r9");
    log.note(LocalStorage.place(staged).address());
    Files.writeString(staged, "rows at work");
    Path outside = Files.writeString(folder.resolve("outside.txt"), "not the lake's");
    log.note(LocalStorage.place(outside).address());
    log.close();
    Path place = folder.resolve("copy");
    copy(home, place);

    assertEquals(0, lake(place).lake().settle("r9", false));

    assertTrue(Files.exists(staged));
    assertEquals(1, lake(home).lake().settle("r9", false), "its own goes");
    assertTrue(Files.exists(outside), "a log removes nothing outside of the tables");
  }

  @Test
  void aLostFileStopsASweepAndYoungFilesStay() throws IOException {
    TestLake lake = lake(home);
    load(lake, 1, 4);
    Path stray = home.resolve("tables/t/rolls/data/loom=L1/stray.parquet");
    Files.writeString(stray, "left behind");
    Instant now = Instant.now();

    assertEquals(0, lake.lake().sweep(ROLLS, now.minusSeconds(3600)).files());
    assertTrue(Files.exists(stray));
    Files.setLastModifiedTime(stray, FileTime.from(now.minusSeconds(7200)));
    assertEquals(1, lake.lake().sweep(ROLLS, now.minusSeconds(3600)).files());

    Path lost = Path.of(lake.table(ROLLS).orElseThrow().files().get(0).path());
    byte[] bytes = Files.readAllBytes(lost);
    Files.delete(lost);
    Files.writeString(stray, "left behind");
    assertThrows(LakeException.class, () -> lake.lake().sweep(ROLLS, Instant.MAX));
    assertTrue(Files.exists(stray));
    TableHealth.Finding finding = TableHealth.of(lake.table(ROLLS).orElseThrow()).findings().get(0);
    assertEquals("lost-files", finding.code());
    Files.write(lost, bytes);
    assertTrue(lake.lake().sweep(ROLLS, Instant.MAX).files() > 0);
  }

  @Test
  @Tag("thorough")
  void aTableThatIsWrittenAThousandTimesKeepsABoundedPast() throws IOException {
    TestLake lake = lake(home);
    load(lake, 1, 3);
    String before = rows(lake);

    for (int i = 0; i < 400; i++) {
      lake.lake()
          .change(
              ROLLS, "c" + i, lake::swap, ops -> new BaseTable(ops, "rolls").newAppend().commit());
    }

    assertEquals(before, rows(lake));
    Path metadata = home.resolve("tables/t/rolls/metadata");
    List<String> names =
        files(metadata).stream()
            .map(f -> f.getFileName().toString())
            .filter(n -> n.endsWith(".metadata.json"))
            .sorted()
            .toList();
    assertEquals(Retention.METADATA_FILES + 1, names.size());
    assertEquals(Retention.MOST, lake.table(ROLLS).orElseThrow().snapshots().size());
    String current = Path.of(lake.metadataLocation(ROLLS).orElseThrow()).getFileName().toString();
    assertEquals(names.get(names.size() - 1), current, "names sort as states came");
    assertEquals(
        current, Files.readString(metadata.resolve("version-hint.text")) + ".metadata.json");
    lake.lake().sweep(ROLLS, Instant.MAX);
    assertTrue(Files.exists(metadata.resolve("version-hint.text")));
    assertTrue(
        new TreeMap<>(
                    files(metadata).stream()
                        .collect(
                            Collectors.groupingBy(
                                f -> f.toString().replaceAll(".*\\.", ""), Collectors.counting())))
                .get("avro")
            <= Retention.MOST + 10);
    assertEquals(before, rows(lake));
    assertEquals(new HashSet<>(names).size(), names.size());
  }

  private static void copy(Path from, Path to) throws IOException {
    try (Stream<Path> walk = Files.walk(from)) {
      for (Path p : walk.filter(p -> !p.startsWith(to)).toList()) {
        Path target = to.resolve(from.relativize(p));
        Files.createDirectories(target.getParent());
        if (Files.isDirectory(p)) {
          Files.createDirectories(target);
        } else {
          Files.copy(p, target);
        }
      }
    }
  }

  private static void delete(Path folder) throws IOException {
    try (Stream<Path> walk = Files.walk(folder)) {
      for (Path p : walk.sorted(java.util.Comparator.reverseOrder()).toList()) {
        Files.delete(p);
      }
    }
  }
}
