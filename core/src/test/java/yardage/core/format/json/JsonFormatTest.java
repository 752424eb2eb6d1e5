package yardage.core.format.json;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.core.JsonParser.Feature;
import com.fasterxml.jackson.core.StreamReadConstraints;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.json.JsonMapper;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.time.LocalDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.zip.GZIPInputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Type;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.Reason;
import yardage.core.testing.RecordCollector;

class JsonFormatTest {
  private static final ObjectMapper JACKSON =
      JsonMapper.builder()
          .enable(com.fasterxml.jackson.databind.DeserializationFeature.FAIL_ON_TRAILING_TOKENS)
          .build();

  static {
    JACKSON
        .getFactory()
        .setStreamReadConstraints(
            StreamReadConstraints.builder().maxNestingDepth(JsonText.MAX_DEPTH + 1).build());
    JACKSON.configure(Feature.ALLOW_COMMENTS, false);
  }

  private static FieldRule rule(String name, String type) {
    return new FieldRule(name, Type.parse(type), false, List.of(), java.util.Optional.empty());
  }

  private static RecordCollector read(String records, String text, int chunk, String... columns) {
    List<FieldRule> rules = new ArrayList<>();
    List<String> paths = new ArrayList<>();
    for (String column : columns) {
      String[] parts = column.split(" ", 2);
      rules.add(rule(parts[0].replaceAll("\\W", "_"), parts[1]));
      paths.add(parts[0]);
    }
    return new RecordCollector()
        .read(
            new JsonFormat(JsonLayout.parse(records), rules, paths, false),
            "inspections.json",
            new ByteArrayInputStream(text.getBytes(StandardCharsets.UTF_8)),
            chunk);
  }

  /** What is decoded stands behind the chunk; the next chunk must not be larger for it. */
  @Test
  void aChunkDoesNotGrowWithTheFile() throws IOException {
    String line = "{\"remark\":\"%s\"}\n".formatted("slub \\u00e0 \\\"x\\\" ".repeat(20));
    byte[] text = line.repeat(3000).getBytes(StandardCharsets.UTF_8);
    Chunk chunk = new Chunk(1 << 14);
    List<Integer> claimed = new ArrayList<>();
    chunk.reserve = claimed::add;
    RecordCollector found = new RecordCollector();
    new JsonFormat(
            JsonLayout.parse("lines"), List.of(rule("remark", "varchar")), List.of("remark"), false)
        .read("inspections.json", new ByteArrayInputStream(text), chunk, found);

    assertEquals(3000, found.rows.size());
    assertTrue(chunk.buffer.length < 4 << 14, chunk.buffer.length + " bytes of " + text.length);
    assertEquals(chunk.buffer.length, claimed.get(claimed.size() - 1), "what grows is claimed");
  }

