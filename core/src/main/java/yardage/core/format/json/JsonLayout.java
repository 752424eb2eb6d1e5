package yardage.core.format.json;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * Where the records are in a file.
 *
 * @param kind how records follow each other
 * @param path for {@link Kind#PATH} the names and arrays that lead to them
 */
public record JsonLayout(Kind kind, List<Step> path, int maxRecordBytes) {
  public static final int DEFAULT_MAX_RECORD_BYTES = 64 << 20;

  /** How records follow each other. */
  public enum Kind {
    /** One value a line. */
    LINES,
    /** Values one after the other, over any number of lines. */
    VALUES,
    /** The elements that a path leads to. */
    PATH
  }

  /** A step of a path: into a member, or into every element where the name is absent. */
  public record Step(Optional<String> name) {}

  public JsonLayout {
    path = List.copyOf(path);
  }

  public static JsonLayout lines() {
    return new JsonLayout(Kind.LINES, List.of(), DEFAULT_MAX_RECORD_BYTES);
  }

  /**
   * Reads {@code lines}, {@code values}, {@code array}, or a path as RFC 9535 writes it, of names
   * and {@code [*]}, such as {@code $.days[*].rolls[*]}.
   *
   * @throws IllegalArgumentException saying what is wrong with it
   */
  public static JsonLayout parse(String text) {
    switch (text) {
      case "lines":
        return lines();
      case "values":
        return new JsonLayout(Kind.VALUES, List.of(), DEFAULT_MAX_RECORD_BYTES);
      case "array":
        return parse("$[*]");
      default:
        if (!text.startsWith("$")) {
          throw new IllegalArgumentException(
              "Invalid records [%s]: write lines, array, values, or a path such as $.days[*].rolls[*]"
                  .formatted(text));
        }
        return new JsonLayout(Kind.PATH, steps(text), DEFAULT_MAX_RECORD_BYTES);
    }
  }

  /** The path as a document writes it. */
  String text() {
    StringBuilder out = new StringBuilder("$");
    path.forEach(s -> out.append(s.name().map(n -> "." + n).orElse("[*]")));
    return out.toString();
  }

  private static List<Step> steps(String text) {
    List<Step> out = new ArrayList<>();
    int at = 1;
    while (at < text.length()) {
      if (text.startsWith("[*]", at) || text.startsWith(".*", at)) {
        out.add(new Step(Optional.empty()));
        at += text.charAt(at) == '[' ? 3 : 2;
      } else if (text.startsWith("['", at) && text.indexOf("']", at) > 0) {
        int end = text.indexOf("']", at);
        out.add(new Step(Optional.of(text.substring(at + 2, end))));
        at = end + 2;
      } else if (text.charAt(at) == '.') {
        int end = at + 1;
        while (end < text.length() && ".[".indexOf(text.charAt(end)) < 0) {
          end++;
        }
        if (end == at + 1) {
          throw invalid(text, at);
        }
        out.add(new Step(Optional.of(text.substring(at + 1, end))));
        at = end;
      } else {
        throw invalid(text, at);
      }
    }
    return out;
  }

  private static IllegalArgumentException invalid(String text, int at) {
    return new IllegalArgumentException(
        "Invalid path [%s] at [%s]: a path is names and [*], as in $.days[*].rolls[*]"
            .formatted(text, text.substring(at)));
  }
}
