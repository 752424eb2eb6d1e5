package yardage.core.star.model;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import yardage.core.column.Schema;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.star.Calendar;
import yardage.core.star.DimensionLayout;
import yardage.core.star.model.StarModel.Dimension;

/**
 * Finds hierarchies among the attributes of a dimension: a column stands below another one where
 * each of its values comes with one value of the other, which is a functional dependence. It may
 * hold nearly: a loom that moved stands under two halls. Counts of distinct values and of distinct
 * pairs decide it, as in Huhtala et al., <i>TANE</i>, 1999; a dependence holds for at least {@code
 * 1 - (pairs - values) / values} of the values.
 */
public final class Hierarchies {
  /** For so many of a column's values the one above must be the only one. */
  static final double NEARLY = 0.9;

  /**
   * A level below has so many times the values of the one above; with fewer they are nearly one.
   */
  static final double COARSER = 1.3;

  /** Rows of a dimension that are looked at. */
  public static final int MOST_ROWS = 200_000;

  /** With more columns the pairs are too many. */
  static final int MOST_COLUMNS = 16;

  private static final int MOST_FOUND = 6;

  private static final Set<String> TOLD_BY_STEP =
      Set.of(
          DimensionLayout.VALID_FROM,
          DimensionLayout.VALID_TO,
          DimensionLayout.IS_CURRENT,
          DimensionLayout.GONE_AT,
          DimensionLayout.IS_PLACEHOLDER);

  private static final Map<String, List<String>> OF_CALENDARS =
      Map.of(
          "months",
          List.of("year_number", "quarter_number", "month_number", "calendar_day"),
          "weeks",
          List.of("iso_year", "iso_week", "calendar_day"),
          "fiscal",
          List.of("fiscal_year", "fiscal_quarter", "fiscal_month", "calendar_day"));

  private final Dimension dimension;
  private final StarTables tables;
  private final List<String> columns;
  private final String members;

  private Hierarchies(
      Dimension dimension, StarTables tables, List<String> columns, String members) {
    this.dimension = dimension;
    this.tables = tables;
    this.columns = columns;
    this.members = members;
  }

  /**
   * A level.
   *
   * @param values how many distinct ones it has
   * @param same columns that tell the same members apart
   */
  public record Level(String column, long values, List<String> same) {}

  /**
   * A hierarchy.
   *
   * @param name one that is proposed for it
   * @param levels from the whole to its parts
   * @param share of the finest level's values, those that stand under one value of each above
   */
  public record Found(String dimension, String name, List<Level> levels, double share) {}

  /**
   * The hierarchies of a dimension that its document does not name yet, the ones with most levels
   * first. Of tables with very many columns or rows the first are looked at.
   */
  public static List<Found> of(Dimension dimension, Schema schema, StarTables tables) {
    List<String> calendar = Calendar.SCHEMA.names();
    boolean days = calendar.stream().allMatch(c -> schema.indexOf(c) >= 0);
    List<String> columns =
        schema.fields().stream()
            .filter(f -> describes(dimension, f))
            .map(Schema.Field::name)
            .filter(c -> !days || !calendar.contains(c))
            .limit(MOST_COLUMNS)
            .toList();
    Hierarchies search = new Hierarchies(dimension, tables, columns, members(dimension, schema));
    List<Found> out = new ArrayList<>(days ? search.calendars() : List.of());
    if (columns.size() > 1) {
      out.addAll(search.dependences());
    }
    return out.stream().filter(f -> !isKnown(dimension, f)).limit(MOST_FOUND).toList();
  }

  private static boolean describes(Dimension d, Schema.Field f) {
    boolean reads =
        switch (f.type().kind()) {
          case VARCHAR, INT, BIGINT, DATE, UUID -> true;
          default -> false;
        };
    return reads
        && !f.name().equalsIgnoreCase(d.key().text())
        && !TOLD_BY_STEP.contains(f.name().toLowerCase(Locale.ROOT))
        && d.numbers().stream().noneMatch(n -> n.text().equalsIgnoreCase(f.name()));
  }

  /** Members as they are now: neither the unknown one, nor versions of before, nor placeholders. */
  private static String members(Dimension d, Schema schema) {
    List<String> conditions = new ArrayList<>();
    int key = schema.indexOf(d.key().text());
    if (key >= 0 && schema.field(key).type().isNumeric()) {
      conditions.add(q(d.key().text()) + " >= 0");
    }
    if (schema.indexOf(DimensionLayout.IS_CURRENT) >= 0) {
      conditions.add(q(DimensionLayout.IS_CURRENT));
    }
    if (schema.indexOf(DimensionLayout.IS_PLACEHOLDER) >= 0) {
      conditions.add(q(DimensionLayout.IS_PLACEHOLDER) + " IS NOT TRUE");
    }
    return conditions.isEmpty() ? "TRUE" : String.join(" AND ", conditions);
  }

  private static boolean isKnown(Dimension d, Found f) {
    List<String> levels = f.levels().stream().map(Level::column).toList();
    return d.hierarchies().containsKey(f.name())
        || d.hierarchies().values().stream()
            .anyMatch(h -> h.stream().map(TextValue::text).toList().containsAll(levels));
  }