  @Test
  void readsNestedColumnsPathsAndPlainValues() {
    String text =
        """
        {"roll":"R1","grade":2,"at":"2026-03-01T10:00:00Z","loom":{"code":"L-7","hall":{"no":3}},"defects":[{"kind":"slub","at_m":1.5},{"at_m":2e1,"kind":"stain","who":null}],"marks":{"a":1,"b":2}}
        {"marks":{},"defects":[],"loom":null,"grade":3.0,"roll":"R\\u0032 \\"x\\" \\ud83e\\uddf5"}

        {"roll":null,"defects":null,"extra":[1,{"deep":[true,null]}]}
        """;

    RecordCollector found =
        read(
            "lines",
            text,
            1 << 20,
            "roll varchar",
            "grade int",
            "at timestamp",
            "loom.hall.no int",
            "loom varchar",
            "defects list(struct(kind varchar, at_m decimal(9, 2)))",
            "defects[1].kind varchar",
            "marks map(varchar, bigint)");

    assertEquals(List.of(), found.rejects);
    assertEquals(
        List.of(
            "R1",
            2,
            LocalDateTime.of(2026, 3, 1, 10, 0),
            3,
            "{\"code\":\"L-7\",\"hall\":{\"no\":3}}",
            List.of(
                Map.of("kind", "slub", "at_m", new BigDecimal("1.50")),
                Map.of("kind", "stain", "at_m", new BigDecimal("20.00"))),
            "stain",
            Map.of("a", 1L, "b", 2L)),
        found.rows.get(0));
    assertEquals(
        Arrays.asList("R2 \"x\" 🧵", 3, null, null, null, List.of(), null, Map.of()),
        found.rows.get(1));
    assertEquals(Arrays.asList(null, null, null, null, null, null, null, null), found.rows.get(2));
    assertEquals(Map.of("defects.who", 1L, "extra", 1L), found.strays);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '`',
      value = {
        "lines ` {\"a\":1}~{\"a\":2}~ ` [[1], [2]]",
        "values ` {\"a\":1} {\"a\":~2}{\"a\":3} ` [[1], [2], [3]]",
        "array ` ~[ {\"a\":1},~{\"a\":2} ]~ ` [[1], [2]]",
        "array ` [] ` []",
        "$ ` {\"a\":1} ` [[1]]",
        "$.data ` {\"x\":[1,\"]}\"],\"data\":{\"a\":4},\"y\":2} ` [[4]]",
        "$.days[*].rolls[*] ` {\"days\":[{\"rolls\":[{\"a\":1},{\"a\":2}]},{\"x\":1},{\"rolls\":null},{\"n\":0,\"rolls\":[{\"a\":3}],\"z\":[]}]} ` [[1], [2], [3]]",
        "$['a b'][*] ` {\"a\\u0020b\":[{\"a\":9}]} ` [[9]]",
      })
  void findsRecordsWhereTheFeedSaysTheyAre(String records, String text, String rows) {
    for (int chunk : new int[] {1, 9, 1 << 20}) {
      RecordCollector found = read(records, text.replace('~', '\n'), chunk, "a int");

      assertEquals(rows, found.rows.toString(), "chunks of " + chunk);
      assertEquals(List.of(), found.rejects);
    }
  }

  @Test
  void aLineIsReadAloneWhereverTheFileIsCut() {
    String text =
        "{\"a\":1,\n\"a\":2}\n{\"a\":3}\n{\"a\":\"\n{\"a\":12345678}{\n{\"a\":-0.50}\n{\"a\":4}";
    for (int chunk : new int[] {1, 9, 1 << 20}) {
      RecordCollector found = read("lines", text, chunk, "a decimal(12, 2)");

      assertEquals("[[3.00], [-0.50], [4.00]]", found.rows.toString(), "chunks of " + chunk);
      assertEquals(
          List.of("1 not-json", "2 not-json", "4 not-json", "5 not-json"), found.reasons());
    }
  }

  @Test
  void tellsNamesApartThatBeginAlikeInAnyOrderAndHoweverTheyAreWritten() {
    String text =
        """
        {"inspection_no":1,"inspection_nos":2,"inspecti":3,"größe":4,"s":{"inspection_no":5,"inspection_nos":6,"i":7}}
        {"s":{"i":7,"inspection_nos":6,"inspection_\\u006eo":5},"gr\\u00f6ße":4,"inspecti":3,"inspection_nos":2,"inspection_no":1}
        {"inspection_n":1,"inspectio":3,"größ":4,"s":{"inspection_n":5,"x":0}}
        """;

    RecordCollector found =
        read(
            "lines",
            text.replace("\\\\", "\\"),
            1 << 20,
            "inspection_no int",
            "inspection_nos int",
            "inspecti int",
            "größe int",
            "s struct(inspection_no int, inspection_nos int, i int)");

    assertEquals(List.of(), found.rejects);
    assertEquals(found.rows.get(0), found.rows.get(1));
    assertEquals(
        "[1, 2, 3, 4, {inspection_no=5, inspection_nos=6, i=7}]", found.rows.get(0).toString());
    assertEquals(
        "[null, null, null, null, {inspection_no=null, inspection_nos=null, i=null}]",
        found.rows.get(2).toString());
    assertEquals(
        "{größ=1, inspectio=1, inspection_n=1, s.inspection_n=1, s.x=1}", found.strays.toString());
  }

