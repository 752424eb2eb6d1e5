package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.github.luben.zstd.ZstdOutputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.FileTime;
import java.time.Instant;
import java.util.Arrays;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.zip.GZIPOutputStream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;
import org.apache.commons.compress.compressors.bzip2.BZip2CompressorOutputStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import org.junit.jupiter.params.provider.ValueSource;
import org.tukaani.xz.LZMA2Options;
import org.tukaani.xz.XZOutputStream;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.testing.TestLake;

/**
 * A file is taken whole or not at all, whatever it is packed in, wherever it was cut, and whoever
 * still writes it; and what a file has not is told.
 */
class WholeFilesTest {
  private static final long SEED = Long.getLong("yardage.seed", 3);
  private static final int ROWS = 4_000;

  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
  }

  private enum Packing {
    GZIP,
    BZIP2,
    XZ,
    ZSTD,
    ZIP;

    byte[] pack(byte[] text) throws IOException {
      ByteArrayOutputStream out = new ByteArrayOutputStream();
      try (OutputStream packed =
          switch (this) {
            case GZIP -> new GZIPOutputStream(out);
            case BZIP2 -> new BZip2CompressorOutputStream(out);
            case XZ -> new XZOutputStream(out, new LZMA2Options(1));
            case ZSTD -> new ZstdOutputStream(out);
            case ZIP -> {
              ZipOutputStream zip = new ZipOutputStream(out);
              zip.putNextEntry(new ZipEntry("rolls.csv"));
              yield zip;
            }
          }) {
        packed.write(text);
      }
      return out.toByteArray();
    }
  }

  private static byte[] rows(int from, int to) {
    StringBuilder out = new StringBuilder("roll,code\n");
    for (int i = from; i < to; i++) {
      out.append(i).append(",c").append(Integer.toHexString(i * 7919)).append('\n');
    }
    return out.toString().getBytes(StandardCharsets.UTF_8);
  }

  private static final String FEED =
      "feed: rolls\nfiles: rolls/*\ntext: {}\ncolumns: {roll: int, code: varchar}\n%s";

  private long land(String more) {
    lake.declare(FEED.formatted(more));
    return lake.run(
            "pipeline: land\nsteps:\n  rows: {read: {feed: rolls}}\n  out: {from: rows, write: {table: raw.rolls}}\n")
        .get("out")
        .rowsOut();
  }

  private String failure(String more) {
    return assertThrows(RunFailedException.class, () -> land(more)).getMessage();
  }

  @ParameterizedTest
  @EnumSource(Packing.class)
  void aPackedFileThatIsCutOrFollowedBySomethingIsRefused(Packing packing) throws IOException {
    byte[] whole = packing.pack(rows(0, ROWS));
    SplittableRandom random = new SplittableRandom(SEED);
    for (int i = 0; i < 12; i++) {
      // Just behind the start, just before the end, and anywhere.
      int length = i == 0 ? whole.length - 1 : i == 1 ? 20 : 7 + random.nextInt(whole.length - 8);
      lake.file("rolls/1", Arrays.copyOf(whole, length));

      String said = failure("");

      assertTrue(said.contains("[rolls/1]"), packing + " cut at " + length + ": " + said);
    }
    for (byte[] tail :
        List.of("junk".getBytes(StandardCharsets.UTF_8), new byte[] {0x1f, (byte) 0x8b, 8})) {
      byte[] followed = Arrays.copyOf(whole, whole.length + tail.length);
      System.arraycopy(tail, 0, followed, whole.length, tail.length);
      lake.file("rolls/1", followed);
      if (packing == Packing.ZIP) {
        // What follows a directory is a comment to some; all entries are there and whole.
        continue;
      }
      assertTrue(failure("").contains("[rolls/1]"), packing + " followed by something");
    }
    lake.file("rolls/1", whole);
    assertEquals(ROWS, land(""));
  }

  @Test
  void severalMembersAreOneFileAndAllOfThemCount() throws IOException {
    ByteArrayOutputStream two = new ByteArrayOutputStream();
    two.write(Packing.GZIP.pack(rows(0, ROWS)));
    two.write(Packing.GZIP.pack("9999,last\n".getBytes(StandardCharsets.UTF_8)));
    lake.file("rolls/1", two.toByteArray());

    assertEquals(ROWS + 1, land(""));
  }

  private static byte[] zip(String... namesAndTexts) throws IOException {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    try (ZipOutputStream zip = new ZipOutputStream(out)) {
      for (int i = 0; i < namesAndTexts.length; i += 2) {
        zip.putNextEntry(new ZipEntry(namesAndTexts[i]));
        zip.write(namesAndTexts[i + 1].getBytes(StandardCharsets.UTF_8));
        zip.closeEntry();
      }
    }
    return out.toByteArray();
  }

  @Test
  void anArchivesEntriesAreChosenAndTheOthersTold() throws IOException {
    byte[] archive =
        zip(
            "__MACOSX/._a.csv", "\0\1\2",
            "a.csv", "roll,code\n1,a\n",
            ".DS_Store", "\0",
            "sub/b.csv", "roll,code\n2,b\n",
            "read me.txt", "about these files");
    lake.file("rolls/1.zip", archive);

    assertEquals(2, land("entries: [\"*.csv\", \"sub/*.csv\"]\n"));

    String told = String.join("\n", lake.lastRun().warnings());
    for (String name : List.of("__MACOSX/._a.csv", ".DS_Store", "read me.txt")) {
      assertTrue(told.contains("rolls/1.zip!" + name + " is skipped"), told);
    }
  }

  @Test
  void anEncryptedOrDamagedEntryIsCalledWhatItIs() throws IOException {
    byte[] archive = zip("a.csv", new String(rows(0, 50), StandardCharsets.UTF_8));
    byte[] encrypted = archive.clone();
    int directory = indexOf(encrypted, new byte[] {'P', 'K', 1, 2});
    encrypted[6] |= 1;
    encrypted[directory + 8] |= 1;
    lake.file("rolls/1.zip", encrypted);
    assertTrue(failure("").contains("is encrypted"), failure(""));

    byte[] wrongSum = archive.clone();
    wrongSum[directory + 16] ^= 1;
    lake.file("rolls/1.zip", wrongSum);
    assertTrue(failure("").contains("damaged"), failure(""));
  }

  private static int indexOf(byte[] in, byte[] what) {
    for (int i = 0; ; i++) {
      if (Arrays.equals(in, i, i + what.length, what, 0, what.length)) {
        return i;
      }
    }
  }

  @ParameterizedTest
  @ValueSource(ints = {200, 60_000})
  void aFileThatIsStillWrittenIsNeverTakenAsWhole(int rowsAtOnce) throws Exception {
    Path file = Files.createDirectories(lake.inbox().resolve("rolls")).resolve("1.csv");
    Files.write(file, rows(0, rowsAtOnce));
    AtomicBoolean done = new AtomicBoolean();
    Thread writer =
        new Thread(
            () -> {
              byte[] piece = "7,grown\n".repeat(50).getBytes(StandardCharsets.UTF_8);
              for (int i = 0; i < 5_000 && !done.get(); i++) {
                java.util.concurrent.locks.LockSupport.parkNanos(200_000);
                try {
                  Files.write(file, piece, StandardOpenOption.APPEND);
                  // As a writer that is slow and keeps no time.
                  Files.setLastModifiedTime(file, FileTime.from(Instant.now().minusSeconds(60)));
                } catch (IOException e) {
                  throw new java.io.UncheckedIOException(e);
                }
              }
            });
    writer.start();
    try {
      long taken = -1;
      String said = "";
      try {
        taken = land("");
      } catch (RunFailedException e) {
        said = e.getMessage();
      }
      if (taken < 0) {
        assertTrue(said.contains("somebody is still writing it"), said);
      }
    } finally {
      done.set(true);
      writer.join();
    }
    // A run that took it took the bytes that it was found with; more of them are another file.
    long lines = Files.readAllLines(file).size() - 1;
    long published =
        lake.metadataLocation(yardage.core.lake.TableName.parse("raw.rolls")).isEmpty()
            ? 0
            : (long) lake.query("select count(*) from raw.rolls").get(0).get(0);
    if (published > 0 && published < lines) {
      assertTrue(failure("").contains("has other contents now"));
    } else {
      assertEquals(lines - published, land(""));
    }
  }

  @Test
  void aFileThatChangedAMomentAgoIsWaitedFor() throws IOException {
    Path file = Files.createDirectories(lake.inbox().resolve("rolls")).resolve("1.csv");
    Files.write(file, rows(0, 3));
    Instant start = Instant.now();

    assertEquals(3, land(""));

    assertTrue(
        Instant.now().isAfter(start.plus(IntakePolicy.STILL_FOR).minusMillis(200)),
        "it was still for a while");
    Files.write(file.resolveSibling("2.csv"), rows(3, 5));
    Instant again = Instant.now();
    assertEquals(2, land("intake: {still-for: 0s}\n"));
    assertTrue(Instant.now().isBefore(again.plusMillis(1_800)), "0s waits for nothing");
  }

  @Test
  void whatAFileHasNotIsTold() {
    lake.file("rolls/1.csv", "roll,code\n1,a\n2,b");
    lake.file("rolls/2.csv", "");
    lake.declare(
        "feed: rolls\nfiles: [\"rolls/*\", \"late/*.csv\"]\ntext: {}\ncolumns: {roll: int, code: varchar}\n");
    lake.run(
        "pipeline: land\nsteps:\n  rows: {read: {feed: rolls}}\n  out: {from: rows, write: {table: raw.rolls}}\n");

    assertEquals(
        List.of(
            "feed rolls: no file matches [late/*.csv]",
            "feed rolls: 1 file is empty, with 0 bytes: rolls/2.csv",
            "feed rolls: 1 file ends within a line, which may be cut: rolls/1.csv"),
        lake.lastRun().warnings());
    assertTrue(lake.log().contains("warning: feed rolls: no file matches [late/*.csv]"));
  }

  @Test
  void aPlaceOfRowsThatIsNowhereIsAChangeAndStopsTheRun() {
    record Case(String format, String columns, String withRows, String without, String moved) {}
    List<Case> cases =
        List.of(
            new Case(
                "json: {records: \"$.rolls[*]\"}",
                "roll: int",
                "{\"day\": 1, \"rolls\": [{\"roll\": 1}]}",
                "{\"day\": 1, \"rolls\": []}",
                "{\"day\": 1, \"pieces\": [{\"roll\": 1}]}"),
            new Case(
                "json: {records: \"$.days[*].rolls[*]\"}",
                "roll: int",
                "{\"days\": [{\"rolls\": [{\"roll\": 1}]}]}",
                "{\"days\": [{\"rolls\": null}]}",
                "{\"days\": [{\"rools\": [{\"roll\": 1}]}]}"),
            new Case(
                "xml: {row: lot}",
                "\"@id\": int",
                "<lots><lot id='1'/></lots>",
                "<lots/>",
                "<lots><batch id='1'/></lots>"));
    int n = 0;
    for (Case c : cases) {
      String name = "f" + n++;
      String feed =
          "feed: %s\nfiles: %s/*\n%s\ncolumns: {%s}\n"
              .formatted(name, name, c.format(), c.columns());
      String pipeline =
          "pipeline: %1$s\nsteps:\n  rows: {read: {feed: %1$s}}\n  out: {from: rows, write: {table: raw.%1$s}}\n"
              .formatted(name);
      lake.declare(feed).file(name + "/1", c.withRows());
      assertEquals(1, lake.run(pipeline).get("out").rowsOut());
      lake.file(name + "/2", c.without());
      assertEquals(0, lake.run(pipeline).get("out").rowsOut(), c.without());
      lake.file(name + "/3", c.moved());

      RunFailedException stopped =
          assertThrows(RunFailedException.class, () -> lake.run(pipeline), c.moved());

      assertEquals("feed-changed", stopped.code(), stopped.getMessage());
      lake.declare(feed + "no-rows: take\n");
      assertEquals(0, lake.run(pipeline).get("out").rowsOut());
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "<lots><lot id='1'/></lots>junk",
        "<lots><lot id='1'/></lots><lots><lot id='2'/></lots>",
        "<lots><lot id='1'/></lots> <x/>",
        "<lot id='1'/><lot id='2'/>"
      })
  void nothingMayFollowAnXmlRoot(String text) {
    lake.declare("feed: lots\nfiles: lots/*\nxml: {row: lot}\ncolumns: {\"@id\": int}\n")
        .file("lots/1.xml", text);

    RunFailedException stopped =
        assertThrows(
            RunFailedException.class,
            () ->
                lake.run(
                    "pipeline: land\nsteps:\n  rows: {read: {feed: lots}}\n  out: {from: rows, write: {table: raw.lots}}\n"));

    assertTrue(
        stopped.getMessage().contains("something follows the end of the outermost element"),
        stopped.getMessage());
  }
}
