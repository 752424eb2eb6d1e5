package yardage.core.pipeline.read;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Predicate;
import java.util.regex.Pattern;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/**
 * Columns chosen by name, by pattern, by type or by place, so that a step need not name any. What
 * is said of type, pattern and place must all be true of a column; names come on top, and
 * exceptions go again.
 *
 * @param names exact names, each of which must be there
 * @param types all columns of one of these kinds; every column when empty
 * @param like all columns whose name fits one of these, with {@code *} for any run of characters
 * @param places all columns at these places, counted from 1, or from the end when negative
 * @param except names, or patterns, taken out again
 */
public record ColumnChoice(
    List<Located> names,
    List<Predicate<Type>> types,
    List<Pattern> like,
    List<Place> places,
    List<Located> except) {

  /** Some places in a row, both inclusive. */
  record Place(int first, int last) {
    private static final Pattern TEXT =
        Pattern.compile("(-?[1-9][0-9]*)(?:\\.\\.(-?[1-9][0-9]*))?");

    /** Reads {@code 2}, {@code -1} or {@code 2..4}. */
    static Place parse(String text) {
      var m = TEXT.matcher(text.strip());
      if (!m.matches()) {
        throw new IllegalArgumentException(
            "Invalid place [%s]: write a column's number, -1 for the last, or a range as in 2..4"
                .formatted(text));
      }
      int first = Integer.parseInt(m.group(1));
      return new Place(first, m.group(2) == null ? first : Integer.parseInt(m.group(2)));
    }

    boolean has(int ordinal, int size) {
      int from = first > 0 ? first : size + 1 + first;
      int to = last > 0 ? last : size + 1 + last;
      return ordinal + 1 >= from && ordinal + 1 <= to;
    }
  }

  /** Columns of exactly these names. */
  static ColumnChoice named(List<Located> names) {
    return new ColumnChoice(names, List.of(), List.of(), List.of(), List.of());
  }

  /**
   * The ordinals chosen, in the order of the input; names that are not there go into {@code
   * unknown}.
   */
  public List<Integer> resolve(Schema schema, List<Located> unknown) {
    List<Integer> out = new ArrayList<>();
    for (Located name : names) {
      int at = schema.indexOf(name.text());
      if (at < 0) {
        unknown.add(name);
      } else if (!out.contains(at)) {
        out.add(at);
      }
    }
    boolean rules = !types.isEmpty() || !like.isEmpty() || !places.isEmpty();
    if (names.isEmpty() || rules) {
      for (int i = 0; i < schema.size(); i++) {
        Schema.Field f = schema.field(i);
        int ordinal = i;
        boolean fits =
            (types.isEmpty() || types.stream().anyMatch(t -> t.test(f.type())))
                && (like.isEmpty() || like.stream().anyMatch(p -> p.matcher(f.name()).matches()))
                && (places.isEmpty()
                    || places.stream().anyMatch(p -> p.has(ordinal, schema.size())));
        if (fits && !out.contains(i)) {
          out.add(i);
        }
      }
    }
    for (Located name : except) {
      if (name.text().contains("*")) {
        Pattern p = pattern(name.text());
        out.removeIf(i -> p.matcher(schema.field(i).name()).matches());
        continue;
      }
      int at = schema.indexOf(name.text());
      if (at < 0) {
        unknown.add(name);
      }
      out.remove((Integer) at);
    }
    return out;
  }

  /** Reads a type, or {@code number}, {@code text}, {@code time} or {@code nested} for several. */
  static Predicate<Type> types(String text) {
    return switch (text.strip()) {
      case "number" -> Type::isNumeric;
      case "text" -> t -> t.kind() == Type.Kind.VARCHAR;
      case "time" -> t -> t.hasDays() || t.kind() == Type.Kind.TIME;
      case "nested" -> Type::isNested;
      case "decimal" -> t -> t.kind() == Type.Kind.DECIMAL;
      default -> {
        Type type = Type.parse(text);
        yield t -> t.kind() == type.kind();
      }
    };
  }

  public static Pattern pattern(String glob) {
    StringBuilder regex = new StringBuilder();
    for (char c : glob.toCharArray()) {
      regex.append(c == '*' ? "(.*)" : Pattern.quote(String.valueOf(c)));
    }
    return Pattern.compile(regex.toString(), Pattern.CASE_INSENSITIVE);
  }
}
