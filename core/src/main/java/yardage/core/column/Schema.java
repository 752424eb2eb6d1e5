package yardage.core.column;

import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.stream.IntStream;

/** An ordered list of named, typed columns; names are unique whatever their case. */
public record Schema(List<Field> fields) {

  /** One column of a schema. */
  public record Field(String name, Type type, boolean nullable) {
    public Field(String name, Type type) {
      this(name, type, true);
    }
  }

  public Schema {
    fields = List.copyOf(fields);
    Set<String> seen = new HashSet<>();
    for (Field field : fields) {
      if (!seen.add(field.name().toLowerCase(Locale.ROOT))) {
        throw new IllegalArgumentException("Column [%s] is there twice".formatted(field.name()));
      }
    }
  }

  public static Schema of(Field... fields) {
    return new Schema(List.of(fields));
  }

  public int size() {
    return fields.size();
  }

  public Field field(int ordinal) {
    return fields.get(ordinal);
  }

  /** The ordinal of a column whatever the case of its name, or -1. */
  public int indexOf(String name) {
    for (int i = 0; i < fields.size(); i++) {
      if (fields.get(i).name().equalsIgnoreCase(name)) {
        return i;
      }
    }
    return -1;
  }

  /** The ordinals of all columns. */
  public int[] ordinals() {
    return IntStream.range(0, fields.size()).toArray();
  }

  public List<Type> types() {
    return fields.stream().map(Field::type).toList();
  }

  public List<String> names() {
    return fields.stream().map(Field::name).toList();
  }

  public Schema project(int[] ordinals) {
    return new Schema(java.util.Arrays.stream(ordinals).mapToObj(fields::get).toList());
  }
}
