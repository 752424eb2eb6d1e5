package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.TreeMap;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.testing.TestLake;

/**
 * Files come, change, are copied under other names, move and go, and runs take them in; a few lines
 * of plain Java say what each run takes. Under every policy, with and without a limit.
 */
class IntakeModelTest {
  private static final long SEED = Long.getLong("yardage.seed", 31);
  private static final int RUNS = 14;

  @TempDir Path folder;
  private TestLake lake;
  private SplittableRandom random;
  private final TreeMap<String, String> files = new TreeMap<>();
  private final Map<String, String> ledger = new LinkedHashMap<>();
  private final Set<String> past = new HashSet<>();
  private final List<String> table = new ArrayList<>();

  private String contents() {
    StringBuilder out = new StringBuilder();
    // Few lengths and few words, so that sizes and contents often meet.
    for (int i = random.nextInt(4); i > 0; i--) {
      out.append("R").append(random.nextInt(4)).append('\n');
    }
    return out.toString();
  }

  private void put(String name, String contents) {
    files.put(name, contents);
    lake.file("in/" + name, contents);
  }

  private String anyName() {
    List<String> names = List.copyOf(files.keySet());
    return names.isEmpty() ? "f0" : names.get(random.nextInt(names.size()));
  }

  private void changeSomething() throws IOException {
    switch (random.nextInt(5)) {
      case 0, 1 -> put("f" + random.nextInt(30), contents());
      case 2 -> put("f" + random.nextInt(30), files.getOrDefault(anyName(), ""));
      case 3 -> put(anyName(), contents());
      default -> {
        String name = anyName();
        if (files.remove(name) != null) {
          Files.delete(lake.inbox().resolve("in/" + name));
        }
      }
    }
  }

  /** What a run takes, or nothing at all where the feed wants to stop. */
  private record Expected(List<String> taken, boolean stops) {}

  private Expected expected(String replaced, String repeated, int most) {
    List<String> wanted = new ArrayList<>();
    Set<String> contentsKnown = new HashSet<>(ledger.values());
    // Rows of contents that a file had before are there still, unless they were replaced.
    boolean stay = !replaced.equals("replace");
    contentsKnown.addAll(stay ? past : Set.of());
    for (Map.Entry<String, String> file : files.entrySet()) {
      String before = ledger.get(file.getKey());
      String policy =
          before == null
              ? !file.getValue().isEmpty() && contentsKnown.contains(file.getValue())
                  ? repeated
                  : "take"
              : before.equals(file.getValue())
                  ? "skip"
                  : stay && past.contains(file.getValue()) && !repeated.equals("take")
                      ? repeated
                      : replaced;
      if (policy.equals("stop")) {
        return new Expected(List.of(), true);
      }
      if (policy.equals("take") || policy.equals("replace")) {
        wanted.add(file.getKey());
        contentsKnown.add(file.getValue());
      }
    }
    return new Expected(wanted.subList(0, Math.min(most, wanted.size())), false);
  }

  @ParameterizedTest
  @CsvSource({
    "stop, stop, 99",
    "stop, skip, 99",
    "take, take, 99",
    "take, skip, 99",
    "skip, skip, 2",
    "skip, take, 3",
    "take, stop, 2",
    "replace, skip, 99",
    "replace, take, 99",
    "replace, skip, 2",
  })
  void takesWhatAPlainModelTakes(String replaced, String repeated, int most) throws IOException {
    random = new SplittableRandom(SEED + replaced.hashCode() * 31L + repeated.hashCode() + most);
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: in/*\ntext: {header: false}\nintake: {replaced: %s, repeated: %s, most-files: %d}\ncolumns: {roll: varchar, file: {add: file}}\n"
            .formatted(replaced, repeated, most));
    put("f0", "R0\n");
    for (int run = 0; run < RUNS; run++) {
      for (int i = random.nextInt(5); i > 0; i--) {
        changeSomething();
      }
      String what = "run %d, seed %d, %s: ".formatted(run, SEED, files);
      Expected expected = expected(replaced, repeated, most);
      if (files.isEmpty()) {
        continue;
      }
      if (expected.stops()) {
        String message = assertThrows(RunFailedException.class, this::take, what).getMessage();
        assertTrue(message.contains("Say in the feed what to do"), what + message);
      } else {
        take();
        for (String name : expected.taken()) {
          String before = ledger.put(name, files.get(name));
          if (before != null) {
            past.add(before);
            boolean goes = replaced.equals("replace");
            table.removeIf(row -> goes && row.endsWith(", in/" + name + "]"));
          }
          files.get(name).lines().forEach(roll -> table.add("[" + roll + ", in/" + name + "]"));
        }
      }

      assertEquals(
          table.stream().sorted().toList(),
          lake.tables().isEmpty()
              ? List.of()
              : lake.query("select * from raw.rolls").stream()
                  .map(Object::toString)
                  .sorted()
                  .toList(),
          what + "expected to take " + expected.taken());
    }
    assertTrue(ledger.size() > 2, "the model took something, seed " + SEED);
  }

  private void take() {
    lake.run(
        "pipeline: land\nsteps:\n  rows: {read: {feed: rolls}}\n  out: {from: rows, write: {table: raw.rolls}}\n");
  }
}
