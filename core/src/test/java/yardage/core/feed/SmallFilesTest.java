package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.stream.IntStream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.lake.RawFolders;
import yardage.core.plan.PlanNode;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;

/**
 * Small files are read together; each must come out as if it were read alone: rows, what the engine
 * adds to them, what is set aside, what is counted, what is new.
 */
class SmallFilesTest {
  private static final long SEED = Long.getLong("yardage.seed", 41);
  private static final int FILES = 160;

  @TempDir Path folder;
  private final SplittableRandom random = new SplittableRandom(SEED);

  /** What became of some files. */
  private record Read(
      List<List<Object>> rows,
      List<String> setAside,
      List<IntakeFile> taken,
      TreeMap<String, Long> unknown) {
    Read() {
      this(new ArrayList<>(), new ArrayList<>(), new ArrayList<>(), new TreeMap<>());
    }

    void add(Read other) {
      rows.addAll(other.rows);
      setAside.addAll(other.setAside);
      taken.addAll(other.taken);
      other.unknown.forEach((field, n) -> unknown.merge(field, n, Long::sum));
    }
  }

  private Read read(FeedDefinition feed, List<FileDiscovery.Found> files) throws IOException {
    int[] all = IntStream.range(0, feed.schema().size()).toArray();
    StepTally tally = new StepTally("rows", "read");
    Path aside = folder.resolve("aside.jsonl");
    Files.deleteIfExists(aside);
    SetAsideWriter writer = new SetAsideWriter(LocalStorage.place(aside));
    FeedScan scan =
        new FeedScan(
            FeedFiles.of(feed, files, all, "run 1", java.time.Instant.EPOCH),
            LocalStorage.place(folder),
            tally,
            writer);
    Read out = new Read();
    Executor executor = LivePlans.executor(ExecutionContext.standalone(64L << 20));
    out.rows.addAll(
        Rows.rows(
            executor.collect(
                new PlanNode.Scan(LivePlans.source(scan), feed.schema(), "rows"), "rows")));

    writer.close();
    if (Files.exists(aside)) {
      SetAsideStore.each(
          LocalStorage.place(aside),
          row -> {
            out.setAside.add(
                "%s:%d@%d %s %s %s"
                    .formatted(
                        row.file(),
                        row.line(),
                        row.byteOffset(),
                        row.before(),
                        row.original(),
                        row.failures()));
            return true;
          });
    }
    out.setAside.sort(Comparator.naturalOrder());
    out.taken.addAll(scan.report().taken());
    scan.unknownFields().forEach(s -> out.unknown.merge(s.field(), s.count(), Long::sum));
    assertEquals(files.size(), tally.snapshot().filesRead());
    assertEquals(
        out.taken.stream().mapToLong(IntakeFile::records).sum(), tally.snapshot().rowsIn());
    return out;
  }

  private String number() {
    return random.nextInt(9) == 0 ? "many" : Integer.toString(random.nextInt(1000));
  }

  private String delimited() {
    StringBuilder out = new StringBuilder();
    int header = random.nextInt(8);
    String end = random.nextInt(5) == 0 ? "\r\n" : "\n";
    out.append(
        header == 0
            ? "metres,roll,note"
            : header == 1 ? "roll,dyer,metres,note" : "roll,metres,note");
    for (int r = random.nextInt(6); r > 0; r--) {
      String roll = "R" + random.nextInt(100);
      String note =
          switch (random.nextInt(6)) {
            case 0 -> "\"two" + end + end + "lines, \"\"quoted\"\"\"";
            case 1 -> "é🧵";
            case 2 -> "\"a\"b";
            default -> "plain";
          };
      String row =
          header == 0
              ? number() + "," + roll + "," + note
              : roll + (header == 1 ? ",dy" : "") + "," + number() + "," + note;
      out.append(end).append(random.nextInt(12) == 0 ? row + ",more" : row);
      out.append(random.nextInt(12) == 0 ? end : "");
    }
    return out
        + (random.nextInt(20) == 0 ? end + "R1,5,\"open" : "")
        + (random.nextBoolean() ? end : "");
  }

