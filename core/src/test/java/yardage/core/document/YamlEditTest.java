package yardage.core.document;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

/** One value changes; comments, quotes, order and blank lines around it stay to the letter. */
class YamlEditTest {
  private static final String DOCUMENT =
      """
      # The head.
      steps:
        tidy: # why
          from: rolls
          shape:
            trim: {of: text}   # blanks of the scale
            # lengths are in metres
            set:
              metres: "len_m / 100" # cm before 2024
              woven_on: cast(woven_at as date)

        once: {from: tidy, dedupe: {by: [roll_id, 'mill'], keep: last}}
        ask:
          from: [tidy, once]
          sql: |
            select *
            from tidy  # a comment of SQL's own
        odd: &odd {keep: 'a > 1'}
        odder: *odd
      """;

  private static String set(String path, Object value) {
    return YamlEdit.set(DOCUMENT, List.of(path.split("/")), value);
  }

  private static String remove(String path) {
    return YamlEdit.remove(DOCUMENT, List.of(path.split("/")));
  }

  private static void assertChanged(String old, String now, String edited) {
    assertTrue(DOCUMENT.contains(old), old);
    assertEquals(DOCUMENT.replace(old, now), edited);
  }

  @Test
  void onlyWhatIsChangedChanges() {
    assertChanged("keep: last", "keep: first", set("steps/once/dedupe/keep", "first"));
    assertChanged("[roll_id, 'mill']", "['mill']", set("steps/once/dedupe/by", List.of("mill")));
    assertChanged(
        "'mill']",
        "'mill', hall]",
        set("steps/once/dedupe/by", List.of("roll_id", "mill", "hall")));
    assertChanged(
        "{of: text}",
        "{of: [varchar, char], except: [note]}",
        set(
            "steps/tidy/shape/trim",
            order("of", List.of("varchar", "char"), "except", List.of("note"))));
    assertChanged("\"len_m / 100\"", "len_m", set("steps/tidy/shape/set/metres", "len_m"));
    assertChanged(
        "keep: last}",
        "keep: last, alike: {on: name}}",
        set("steps/once/dedupe/alike", Map.of("on", "name")));
    assertChanged(
        "woven_at as date)\n",
        "woven_at as date)\n        \"a: b\": \"'x', # y\"\n",
        set("steps/tidy/shape/set/a: b", "'x', # y"));
    assertChanged(
        "woven_on: cast",
        "day: cast",
        set(
            "steps/tidy/shape/set",
            order("metres", "len_m / 100", "day", "cast(woven_at as date)")));
    assertChanged(
        "from: rolls", "from: [rolls, more]", set("steps/tidy/from", List.of("rolls", "more")));
    assertChanged(
        "select *\n      from tidy  # a comment of SQL's own",
        "select hall\n\n      from once",
        set("steps/ask/sql", "select hall\n\nfrom once\n"));
  }

  @Test
  void whatGoesTakesOnlyItsOwnLines() {
    assertChanged(
        "        woven_on: cast(woven_at as date)\n", "", remove("steps/tidy/shape/set/woven_on"));
    assertChanged("by: [roll_id, 'mill'], ", "", remove("steps/once/dedupe/by"));
    assertChanged(", keep: last", "", remove("steps/once/dedupe/keep"));
    assertEquals(DOCUMENT, remove("steps/once/dedupe/order"));
    assertEquals("a: {}\nb: 2\n", YamlEdit.remove("a:\n  only: 1\nb: 2\n", List.of("a", "only")));
    assertEquals("a: 1", YamlEdit.remove("a: 1\nb: 2", List.of("b")));
  }

  @Test
  void aValueThatStandsElsewhereIsRefused() {
    IllegalArgumentException e =
        assertThrows(IllegalArgumentException.class, () -> set("steps/odder/keep", "b"));
    assertTrue(e.getMessage().startsWith("The way in which [keep] is written"), e.getMessage());
    assertThrows(IllegalArgumentException.class, () -> set("steps/once/from/x", "b"));
  }

  /** Random documents in all styles, and random changes, each of which says what was asked for. */
  @Test
  void anyDocumentTakesAnyChange() {
    for (long seed = 1; seed <= 300; seed++) {
      Random random = new Random(seed);
      Map<String, Object> value = map(random, 3);
      String text = written(value, random, 0);
      assertEquals(value, plain(text), text);
      for (int n = 0; n < 8; n++) {
        List<String> path = path(value, random);
        boolean goes = random.nextInt(4) == 0;
        Object now = value(random, random.nextInt(3));
        String before = text;
        String what = "seed %d, %s to %s in\n%s".formatted(seed, path, goes ? "-" : now, before);
        try {
          text = goes ? YamlEdit.remove(text, path) : YamlEdit.set(text, path, now);
        } catch (RuntimeException e) {
          throw new AssertionError(what, e);
        }
        value = plain(text);
        assertEquals(goes ? Optional.empty() : Optional.of(now), at(value, path), what);
        assertEquals(notes(before), notes(text), what + "\nis\n" + text);
        assertTrue(text.startsWith(inFrontOf(before, path.get(0))), what + "\nis\n" + text);
        if (!goes) {
          assertEquals(text, YamlEdit.set(text, path, now), what);
        }
      }
    }
  }

  @SuppressWarnings("unchecked")
  private static Map<String, Object> plain(String text) {
    return (Map<String, Object>) YamlEdit.said(DocumentValue.parse(text));
  }