  @Test
  void setsAsideOneRecordAndGoesOnWithTheNext() {
    String text =
        """
        {"a":1,"b":2}
        {"a":1,"a":2}
        {"a":"x"}
        {"a":99999999999}
        {"a":[1]}
        [1]
        {"a":1
        {"a":1} x
        {"s":"\\ud800"}
        {"s":"a\\u0000b"}
        {"s":"tab\there"}
        {"a":2}
        """;

    RecordCollector found = read("lines", text, 1 << 20, "a int", "s varchar");

    assertEquals(
        List.of(
            "2 not-json",
            "3 wrong-type",
            "4 out-of-range",
            "5 wrong-type",
            "6 not-json",
            "7 not-json",
            "8 not-json",
            "9 bad-encoding",
            "10 nul-character",
            "11 not-json"),
        found.reasons());
    assertEquals(2, found.rows.size());
    assertTrue(
        found.rejects.stream()
            .anyMatch(r -> r.failures().get(0).message().contains("member [a] is there twice")));
    String array = "[{\"a\":1},\n{\"a\":tru},\n{\"a\":[2}],\n{\"a\":3}]";
    RecordCollector inArray = read("array", array, 1 << 20, "a int");
    assertEquals(List.of("2 not-json"), inArray.reasons().subList(0, 1));
    assertEquals("{\"a\":tru}", inArray.rejects.get(0).original());
    assertEquals(array.indexOf("{\"a\":tru}"), inArray.rejects.get(0).byteOffset());
  }

  @Test
  void aValueCutOffIsSetAsideAndAPathThatLeadsNowhereIsTold() {
    RecordCollector found = read("array", "[{\"a\":1},{\"a\":", 1 << 20, "a int");
    FileFormatException e =
        assertThrows(
            FileFormatException.class,
            () -> read("$.data[*]", "{\"data\":{\"a\":1}}", 1 << 20, "a int"));

    assertEquals(List.of(List.of(1)), found.rows);
    assertTrue(
        found.rejects.get(0).failures().get(0).message().startsWith("the file ends inside"),
        found.rejects.toString());
    assertTrue(
        e.getMessage().contains("there is [{] where the path wants an array"), e.getMessage());
  }

  @Test
  void depthIsRefusedWithoutRecursion() {
    String deep = "[".repeat(100_000);
    String objects = "{\"a\":".repeat(100_000);

    RecordCollector found =
        read("lines", "{\"x\":" + deep + "\n" + objects + "\n{\"a\":1}\n", 1 << 20, "a int");

    assertEquals(List.of("1 too-deep", "2 too-deep"), found.reasons());
    assertEquals(List.of(List.of(1)), found.rows);
  }

  /** Published texts that must, must not or may be accepted. */
  @Test
  void agreesWithThePublishedSuite() throws IOException {
    JsonNode suite;
    try (var in =
        new GZIPInputStream(getClass().getResourceAsStream("/suites/json/parsing.json.gz"))) {
      suite = new ObjectMapper().readTree(in);
    }
    List<String> wrong = new ArrayList<>();
    int told = 0;
    for (JsonNode test : suite) {
      String name = test.get("name").asText();
      String text = test.get("input").asText();
      if (text.indexOf('\uFFFD') >= 0) {
        continue;
      }
      boolean accepted = accepts(text.getBytes(StandardCharsets.UTF_8));
      told++;
      if (name.startsWith("y_") && !accepted || name.startsWith("n_") && accepted) {
        wrong.add(name);
      }
    }

    assertEquals(List.of(), wrong);
    assertTrue(told > 280, told + " texts");
  }