  private String json() {
    StringBuilder out = new StringBuilder();
    for (int r = random.nextInt(6); r > 0; r--) {
      out.append("{\"roll\":\"R\\u0031").append(r).append("\",\"metres\":");
      out.append(random.nextInt(9) == 0 ? "{" : number().replace("many", "\"many\""));
      out.append(random.nextInt(5) == 0 ? ",\"dyer\":\"dy\"" : "");
      out.append(random.nextInt(9) == 0 ? "}\n\n" : "}\n");
    }
    return out.toString();
  }

  private String lines() {
    StringBuilder out = new StringBuilder("mill M3\n");
    for (int r = random.nextInt(6); r > 0; r--) {
      out.append(random.nextInt(7) == 0 ? "?" : "R" + r).append(' ').append(number());
      out.append(" ÿ\n");
    }
    return out.toString();
  }

  private static byte[] packed(byte[] bytes) throws IOException {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    try (OutputStream zip = new GZIPOutputStream(out)) {
      zip.write(bytes);
    }
    return out.toByteArray();
  }

  private byte[] bytes(String text) throws IOException {
    return switch (random.nextInt(10)) {
      case 0 -> packed(text.getBytes(StandardCharsets.UTF_8));
      case 1 -> ("\uFEFF" + text).getBytes(StandardCharsets.UTF_8);
      case 2 -> ("\uFEFF" + text).getBytes(StandardCharsets.UTF_16LE);
      case 3 -> new byte[0];
      default -> text.getBytes(StandardCharsets.UTF_8);
    };
  }

  @ParameterizedTest(name = "{0}")
  @CsvSource(
      delimiter = '!',
      value = {
        "delimited ! text: {}",
        "json ! json: {records: lines}",
        "lines ! lines: {pattern: '(?<roll>R\\d) (?<metres>\\S+) (?<note>.*)', skip-lines: 1}",
      })
  void areReadTogetherAsIfEachWereReadAlone(String kind, String format) throws IOException {
    FeedDefinition feed =
        FeedDefinition.parse(
                """
                feed: rolls
                files: in/**
                set-aside-limit: {rows: 100000}
                change: %s
                %s
                columns:
                  roll: {type: varchar, required: true}
                  metres: {type: int, check: metres < 990}
                  note: varchar
                  mill: {type: varchar, folder: mill}
                  file: {add: file}
                  line: {add: line}
                  at: {add: byte}
                """
                    .formatted(kind.equals("lines") ? "ignore" : "strays", format))
            .feed()
            .orElseThrow();
    for (int f = 0; f < FILES; f++) {
      Path file = folder.resolve("in/mill=M%d/f%03d".formatted(f * 3 / FILES, f));
      Files.createDirectories(file.getParent());
      String text =
          switch (kind) {
            case "delimited" -> delimited();
            case "json" -> json();
            default -> lines();
          };
      Files.write(file, bytes(f == 50 ? text + text.repeat(900) : text));
    }
    List<FileDiscovery.Found> files =
        FileDiscovery.find(new RawFolders(LocalStorage.place(folder)), feed);
    Read alone = new Read();
    for (FileDiscovery.Found file : files) {
      alone.add(read(feed, List.of(file)));
    }
    alone.setAside.sort(Comparator.naturalOrder());

    Read together = read(feed, files);

    assertEquals(FILES, files.size());
    assertEquals(alone.rows, together.rows, "seed " + SEED);
    assertEquals(alone.setAside, together.setAside, "seed " + SEED);
    assertEquals(alone.taken, together.taken, "seed " + SEED);
    assertEquals(alone.unknown, together.unknown, "seed " + SEED);
    assertTrue(together.rows.size() > FILES, "there is something to see");
    assertTrue(together.setAside.size() > FILES / 10, "and something is wrong");
  }
}
