package yardage.core.sampler;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.expr.Cast;
import yardage.core.expr.ExpressionException;

/** The queries of a sampler's blocks, as ISO SQL. */
public final class SamplerSql {
  private static final int MOST_VALUES = 500;

  private final SamplerDocument document;
  private final Chosen chosen;

  public SamplerSql(SamplerDocument document, Chosen chosen) {
    this.document = document;
    this.chosen = chosen;
  }

  /**
   * A query.
   *
   * @param parameters values of what it writes as {@code :name}
   * @param by the columns that it goes by, a path's replaced by the one that is shown
   * @param passed columns of which something was chosen that these rows do not have
   */
  public record Asked(
      String sql,
      Map<String, Optional<String>> parameters,
      List<String> by,
      List<String> passed,
      int most) {}

  /**
   * What a block asks.
   *
   * @param columns those of what the block is over
   * @throws IllegalArgumentException when a chosen value is none of its column
   */
  public Asked of(Block.Question question, Schema columns) {
    if (question instanceof Block.Grouped grouped) {
      return grouped(grouped, columns);
    } else if (question instanceof Block.Listed listed) {
      return listed(listed, columns);
    } else if (question instanceof Block.Own own) {
      return own(own);
    }
    throw new AssertionError(question);
  }

  /** What a block is over; empty for a query of its own. */
  public static Optional<TextValue> over(Block.Question question) {
    if (question instanceof Block.Grouped grouped) {
      return Optional.of(grouped.over());
    }
    return question instanceof Block.Listed listed ? Optional.of(listed.over()) : Optional.empty();
  }

  /** The values of a column among the rows that the other choices leave. */
  public Asked values(String over, String column, Schema columns) {
    SamplerSql others = new SamplerSql(document, chosen.without(column));
    return new Asked(
        "SELECT DISTINCT %s FROM %s%s ORDER BY 1"
            .formatted(quoted(column), over, others.where(columns, Optional.empty())),
        Map.of(),
        List.of(),
        others.passed(columns),
        MOST_VALUES);
  }

  private Asked grouped(Block.Grouped block, Schema columns) {
    List<String> by = block.by().stream().map(b -> shown(b.text())).distinct().toList();
    List<String> items = new ArrayList<>();
    by.forEach(c -> items.add(quoted(c)));
    block
        .of()
        .forEach(
            (name, e) ->
                items.add(
                    name.text().equals(e.text())
                        ? quoted(e.text())
                        : e.text() + " AS " + quoted(name.text())));
    StringBuilder sql =
        new StringBuilder(
            "SELECT %s FROM %s".formatted(String.join(", ", items), block.over().text()));
    sql.append(where(columns, block.where()));
    if (!by.isEmpty()) {
      sql.append(" GROUP BY ").append(quoted(by));
    }
    List<String> order = block.order().stream().map(o -> ordered(o.text())).toList();
    if (!order.isEmpty() || !by.isEmpty()) {
      sql.append(" ORDER BY ").append(order.isEmpty() ? quoted(by) : String.join(", ", order));
    }
    return new Asked(sql.toString(), Map.of(), by, passed(columns), block.most());
  }

  private Asked listed(Block.Listed block, Schema columns) {
    String items =
        block.columns().isEmpty()
            ? "*"
            : quoted(block.columns().stream().map(TextValue::text).toList());
    String sql =
        "SELECT %s FROM %s%s".formatted(items, block.over().text(), where(columns, block.where()));
    if (!block.order().isEmpty()) {
      sql +=
          " ORDER BY "
              + block.order().stream()
                  .map(o -> ordered(o.text()))
                  .collect(Collectors.joining(", "));
    }
    return new Asked(sql, Map.of(), List.of(), passed(columns), block.most());
  }

  /** A query of its own takes what was chosen where it asks for it. */
  private Asked own(Block.Own own) {
    Map<String, Optional<String>> parameters = new LinkedHashMap<>();
    List<String> passed = new ArrayList<>();
    Set<String> known = new LinkedHashSet<>();
    document.choices().values().forEach(c -> known.add(c.column().text()));
    known.addAll(chosen.values().keySet());
    for (String column : known) {
      if (own.sql().text().matches("(?s).*:" + Pattern.quote(column) + "\\b.*")) {
        List<Optional<String>> values = chosen.values().getOrDefault(column, List.of());
        parameters.put(column, values.size() == 1 ? values.get(0) : Optional.empty());
      } else if (chosen.values().containsKey(column)) {
        passed.add(column);
      }
    }
    return new Asked(own.sql().text(), parameters, List.of(), passed, own.most());
  }

  /** The column that stands for a path: the first that has not come down to one value. */
  private String shown(String name) {
    List<TextValue> path = document.paths().get(name);
    if (path == null) {
      return name;
    }
    return path.stream()
        .map(TextValue::text)
        .filter(c -> !chosen.isOne(c))
        .findFirst()
        .orElse(path.get(path.size() - 1).text());
  }

  private String where(Schema columns, Optional<TextValue> own) {
    List<String> conditions = new ArrayList<>();
    own.ifPresent(c -> conditions.add("(" + c.text() + ")"));
    chosen
        .values()
        .forEach(
            (column, values) -> {
              int at = columns.indexOf(column);
              if (at >= 0) {
                conditions.add(condition(columns.field(at), values));
              }
            });
    return conditions.isEmpty() ? "" : " WHERE " + String.join(" AND ", conditions);
  }

  private List<String> passed(Schema columns) {
    return chosen.values().keySet().stream().filter(c -> columns.indexOf(c) < 0).toList();
  }

  private static String condition(Schema.Field column, List<Optional<String>> values) {
    String name = quoted(column.name());
    List<String> literals =
        values.stream().flatMap(Optional::stream).map(v -> literal(column, v)).toList();
    List<String> either = new ArrayList<>();
    if (!literals.isEmpty()) {
      either.add(
          literals.size() == 1
              ? name + " = " + literals.get(0)
              : "%s IN (%s)".formatted(name, String.join(", ", literals)));
    }
    if (values.contains(Optional.<String>empty())) {
      either.add(name + " IS NULL");
    }
    return either.size() == 1 ? either.get(0) : "(" + String.join(" OR ", either) + ")";
  }

  /** A value as SQL writes it; only what is a value of the column's type gets so far. */
  private static String literal(Schema.Field column, String value) {
    Type type = column.type();
    String text = "'" + value.replace("'", "''") + "'";
    if (type.kind() == Type.Kind.VARCHAR) {
      return text;
    }
    try {
      Cast.parse(value, type);
    } catch (ExpressionException e) {
      throw new IllegalArgumentException(
          "[%s] is no value of [%s], which is %s".formatted(value, column.name(), type));
    }
    boolean isNumber = type.kind() == Type.Kind.INT || type.kind() == Type.Kind.BIGINT;
    return isNumber ? value.strip() : "CAST(%s AS %s)".formatted(text, type);
  }

  private static String ordered(String text) {
    boolean descending = text.toLowerCase(java.util.Locale.ROOT).endsWith(" desc");
    String column = descending ? text.substring(0, text.length() - 5).strip() : text;
    return quoted(column) + (descending ? " DESC" : "");
  }

  private static String quoted(List<String> columns) {
    return columns.stream().map(SamplerSql::quoted).collect(Collectors.joining(", "));
  }

  private static String quoted(String column) {
    return '"' + column.replace("\"", "\"\"") + '"';
  }
}
