package yardage.core.format.text;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.column.Type;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.RecordFormat;
import yardage.core.testing.RecordCollector;

/**
 * Lines that a pattern takes apart, lines of fixed width, and a published suite of delimited text.
 */
class LineFormatsTest {
  private static RecordCollector read(RecordFormat format, String text) {
    return new RecordCollector()
        .read(
            format,
            "gate.log",
            new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)),
            64);
  }

  private static RecordFormat pattern(String pattern, FieldRule... rules) {
    return new PatternFormat(
        LinePattern.compile(pattern),
        0,
        Optional.empty(),
        List.of(rules),
        Arrays.stream(rules).map(FieldRule::name).toList());
  }

  @Test
  void takesLinesApartAndSetsAsideThoseThatDoNotMatch() {
    RecordCollector found =
        read(
            pattern(
                "(?<at>\\d{4}-\\d\\d-\\d\\d \\d\\d:\\d\\d) \\[(?<gate>[A-Z]\\d)\\] (?<who>[^:]+):(?: (?<note>.*))?",
                FieldRule.of("at", Type.TIMESTAMP),
                FieldRule.of("gate", Type.VARCHAR),
                FieldRule.of("who", Type.VARCHAR),
                FieldRule.of("note", Type.VARCHAR)),
            "2026-03-01 06:00 [A1] João: in, with a bag\r\n2026-03-01 06:01 [B2] Ana:\nnonsense\n2026-13-01 06:02 [B2] Eva: x\n");

    assertEquals(
        "[[2026-03-01T06:00, A1, João, in, with a bag], [2026-03-01T06:01, B2, Ana, null]]",
        found.rows.toString());
    assertEquals(List.of("3 no-match", "4 wrong-type"), found.reasons());
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "(?<a>\\S+) (?<b>\\d+)(?: (?<c>.*))?",
        "(?<a>[a-z]{2,4})-(?<b>x?)(?<c>[^-]*)",
        "(?<a>in|out|inner) (?<b>.+?)(?<c>)",
        "(?<a>.*) (?<b>\\d+)(?<c>.*)",
        "^(?<a>[\\w.]+)@(?<b>[^ ]+) ?(?<c>é?)$",
        "(?<a>..)(?<b>\\W*)(?<c>[^é]+)",
      })
  void agreesWithThePlatformsMatcher(String text) {
    long seed = Long.getLong("yardage.seed", 3);
    SplittableRandom random = new SplittableRandom(seed);
    Pattern platform = Pattern.compile(text);
    FieldRule[] rules = {
      new FieldRule("a", Type.VARCHAR, false, List.of(), Optional.empty()),
      new FieldRule("b", Type.VARCHAR, false, List.of(), Optional.empty()),
      new FieldRule("c", Type.VARCHAR, false, List.of(), Optional.empty())
    };
    String[] pieces = {"in", "out", "ab", "x", "7", "42", " ", " ", "-", "@", "é", ".", "日"};
    int matched = 0;
    for (int round = 0; round < 3000; round++) {
      StringBuilder line = new StringBuilder();
      for (int i = random.nextInt(1, 7); i > 0; i--) {
        line.append(pieces[random.nextInt(pieces.length)]);
      }
      Matcher m = platform.matcher(line);
      List<List<Object>> expected =
          m.matches()
              ? List.of(Arrays.asList(m.group("a"), m.group("b"), m.group("c")))
              : List.of();
      matched += expected.size();

      assertEquals(
          expected, read(pattern(text, rules), line + "\n").rows, "seed " + seed + ": " + line);
    }
    assertTrue(matched > 10, matched + " lines matched");
  }

  @Test
  void commonPatternsAreMatchedInOnePassAndHardOnesInLinearTime() {
    assertTrue(LinePattern.compile("(?<at>\\S+ \\S+) \\[(?<gate>\\w+)\\] (?<rest>.*)").isOnePass());
    assertFalse(LinePattern.compile("(?<a>(x+x+)+)y").isOnePass());
    String line = "x".repeat(50_000) + "\n";

    RecordCollector found =
        assertTimeoutPreemptively(
            Duration.ofSeconds(20),
            () -> read(pattern("(?<a>(x+x+)+)y", FieldRule.of("a", Type.VARCHAR)), line));

    assertEquals(List.of("1 no-match"), found.reasons());
  }

  @Test
  void saysWhatIsWrongWithAPattern() {
    for (String[] wrong :
        new String[][] {
          {"(?<a>x", "cannot be read"},
          {"(?<a>x)(?=y)", "look-around"},
          {"(x)", "no named groups"}
        }) {
      IllegalArgumentException e =
          assertThrows(IllegalArgumentException.class, () -> LinePattern.compile(wrong[0]));
      assertTrue(e.getMessage().contains(wrong[1]), e.getMessage());
    }
  }

  @Test
  void readsFieldsAtFixedCharactersWhateverTheirBytes() {
    List<FieldRule> rules =
        List.of(
            FieldRule.of("code", Type.VARCHAR),
            FieldRule.of("metres", Type.decimal(7, 1)),
            FieldRule.of("note", Type.VARCHAR));
    List<FixedWidthFormat.Range> fields =
        List.of(
            new FixedWidthFormat.Range(1, 3),
            new FixedWidthFormat.Range(4, 8),
            new FixedWidthFormat.Range(10, 12));
    String text = "L01 12.5 são\nÇ02  7   x\nL03  1.0\nL04\n";

    RecordCollector strict = read(new FixedWidthFormat(rules, fields, 0, false, true), text);
    RecordCollector filled = read(new FixedWidthFormat(rules, fields, 1, true, true), text);

    assertEquals("[[L01, 12.5, são], [Ç02, 7.0, x]]", strict.rows.toString());
    assertEquals(List.of("3 too-few-fields", "4 too-few-fields"), strict.reasons());
    assertEquals("[[Ç02, 7.0, x], [L03, 1.0, null], [L04, null, null]]", filled.rows.toString());
  }

  /** Files and their contents as others published them. */
  @Test
  void agreesWithThePublishedSuiteOfDelimitedText() throws IOException {
    Path folder = Path.of("src/test/resources/suites/delimited");
    int told = 0;
    try (var files = Files.list(folder.resolve("csvs"))) {
      for (Path file : files.sorted().toList()) {
        String name = file.getFileName().toString().replace(".csv", "");
        JsonNode expected =
            new ObjectMapper()
                .createArrayNode()
                .add(
                    new ObjectMapper().readTree(folder.resolve("json/" + name + ".json").toFile()));
        // Some hold one row alone, the others an array of rows.
        expected = expected.get(0).isArray() ? expected.get(0) : expected;
        List<String> columns = new ArrayList<>();
        expected.get(0).fieldNames().forEachRemaining(columns::add);
        List<FieldRule> rules =
            columns.stream()
                .map(c -> new FieldRule(c, Type.VARCHAR, false, List.of(), Optional.empty()))
                .toList();
        DelimitedFormat format =
            new DelimitedFormat(
                new DelimitedLayout(",", '"', true), rules, RecordCollector.byName(rules));

        List<List<Object>> rows =
            new RecordCollector().read(format, name, Files.newInputStream(file)).rows;

        List<List<Object>> wanted = new ArrayList<>();
        for (JsonNode row : expected) {
          wanted.add(columns.stream().map(c -> (Object) row.get(c).asText()).toList());
        }
        assertEquals(wanted, rows, name);
        told++;
      }
    }
    assertTrue(told >= 10, told + " files");
  }
}
