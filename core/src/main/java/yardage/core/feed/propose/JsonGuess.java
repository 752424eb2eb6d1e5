package yardage.core.feed.propose;

import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonToken;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.MappingIterator;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.cfg.JsonNodeFeature;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.IOException;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import yardage.core.column.Type;
import yardage.core.format.json.JsonLayout;

/** Finds out where the records of JSON are and what they hold. */
final class JsonGuess {
  /** Numbers as they are written: a double would round long ones, and has none for 1e400. */
  private static final ObjectMapper JSON =
      new ObjectMapper()
          .enable(DeserializationFeature.USE_BIG_DECIMAL_FOR_FLOATS)
          .configure(JsonNodeFeature.STRIP_TRAILING_BIGDECIMAL_ZEROES, false);

  private static final int MOST_RECORDS = 10_000;

  /** An object with more different names than this, few of them in each, is a map. */
  private static final int MAP_NAMES = 20;

  private JsonGuess() {}

  private record Found(String records, String because, List<JsonNode> rows) {}

  static Optional<Proposal.Shape> of(Sample sample) {
    String start = sample.text().stripLeading();
    if (start.isEmpty() || "{[".indexOf(start.charAt(0)) < 0) {
      return Optional.empty();
    }
    Optional<Found> found = start.charAt(0) == '[' ? array(sample, "array") : objects(sample);
    return found.map(JsonGuess::shape);
  }

  /** The shape of records that are where a layout says. */
  static Optional<Proposal.Shape> of(Sample sample, JsonLayout layout) {
    return switch (layout.kind()) {
      case LINES -> lines(sample, false).map(JsonGuess::shape);
      case VALUES -> array(sample, "values").map(JsonGuess::shape);
      case PATH -> atPath(sample, layout.path()).map(JsonGuess::shape);
    };
  }

  private static Optional<Found> atPath(Sample sample, List<JsonLayout.Step> path) {
    if (path.size() == 1 && path.get(0).name().isEmpty()) {
      return array(sample, "array");
    }
    try {
      List<JsonNode> at = List.of(JSON.readTree(sample.text()));
      for (JsonLayout.Step step : path) {
        List<JsonNode> next = new ArrayList<>();
        for (JsonNode node : at) {
          if (step.name().isPresent()) {
            Optional.ofNullable(node.get(step.name().get())).ifPresent(next::add);
          } else {
            node.forEach(next::add);
          }
        }
        at = next;
      }
      List<JsonNode> rows = new ArrayList<>(at);
      rows.removeIf(r -> !r.isObject());
      return rows.isEmpty() ? Optional.empty() : Optional.of(new Found("path", "", rows));
    } catch (IOException e) {
      // A sample that is cut off inside its one value tells nothing.
      return Optional.empty();
    }
  }

  private static Optional<Found> objects(Sample sample) {
    return lines(sample, true).or(() -> under(sample));
  }

  /**
   * @param guess whether a single object may rather hold the records than be one
   */
  private static Optional<Found> lines(Sample sample, boolean guess) {
    List<JsonNode> rows = new ArrayList<>();
    List<String> lines = sample.lines();
    int wrong = 0;
    for (String line : lines.subList(0, Math.min(lines.size(), MOST_RECORDS))) {
      if (line.isBlank()) {
        continue;
      }
      try {
        JsonNode node = JSON.readTree(line);
        if (node.isObject()) {
          rows.add(node);
          continue;
        }
      } catch (IOException e) {
        // Not a record of its own.
      }
      wrong++;
    }
    Optional<Found> inside = rows.size() == 1 ? longest(rows.get(0), "$") : Optional.empty();
    if (guess && inside.isPresent() && wrong == 0) {
      return inside;
    }
    return rows.size() > wrong
        ? Optional.of(
            new Found(
                "lines",
                "%,d of %,d lines are an object each".formatted(rows.size(), rows.size() + wrong),
                rows))
        : Optional.empty();
  }

  /** A single object: the longest array of objects in it, if there is one. */
  private static Optional<Found> under(Sample sample) {
    try {
      JsonNode root = JSON.readTree(sample.text());
      Optional<Found> best = longest(root, "$");
      return best.isPresent()
          ? best
          : Optional.of(new Found("values", "the file is one object", List.of(root)));
    } catch (IOException e) {
      return array(sample, "values");
    }
  }

  private static Optional<Found> longest(JsonNode node, String path) {
    Optional<Found> best = Optional.empty();
    Iterator<Map.Entry<String, JsonNode>> members = node.fields();
    while (members.hasNext()) {
      Map.Entry<String, JsonNode> member = members.next();
      String name = member.getKey();
      String at = path + (name.matches("\\w+") ? "." + name : "['" + name + "']");
      JsonNode value = member.getValue();
      Optional<Found> here = Optional.empty();
      if (value.isArray() && value.size() > 0 && value.get(0).isObject()) {
        List<JsonNode> rows = new ArrayList<>();
        value.forEach(rows::add);
        here =
            Optional.of(
                new Found(at + "[*]", "%s holds %,d objects".formatted(at, rows.size()), rows));
      } else if (value.isObject()) {
        here = longest(value, at);
      }
      if (here.isPresent()
          && (best.isEmpty() || here.get().rows().size() > best.get().rows().size())) {
        best = here;
      }
    }
    return best;
  }

