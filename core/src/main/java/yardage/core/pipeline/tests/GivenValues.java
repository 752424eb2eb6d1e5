package yardage.core.pipeline.tests;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import yardage.core.column.Batch;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.ListColumn;
import yardage.core.column.Schema;
import yardage.core.column.StructColumn;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.ListValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.expr.Cast;
import yardage.core.expr.ExpressionException;
import yardage.core.expr.Literal;
import yardage.core.pipeline.read.PipelineDocument;

/** Rows of a test's document as values of columns; what a row does not name is null. */
final class GivenValues {
  private final String step;
  private final Schema schema;
  private final List<Problem> problems;

  /**
   * @param step whose rows they are
   * @param problems takes what is wrong with the values
   */
  GivenValues(String step, Schema schema, List<Problem> problems) {
    this.step = step;
    this.schema = schema;
    this.problems = problems;
  }

  /** The rows, with all columns of the step. */
  Batch batch(List<TestDocument.Row> rows) {
    rows.forEach(this::checkNames);
    List<Column> columns = new ArrayList<>();
    for (Schema.Field field : schema.fields()) {
      List<Optional<DocumentValue>> values =
          rows.stream().map(r -> named(r.values(), field.name())).toList();
      columns.add(column(field.name(), field.type(), values));
    }
    return new Batch(columns, rows.size(), 0);
  }

  /** The columns that some row names, in the order of the schema. */
  List<Integer> columns(List<TestDocument.Row> rows) {
    Set<String> names =
        rows.stream()
            .flatMap(r -> r.values().keySet().stream())
            .map(t -> t.text().toLowerCase(Locale.ROOT))
            .collect(Collectors.toSet());
    List<Integer> out = new ArrayList<>();
    for (int c = 0; c < schema.size(); c++) {
      if (names.contains(schema.field(c).name().toLowerCase(Locale.ROOT))) {
        out.add(c);
      }
    }
    return out;
  }

  /** Some values of a row, as people read them. */
  static List<Optional<String>> texts(Batch batch, int row, List<Integer> columns) {
    return columns.stream()
        .map(c -> Optional.ofNullable(batch.column(c).value(row)).map(Values::text))
        .toList();
  }

  private void checkNames(TestDocument.Row row) {
    for (TextValue name : row.values().keySet()) {
      if (schema.indexOf(name.text()) < 0) {
        problems.add(
            new Problem(
                Problem.Severity.ERROR,
                "unknown-column",
                step,
                name.text(),
                name.place(),
                "Step [%s] has no column [%s]%s"
                    .formatted(step, name.text(), Names.instead(name.text(), schema.names())),
                Names.nearest(name.text(), schema.names())));
      }
    }
  }

  private static Optional<DocumentValue> named(Map<TextValue, DocumentValue> in, String name) {
    return in.entrySet().stream()
        .filter(e -> e.getKey().text().equalsIgnoreCase(name))
        .map(Map.Entry::getValue)
        .flatMap(v -> present(v).stream())
        .findFirst();
  }

  private static Optional<DocumentValue> present(DocumentValue value) {
    return value instanceof TextValue t && t.isNull() ? Optional.empty() : Optional.of(value);
  }

  private Column column(String name, Type type, List<Optional<DocumentValue>> values) {
    return switch (type.kind()) {
      case STRUCT -> structs(name, type, values);
      case LIST, MAP -> lists(name, type, values);
      default -> plain(name, type, values);
    };
  }

  private Column plain(String name, Type type, List<Optional<DocumentValue>> values) {
    ColumnBuilder builder = ColumnBuilder.of(type);
    for (Optional<DocumentValue> value : values) {
      Optional<Literal> literal = value.flatMap(v -> literal(name, type, v));
      if (literal.isPresent()) {
        builder.append(literal.get().column(1), 0);
      } else {
        builder.appendNull();
      }
    }
    return builder.build();
  }

  private Optional<Literal> literal(String name, Type type, DocumentValue value) {
    if (!(value instanceof TextValue text)) {
      wrong(name, value.place(), "[%s] is %s, one plain value".formatted(name, type));
      return Optional.empty();
    }
    if (type.kind() == Type.Kind.VARCHAR) {
      return Optional.of(Literal.of(type, text.text()));
    }
    try {
      return Optional.of(Cast.parse(text.text(), type));
    } catch (ExpressionException e) {
      wrong(name, text.place(), e.getMessage());
      return Optional.empty();
    }
  }

  private void wrong(String name, Place place, String message) {
    problems.add(PipelineDocument.error(step, name, "wrong-value", place, message));
  }

  private static long[] nulls(List<Optional<DocumentValue>> values) {
    long[] out = Bits.allocate(values.size());
    for (int i = 0; i < values.size(); i++) {
      if (values.get(i).isEmpty()) {
        Bits.set(out, i);
      }
    }
    return out;
  }

  private Column structs(String name, Type type, List<Optional<DocumentValue>> values) {
    List<Column> fields = new ArrayList<>();
    for (Type.Part part : type.parts()) {
      List<Optional<DocumentValue>> of = new ArrayList<>();
      for (Optional<DocumentValue> value : values) {
        of.add(value.flatMap(v -> map(name, type, v)).flatMap(m -> named(m, part.name())));
      }
      fields.add(column(name + "." + part.name(), part.type(), of));
    }
    return new StructColumn(type, fields, nulls(values), values.size());
  }

  private Optional<Map<TextValue, DocumentValue>> map(String name, Type type, DocumentValue v) {
    if (v instanceof MapValue map) {
      return Optional.of(map.entries());
    }
    wrong(name, v.place(), "[%s] is %s, written {name: value}".formatted(name, type));
    return Optional.empty();
  }

  private Column lists(String name, Type type, List<Optional<DocumentValue>> values) {
    int[] offsets = new int[values.size() + 1];
    List<Optional<DocumentValue>> elements = new ArrayList<>();
    List<Optional<DocumentValue>> keys = new ArrayList<>();
    for (int i = 0; i < values.size(); i++) {
      Optional<DocumentValue> value = values.get(i);
      if (value.isPresent() && type.kind() == Type.Kind.MAP) {
        map(name, type, value.get())
            .ifPresent(
                m ->
                    m.forEach(
                        (k, v) -> {
                          keys.add(Optional.of(k));
                          elements.add(present(v));
                        }));
      } else if (value.isPresent() && value.get() instanceof ListValue list) {
        list.items().forEach(v -> elements.add(present(v)));
      } else {
        value.ifPresent(
            v -> wrong(name, v.place(), "[%s] is %s, written [a, b]".formatted(name, type)));
      }
      offsets[i + 1] = elements.size();
    }
    if (type.kind() == Type.Kind.LIST) {
      return new ListColumn(
          type, offsets, column(name, type.element(), elements), nulls(values), values.size());
    }
    Type entry = type.entry();
    Column pairs =
        new StructColumn(
            entry,
            List.of(
                column(name, entry.parts().get(0).type(), keys),
                column(name, entry.parts().get(1).type(), elements)),
            Bits.allocate(elements.size()),
            elements.size());
    return new ListColumn(type, offsets, pairs, nulls(values), values.size());
  }
}