  private static Optional<Object> at(Object value, List<String> path) {
    Object at = value;
    for (String name : path) {
      if (!(at instanceof Map<?, ?> map) || !map.containsKey(name)) {
        return Optional.empty();
      }
      at = map.get(name);
    }
    return Optional.of(at);
  }

  /** Comments at the top belong to no value that a change could take away. */
  private static List<String> notes(String text) {
    return text.lines().filter(l -> l.startsWith("# ")).toList();
  }

  private static String inFrontOf(String text, String name) {
    Matcher entry = Pattern.compile("(?m)^\"?" + Pattern.quote(name) + "\"?:").matcher(text);
    return entry.find() ? text.substring(0, entry.start()).stripTrailing() : "";
  }

  /** Leads to a value that is there, or to a new name beside such. */
  private static List<String> path(Map<String, Object> value, Random random) {
    List<String> out = new ArrayList<>();
    Object at = value;
    while (at instanceof Map<?, ?> map && (out.isEmpty() || random.nextInt(3) > 0)) {
      List<String> names = new ArrayList<>();
      map.keySet().forEach(k -> names.add((String) k));
      boolean isNew = names.isEmpty() || random.nextInt(4) == 0;
      out.add(isNew ? "new_" + random.nextInt(3) : names.get(random.nextInt(names.size())));
      at = map.get(out.get(out.size() - 1));
    }
    return out;
  }

  private static final List<String> TEXTS =
      List.of(
          "roll_id, metres > 0, 'x', say \"so\", it's: \"that\", -1, 2026-01-05, null, true, {x}, [, *, &a, a:b, %, @, ?, ~, ="
              .split(", "));

  private static final List<String> ODD_TEXTS =
      List.of(
          "",
          "a, b",
          " blank ",
          "# no comment",
          "x # y",
          "a: b",
          "ünïcode 🧵",
          "tab\there",
          "two\nlines",
          "three\n\n  lines\n",
          "- dash");

  private static String text(Random random) {
    List<String> from = random.nextBoolean() ? TEXTS : ODD_TEXTS;
    return from.get(random.nextInt(from.size()));
  }

  private static Object value(Random random, int depth) {
    int kind = random.nextInt(depth > 0 ? 4 : 1);
    if (kind == 2) {
      List<Object> out = new ArrayList<>();
      for (int n = random.nextInt(4); n > 0; n--) {
        out.add(value(random, depth - 1));
      }
      return out;
    }
    return kind == 3 || kind == 1 && depth > 1 ? map(random, depth - 1) : text(random);
  }

  private static Map<String, Object> map(Random random, int depth) {
    Map<String, Object> out = new LinkedHashMap<>();
    for (int n = 1 + random.nextInt(4); n > 0; n--) {
      boolean odd = random.nextInt(8) == 0;
      out.put(odd ? "odd: name 🧵" : "n" + random.nextInt(9), value(random, depth));
    }
    return out;
  }

  /** A map in lines of its own, with comments and blank lines between; its values in any style. */
  private static String written(Map<String, Object> map, Random random, int indent) {
    StringBuilder out = new StringBuilder();
    String blanks = " ".repeat(indent);
    map.forEach(
        (name, value) -> {
          if (random.nextInt(4) == 0) {
            out.append(random.nextBoolean() ? "\n" : "").append(blanks);
            out.append("# note ").append(random.nextInt(100)).append('\n');
          }
          out.append(blanks).append(quoted(name)).append(':');
          if (value instanceof Map<?, ?> inner && !inner.isEmpty() && random.nextBoolean()) {
            @SuppressWarnings("unchecked")
            Map<String, Object> entries = (Map<String, Object>) inner;
            out.append(random.nextInt(3) == 0 ? " # beside\n" : "\n");
            out.append(written(entries, random, indent + 2));
          } else if (value instanceof List<?> list && !list.isEmpty() && random.nextBoolean()) {
            out.append('\n');
            list.forEach(v -> out.append(blanks + "  - " + flow(v, random) + "\n"));
          } else if (value instanceof String s && s.endsWith("lines") && random.nextBoolean()) {
            out.append(" |-\n");
            s.lines().forEach(l -> out.append(blanks + "  " + l + "\n"));
          } else {
            out.append(' ').append(flow(value, random));
            out.append(random.nextInt(4) == 0 ? " # beside\n" : "\n");
          }
        });
    return out.toString();
  }

  private static String flow(Object value, Random random) {
    String gap = random.nextBoolean() ? "" : " ";
    if (value instanceof Map<?, ?> map) {
      List<String> entries = new ArrayList<>();
      map.forEach((k, v) -> entries.add(quoted((String) k) + ": " + flow(v, random)));
      return "{" + gap + String.join("," + gap + " ", entries) + gap + "}";
    } else if (value instanceof List<?> list) {
      List<String> items = list.stream().map(v -> flow(v, random)).toList();
      return "[" + gap + String.join("," + gap + " ", items) + gap + "]";
    }
    String s = (String) value;
    boolean simple = s.matches("[a-z_]+") && !s.equals("null");
    return simple && random.nextBoolean() ? s : quoted(s);
  }

  private static String quoted(String s) {
    String inner = s.replace("\\", "\\\\").replace("\"", "\\\"");
    return '"' + inner.replace("\n", "\\n").replace("\t", "\\t") + '"';
  }

  private static Map<String, Object> order(Object... pairs) {
    Map<String, Object> out = new LinkedHashMap<>();
    for (int i = 0; i < pairs.length; i += 2) {
      out.put((String) pairs[i], pairs[i + 1]);
    }
    return out;
  }
}
