package yardage.core.format.tree;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import yardage.core.column.NumberTypes;
import yardage.core.column.Type;
import yardage.core.expr.Conform;

/**
 * The narrowest type that holds some trees. Text is never taken for a number, since a JSON writer
 * had the choice; in XML, where all is text, it is, unless it has leading zeros.
 */
final class TreeType {
  private static final Pattern WHOLE = Pattern.compile("-?(0|[1-9][0-9]{0,17})");
  private static final Pattern FRACTION = Pattern.compile("-?(0|[1-9][0-9]{0,17})\\.[0-9]{1,17}");
  private static final Pattern DATE = Pattern.compile("[0-9]{4}-[01][0-9]-[0-3][0-9]");
  private static final Pattern TIMESTAMP =
      Pattern.compile(DATE.pattern() + "[T ][0-2][0-9]:[0-5][0-9]:[0-5][0-9](\\.[0-9]{1,6})?");

  private final boolean numbersAsText;

  private TreeType(boolean numbersAsText) {
    this.numbersAsText = numbersAsText;
  }

  /**
   * @param numbersAsText whether numbers come as text, as in XML
   */
  static Type of(JsonNode tree, boolean numbersAsText) {
    return new TreeType(numbersAsText).all(List.of(tree)).orElse(Type.VARCHAR);
  }

  /** Empty when there is nothing but nulls. */
  private Optional<Type> all(List<JsonNode> values) {
    List<JsonNode> there = values.stream().filter(v -> !v.isNull()).toList();
    if (there.isEmpty()) {
      return Optional.empty();
    }
    if (there.stream().allMatch(JsonNode::isArray)) {
      List<JsonNode> elements = new ArrayList<>();
      there.forEach(v -> v.forEach(elements::add));
      return Optional.of(Type.list(all(elements).orElse(Type.VARCHAR)));
    }
    if (there.stream().allMatch(JsonNode::isObject)) {
      Map<String, List<JsonNode>> members = new LinkedHashMap<>();
      for (JsonNode v : there) {
        v.fields()
            .forEachRemaining(
                e -> members.computeIfAbsent(e.getKey(), k -> new ArrayList<>()).add(e.getValue()));
      }
      List<Type.Part> parts = new ArrayList<>();
      members.forEach((n, of) -> parts.add(new Type.Part(n, all(of).orElse(Type.VARCHAR))));
      // A struct has a field at least; an empty object tells of none.
      return Optional.of(
          parts.isEmpty() ? Type.map(Type.VARCHAR, Type.VARCHAR) : Type.struct(parts));
    }
    return there.stream().anyMatch(JsonNode::isContainerNode)
        ? Optional.of(Type.VARCHAR)
        : there.stream().map(this::scalar).reduce(TreeType::wider);
  }

  private Type scalar(JsonNode value) {
    if (value.isBoolean()) {
      return Type.BOOLEAN;
    }
    String text = value.asText();
    if (value.isNumber() || numbersAsText) {
      if (WHOLE.matcher(text).matches()) {
        long n = Long.parseLong(text);
        return n == (int) n ? Type.INT : Type.BIGINT;
      }
      if (FRACTION.matcher(text).matches()) {
        int scale = text.length() - text.indexOf('.') - 1;
        int digits = text.length() - (text.startsWith("-") ? 2 : 1);
        return digits <= Type.MAX_DECIMAL_PRECISION ? Type.decimal(digits, scale) : Type.DOUBLE;
      }
      if (value.isNumber()) {
        return Type.DOUBLE;
      }
      if (text.equals("true") || text.equals("false")) {
        return Type.BOOLEAN;
      }
    }
    return DATE.matcher(text).matches()
        ? Type.DATE
        : TIMESTAMP.matcher(text).matches() ? Type.TIMESTAMP : Type.VARCHAR;
  }

  private static Type wider(Type a, Type b) {
    if (a.equals(b)) {
      return a;
    }
    if (!a.isNumeric() || !b.isNumeric()) {
      return Type.VARCHAR;
    }
    Type both = NumberTypes.common(a, b);
    return Conform.fits(a, both) && Conform.fits(b, both) ? both : Type.DOUBLE;
  }
}