  private static Optional<Found> array(Sample sample, String records) {
    List<JsonNode> rows = new ArrayList<>();
    try (JsonParser parser = JSON.createParser(sample.text())) {
      if (records.equals("array") && parser.nextToken() != JsonToken.START_ARRAY) {
        return Optional.empty();
      }
      if (records.equals("array")) {
        parser.nextToken();
      }
      MappingIterator<JsonNode> values = JSON.readValues(parser, JsonNode.class);
      while (rows.size() < MOST_RECORDS && values.hasNextValue()) {
        rows.add(values.nextValue());
      }
    } catch (IOException e) {
      // A sample may end inside a value.
    }
    rows.removeIf(r -> !r.isObject());
    return rows.isEmpty()
        ? Optional.empty()
        : Optional.of(
            new Found(
                records,
                records.equals("array")
                    ? "the file is an array, of objects"
                    : "objects follow each other over several lines",
                rows));
  }

  private static Proposal.Shape shape(Found found) {
    List<Proposal.Column> columns = new ArrayList<>();
    Set<String> used = new HashSet<>();
    for (String name : names(found.rows())) {
      List<JsonNode> values = new ArrayList<>();
      found.rows().forEach(r -> values.add(r.get(name)));
      Map<String, String> settings = new LinkedHashMap<>();
      String plain = Naming.column(name, used);
      // A dot in a name would mean a path.
      if (!plain.equals(name) && !name.matches(".*[.\\[\\]].*")) {
        settings.put("from", Yaml.flow(name));
      }
      columns.add(column(plain, values, settings));
    }
    return new Proposal.Shape(
        "json",
        List.of("json: {records: %s}".formatted(Yaml.flow(found.records()))),
        columns,
        List.of(new Proposal.Evidence("records", found.records(), found.because())));
  }

  private static List<String> names(List<JsonNode> rows) {
    Map<String, Boolean> out = new LinkedHashMap<>();
    rows.forEach(r -> r.fieldNames().forEachRemaining(n -> out.put(n, true)));
    return List.copyOf(out.keySet());
  }

  private static Proposal.Column column(
      String name, List<JsonNode> values, Map<String, String> settings) {
    List<JsonNode> there = values.stream().filter(v -> v != null && !v.isNull()).toList();
    boolean nested = there.stream().anyMatch(JsonNode::isContainerNode);
    if (!nested) {
      return ColumnGuess.of(name, scalars(values), settings, false);
    }
    Optional<Type> type = type(there);
    String because =
        type.isPresent()
            ? "%,d of %,d records have it".formatted(there.size(), values.size())
            : "mixed: plain values and values with parts, so it stays JSON text";
    return new Proposal.Column(name, type.orElse(Type.VARCHAR), settings, because);
  }

  private static List<ColumnGuess.Value> scalars(List<JsonNode> values) {
    List<ColumnGuess.Value> out = new ArrayList<>();
    for (int i = 0; i < values.size(); i++) {
      JsonNode v = values.get(i);
      out.add(
          new ColumnGuess.Value(
              i + 1, v == null || v.isNull() ? Optional.empty() : Optional.of(v.asText())));
    }
    return out;
  }

  /** The type that holds all values; empty when some have parts and some have none. */
  private static Optional<Type> type(List<JsonNode> values) {
    if (values.stream().allMatch(JsonNode::isArray)) {
      List<JsonNode> elements = new ArrayList<>();
      values.forEach(v -> v.forEach(elements::add));
      elements.removeIf(JsonNode::isNull);
      return elements.isEmpty()
          ? Optional.of(Type.list(Type.VARCHAR))
          : type(elements).map(Type::list);
    }
    if (values.stream().allMatch(JsonNode::isObject)) {
      List<String> names = names(values);
      int members = values.stream().mapToInt(JsonNode::size).sum();
      if (names.isEmpty()) {
        return Optional.empty();
      }
      if (names.size() > MAP_NAMES && members < names.size() * values.size() / 3) {
        List<JsonNode> all = new ArrayList<>();
        values.forEach(v -> ((ObjectNode) v).elements().forEachRemaining(all::add));
        all.removeIf(JsonNode::isNull);
        return type(all).map(t -> Type.map(Type.VARCHAR, t));
      }
      List<Type.Part> parts = new ArrayList<>();
      for (String name : names) {
        List<JsonNode> of =
            values.stream().map(v -> v.get(name)).filter(v -> v != null && !v.isNull()).toList();
        parts.add(new Type.Part(name, of.isEmpty() ? Type.VARCHAR : type(of).orElse(Type.VARCHAR)));
      }
      return Optional.of(Type.struct(parts));
    }
    if (values.stream().anyMatch(JsonNode::isContainerNode)) {
      return Optional.empty();
    }
    Proposal.Column flat = ColumnGuess.of("x", scalars(values), Map.of(), false);
    // Parts have no settings of their own, so only types that need none are proposed.
    return Optional.of(
        flat.settings().keySet().stream().allMatch("required"::equals)
            ? flat.type()
            : Type.VARCHAR);
  }
}
