package yardage.core.format.json;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import yardage.core.expr.ExpressionException;

/**
 * A path into a JSON value (ISO SQL:2016, part of 9.39): {@code $}, names, and places in lists from
 * 0, {@code last} and {@code *}. In the lax mode, which is what nothing says, a name looks into
 * each element of a list, and a place 0 is what is no list itself. Filters and methods are not
 * here.
 */
final class JsonPath {
  private static final Pattern STEP =
      Pattern.compile(
          "\\s*(?:\\.\\s*(?:(?<name>[\\p{L}_$][\\p{L}\\p{N}_$]*)|\"(?<quoted>(?:[^\"\\\\]|\\\\.)*)\"|(?<any>\\*))|\\[\\s*(?:(?<place>\\d{1,9})|(?<last>last)|(?<all>\\*))\\s*\\])");

  private enum Kind {
    MEMBER,
    ANY_MEMBER,
    PLACE,
    LAST,
    ALL
  }

  private record Step(Kind kind, String name, int place) {}

  private final boolean strict;
  private final List<Step> steps;

  private JsonPath(boolean strict, List<Step> steps) {
    this.strict = strict;
    this.steps = steps;
  }

  /**
   * @throws ExpressionException when it is no such path
   */
  static JsonPath parse(String text) {
    String rest = text.strip();
    boolean strict = rest.startsWith("strict ");
    rest = rest.replaceFirst("^(strict|lax)\\s+", "");
    if (!rest.startsWith("$")) {
      throw wrong(text);
    }
    List<Step> steps = new ArrayList<>();
    Matcher m = STEP.matcher(rest);
    int at = 1;
    while (at < rest.length()) {
      if (!m.find(at) || m.start() != at) {
        throw wrong(text);
      }
      steps.add(step(m));
      at = m.end();
    }
    return new JsonPath(strict, steps);
  }

  private static Step step(Matcher m) {
    if (m.group("name") != null) {
      return new Step(Kind.MEMBER, m.group("name"), 0);
    } else if (m.group("quoted") != null) {
      return new Step(Kind.MEMBER, m.group("quoted").replaceAll("\\\\(.)", "$1"), 0);
    } else if (m.group("any") != null) {
      return new Step(Kind.ANY_MEMBER, "", 0);
    } else if (m.group("place") != null) {
      return new Step(Kind.PLACE, "", Integer.parseInt(m.group("place")));
    }
    return new Step(m.group("last") != null ? Kind.LAST : Kind.ALL, "", 0);
  }

  private static ExpressionException wrong(String text) {
    return new ExpressionException(
        "Invalid path [%s]: write $, names and places from 0, as in $.lots[0].kg or $.\"net weight\""
            .formatted(text));
  }

  /**
   * What is there, in order; empty when nothing is, or, where the path is strict, part of it is
   * not.
   */
  List<JsonNode> in(JsonNode root) {
    List<JsonNode> now = List.of(root);
    for (Step step : steps) {
      List<JsonNode> next = new ArrayList<>();
      for (JsonNode node : now) {
        take(node, step).ifPresent(next::addAll);
      }
      now = next;
    }
    return now;
  }

  private Optional<List<JsonNode>> take(JsonNode node, Step step) {
    List<JsonNode> out = new ArrayList<>();
    switch (step.kind()) {
      case MEMBER, ANY_MEMBER -> {
        List<JsonNode> objects = new ArrayList<>();
        if (node.isArray() && !strict) {
          node.forEach(objects::add);
        } else {
          objects.add(node);
        }
        for (JsonNode o : objects) {
          if (o.isObject() && step.kind() == Kind.ANY_MEMBER) {
            o.forEach(out::add);
          } else if (o.isObject() && o.has(step.name())) {
            out.add(o.get(step.name()));
          }
        }
      }
      case PLACE, LAST, ALL -> {
        if (!node.isArray()) {
          boolean itself = !strict && (step.kind() != Kind.PLACE || step.place() == 0);
          return itself ? Optional.of(List.of(node)) : Optional.empty();
        }
        int size = node.size();
        int place = step.kind() == Kind.LAST ? size - 1 : step.place();
        if (step.kind() == Kind.ALL) {
          node.forEach(out::add);
        } else if (place >= 0 && place < size) {
          out.add(node.get(place));
        }
      }
    }
    return Optional.of(out);
  }
}