  /** Those of the calendar step, by how it counts days; levels of one value say nothing. */
  private List<Found> calendars() {
    List<String> all = OF_CALENDARS.values().stream().flatMap(List::stream).distinct().toList();
    Map<String, Long> values = new LinkedHashMap<>();
    List<Long> counted = counts(all.stream().map(c -> "COUNT(DISTINCT %s)".formatted(q(c))));
    for (int i = 0; i < all.size(); i++) {
      values.put(all.get(i), counted.get(i));
    }
    return OF_CALENDARS.entrySet().stream()
        .sorted(Map.Entry.comparingByKey())
        .map(
            e ->
                new Found(
                    dimension.name(),
                    e.getKey(),
                    e.getValue().stream()
                        .filter(c -> values.get(c) > 1)
                        .map(c -> new Level(c, values.get(c), List.of()))
                        .toList(),
                    1))
        .filter(f -> f.levels().size() > 1)
        .toList();
  }

  private static String q(String column) {
    return StarSql.q(column);
  }

  private List<Long> counts(Stream<String> counted) {
    String sql =
        "SELECT %s FROM (SELECT * FROM %s WHERE %s FETCH FIRST %d ROWS ONLY) AS d"
            .formatted(
                counted.collect(Collectors.joining(", ")),
                StarSql.q(dimension.table()),
                members,
                MOST_ROWS);
    return tables.query(sql).get(0).stream().map(v -> ((Number) v).longValue()).toList();
  }

  private List<Found> dependences() {
    int n = columns.size();
    List<String> asked = new ArrayList<>();
    columns.forEach(c -> asked.add("COUNT(DISTINCT %s)".formatted(q(c))));
    for (int i = 0; i < n; i++) {
      for (int j = i + 1; j < n; j++) {
        asked.add("COUNT(DISTINCT %s, %s)".formatted(q(columns.get(i)), q(columns.get(j))));
      }
    }
    List<Long> counts = counts(asked.stream());
    long[][] pairs = new long[n][n];
    int next = n;
    for (int i = 0; i < n; i++) {
      for (int j = i + 1; j < n; j++) {
        pairs[i][j] = counts.get(next);
        pairs[j][i] = counts.get(next++);
      }
    }
    return new Lattice(columns, counts.subList(0, n), pairs).chains(dimension.name());
  }

  /** Which columns stand below which. */
  private record Lattice(List<String> columns, List<Long> values, long[][] pairs) {

    /** How many of the values of one column stand under one value of another. */
    private double share(int fine, int coarse) {
      return 1 - Math.abs(pairs[fine][coarse] - values.get(fine)) / (double) values.get(fine);
    }

    private boolean isSame(int a, int b) {
      return values.get(a) > 1
          && values.get(a).equals(values.get(b))
          && pairs[a][b] == values.get(a);
    }

    private boolean isBelow(int fine, int coarse) {
      return values.get(coarse) > 1
          && values.get(coarse) * COARSER <= values.get(fine)
          && share(fine, coarse) >= NEARLY;
    }

    /** The longest chains, so that each column is in one where it can be. */
    List<Found> chains(String dimension) {
      List<Integer> levels = new ArrayList<>();
      for (int i = 0; i < columns.size(); i++) {
        int column = i;
        if (values.get(i) > 1 && levels.stream().noneMatch(l -> isSame(l, column))) {
          levels.add(i);
        }
      }
      levels.sort(Comparator.comparing(values::get));
      List<Found> out = new ArrayList<>();
      List<Integer> left = new ArrayList<>(levels);
      while (!left.isEmpty()) {
        List<Integer> chain = longest(levels, left);
        if (chain.size() < 2) {
          break;
        }
        left.removeAll(chain);
        out.add(found(dimension, chain));
      }
      return out;
    }

    /** The chain with most columns that are in none yet; each stands below all before it. */
    private List<Integer> longest(List<Integer> levels, List<Integer> left) {
      List<List<Integer>> best = new ArrayList<>();
      List<Integer> longest = List.of();
      for (int l : levels) {
        List<Integer> mine = List.of(l);
        for (List<Integer> above : best) {
          List<Integer> with = new ArrayList<>(above);
          with.add(l);
          if (above.stream().allMatch(a -> isBelow(l, a)) && gain(with, left) > gain(mine, left)) {
            mine = with;
          }
        }
        best.add(mine);
        if (gain(mine, left) > gain(longest, left)) {
          longest = mine;
        }
      }
      return longest;
    }

    private static long gain(List<Integer> chain, List<Integer> left) {
      return chain.size() < 2 ? 0 : chain.stream().filter(left::contains).count();
    }

    private Found found(String dimension, List<Integer> chain) {
      int finest = chain.get(chain.size() - 1);
      return new Found(
          dimension,
          columns.get(chain.get(0)),
          chain.stream()
              .map(
                  l ->
                      new Level(
                          columns.get(l),
                          values.get(l),
                          columns.stream()
                              .filter(c -> columns.indexOf(c) != l && isSame(l, columns.indexOf(c)))
                              .toList()))
              .toList(),
          chain.subList(0, chain.size() - 1).stream()
              .mapToDouble(l -> share(finest, l))
              .min()
              .orElse(1));
    }
  }
}