  private static boolean accepts(byte[] bytes) {
    byte[] b = Arrays.copyOf(bytes, bytes.length + 16);
    JsonText text = new JsonText(b, bytes.length);
    try {
      int start = text.blanks(0);
      return text.blanks(text.valueEnd(start)) == bytes.length;
    } catch (JsonText.Malformed e) {
      return false;
    }
  }

  /** Another parser's reading of the same random texts, sound and broken. */
  @Test
  void agreesWithAnotherParserOnRandomTexts() throws IOException {
    long seed = Long.getLong("yardage.seed", 41);
    SplittableRandom random = new SplittableRandom(seed);
    for (int round = 0; round < 3000; round++) {
      StringBuilder json = new StringBuilder("{\"v\":");
      value(random, json, 0);
      json.append("}");
      for (int damage = random.nextInt(3); damage > 1; damage--) {
        int at = random.nextInt(json.length());
        json.setCharAt(at, "\"{}[],:\\1e-.ntf ".charAt(random.nextInt(16)));
      }
      // Damage may have cut a pair in half: both read the same bytes.
      String text =
          new String(json.toString().getBytes(StandardCharsets.UTF_8), StandardCharsets.UTF_8);
      String expected;
      try {
        JsonNode node = JACKSON.readTree(text);
        JsonNode v = node.isObject() ? node.get("v") : null;
        expected =
            !node.isObject()
                ? "bad"
                : v == null || v.isNull() ? "null" : v.isTextual() ? v.asText() : v.toString();
      } catch (IOException e) {
        expected = "bad";
      }

      if (expected.contains("Infinity")) {
        continue;
      }
      RecordCollector found = read("lines", text + "\n", 16, "v varchar");

      String got = "bad";
      if (found.rejects.isEmpty()) {
        Object value = found.rows.get(0).get(0);
        boolean nested = value != null && value.toString().matches("(?s)[\\[{].*");
        got =
            nested && !expected.equals(value)
                ? JACKSON.readTree(value.toString()).toString()
                : String.valueOf(value);
        if (!got.equals(expected) && isNumber(got) && isNumber(expected)) {
          got = new BigDecimal(got).compareTo(new BigDecimal(expected)) == 0 ? expected : got;
        }
      } else if (found.rejects.get(0).failures().get(0).reason() != Reason.NOT_JSON) {
        continue;
      }
      assertEquals(expected, got, "seed " + seed + ", round " + round + ": " + text);
    }
  }

  private static boolean isNumber(String text) {
    return text.matches("-?[0-9.]+([eE][-+]?[0-9]{1,3})?");
  }

  private static void value(SplittableRandom random, StringBuilder out, int depth) {
    switch (random.nextInt(depth > 3 ? 5 : 7)) {
      case 0 -> out.append(random.nextInt());
      case 1 -> out.append(random.nextInt(100)).append(".").append(random.nextInt(1, 10));
      case 2 -> out.append(new String[] {"true", "false", "null"}[random.nextInt(3)]);
      case 3, 4 -> {
        out.append('"');
        String[] pieces = {"a", "loom seven", "é", "\\n", "\\\"", "\\u00e9", "🧵", " ", "\\\\"};
        for (int i = random.nextInt(6); i > 0; i--) {
          out.append(pieces[random.nextInt(pieces.length)]);
        }
        out.append('"');
      }
      case 5 -> {
        out.append('[');
        for (int i = random.nextInt(4); i > 0; i--) {
          value(random, out, depth + 1);
          out.append(i > 1 ? random.nextBoolean() ? ", " : "," : "");
        }
        out.append(']');
      }
      default -> {
        out.append('{');
        for (int i = random.nextInt(4); i > 0; i--) {
          out.append("\"k").append(i).append("\": ");
          value(random, out, depth + 1);
          out.append(i > 1 ? "," : "");
        }
        out.append('}');
      }
    }
  }
}
