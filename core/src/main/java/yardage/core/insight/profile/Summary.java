package yardage.core.insight.profile;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/** What all workers have seen of a column, put together. */
final class Summary {
  private static final int MOST_COMMON = 10;
  private static final int MOST_SHAPES = 6;
  private static final int BUCKETS = 20;
  private static final double[] QUANTILES = {0.05, 0.25, 0.5, 0.75, 0.95};

  /** A value that stands for some of them. */
  private record Weighted(Object value, double weight) {}

  private final Schema.Field field;
  private final ColumnProfiler all;

  /** In order; exact where every value was counted, otherwise a sample. */
  private final List<Weighted> values;

  private final double weight;

  private Summary(Schema.Field field, ColumnProfiler all, List<Weighted> values) {
    this.field = field;
    this.all = all;
    this.values = values;
    this.weight = values.stream().mapToDouble(Weighted::weight).sum();
  }

  static Summary of(Schema.Field field, List<ColumnProfiler> workers) {
    ColumnProfiler all = new ColumnProfiler(0);
    workers.forEach(all::add);
    List<Weighted> values = new ArrayList<>();
    if (all.counts.missed() == 0) {
      all.counts.forEach((value, count) -> values.add(new Weighted(value, count)));
    } else {
      for (ColumnProfiler w : workers) {
        for (int i = 0; i < w.some.size(); i++) {
          values.add(new Weighted(w.some.get(i), (double) w.some.seen() / w.some.size()));
        }
      }
    }
    values.sort((a, b) -> ColumnProfiler.order(a.value(), b.value()));
    return new Summary(field, all, values);
  }

  long rows() {
    return all.rows;
  }

  Profile.ColumnProfile profile() {
    Type type = field.type();
    boolean isText = type.kind() == Type.Kind.VARCHAR;
    boolean exact = all.counts.missed() == 0;
    long distinct =
        exact ? all.counts.size() : Math.min(all.rows - all.nulls, all.distinct.estimate());
    List<Profile.Counted> commonest = commonest(exact);
    List<Profile.TextShape> shapes = isText ? shapes() : List.of();
    boolean ordered = all.smallest != null && type.kind() != Type.Kind.BOOLEAN;
    Profile.ColumnProfile plain =
        new Profile.ColumnProfile(
            field.name(),
            type.toString(),
            all.nulls,
            distinct,
            exact,
            ordered ? Optional.of(all.smallest) : Optional.empty(),
            ordered ? Optional.of(all.largest) : Optional.empty(),
            ordered ? quantiles() : List.of(),
            commonest,
            isText && all.shortest <= all.longest
                ? Optional.of(
                    new Profile.TextLengths(
                        all.shortest,
                        all.longest,
                        (double) all.characters / (all.rows - all.nulls)))
                : Optional.empty(),
            shapes,
            ordered && isOnLine(type) ? histogram() : List.of(),
            List.of());
    return new Profile.ColumnProfile(
        plain.name(),
        plain.type(),
        plain.nulls(),
        plain.distinct(),
        plain.isExact(),
        plain.smallest(),
        plain.largest(),
        plain.quantiles(),
        plain.commonest(),
        plain.lengths(),
        plain.shapes(),
        plain.histogram(),
        Findings.of(all, plain));
  }

  private List<Profile.Counted> commonest(boolean exact) {
    List<Profile.Counted> out = new ArrayList<>();
    all.counts.forEach((value, count) -> out.add(new Profile.Counted(value, count, exact)));
    out.sort(
        Comparator.comparingLong(Profile.Counted::count)
            .reversed()
            .thenComparing(Profile.Counted::value, ColumnProfiler::order));
    return List.copyOf(out.subList(0, Math.min(MOST_COMMON, out.size())));
  }

  private List<Object> quantiles() {
    List<Object> out = new ArrayList<>();
    for (double q : QUANTILES) {
      double left = q * weight;
      Object at = values.get(values.size() - 1).value();
      for (Weighted v : values) {
        left -= v.weight();
        if (left <= 0) {
          at = v.value();
          break;
        }
      }
      out.add(at);
    }
    return out;
  }

  private List<Profile.TextShape> shapes() {
    Map<String, double[]> weights = new LinkedHashMap<>();
    Map<String, String> examples = new LinkedHashMap<>();
    for (Weighted v : values) {
      String shape = Shapes.of((String) v.value());
      weights.computeIfAbsent(shape, s -> new double[1])[0] += v.weight();
      examples.putIfAbsent(shape, (String) v.value());
    }
    return weights.entrySet().stream()
        .map(
            e ->
                new Profile.TextShape(
                    e.getKey(), e.getValue()[0] / weight, examples.get(e.getKey())))
        .sorted(
            Comparator.comparingDouble(Profile.TextShape::share)
                .reversed()
                .thenComparing(Profile.TextShape::shape))
        .limit(MOST_SHAPES)
        .toList();
  }

  private List<Profile.Bucket> histogram() {
    double low = place(all.smallest);
    double high = place(all.largest);
    if (!Double.isFinite(low) || !Double.isFinite(high)) {
      return List.of();
    }
    Type.Kind kind = field.type().kind();
    boolean whole = kind == Type.Kind.INT || kind == Type.Kind.BIGINT || kind == Type.Kind.DATE;
    int buckets =
        low == high ? 1 : whole && high - low < BUCKETS ? (int) (high - low) + 1 : BUCKETS;
    // Each whole number has a bucket of its own where there are few.
    double width = whole && buckets < BUCKETS ? 1 : (high - low) / buckets;
    double[] counts = new double[buckets];
    double scale = (all.rows - all.nulls) / weight;
    for (Weighted v : values) {
      int at = width == 0 ? 0 : (int) ((place(v.value()) - low) / width);
      counts[Math.max(0, Math.min(buckets - 1, at))] += v.weight() * scale;
    }
    List<Profile.Bucket> out = new ArrayList<>();
    for (int i = 0; i < buckets; i++) {
      Object from = i == 0 ? all.smallest : at(low + i * width);
      Object to = i == buckets - 1 ? all.largest : at(low + (i + 1) * width);
      out.add(new Profile.Bucket(from, to, Math.round(counts[i])));
    }
    return out;
  }

  /** Whether values lie on a line. */
  private static boolean isOnLine(Type type) {
    return switch (type.kind()) {
      case INT, BIGINT, FLOAT, DOUBLE, DECIMAL, DATE, TIME, TIMESTAMP, TIMESTAMP_TZ -> true;
      case BOOLEAN, VARCHAR, BINARY, UUID, STRUCT, LIST, MAP -> false;
    };
  }

  /** Where a value lies on a line: numbers as they are, dates in days, times in seconds. */
  static double place(Object value) {
    if (value instanceof LocalDate date) {
      return date.toEpochDay();
    } else if (value instanceof LocalDateTime time) {
      return time.toEpochSecond(ZoneOffset.UTC) + time.getNano() / 1e9;
    } else if (value instanceof Instant time) {
      return time.getEpochSecond() + time.getNano() / 1e9;
    } else if (value instanceof LocalTime time) {
      return time.toNanoOfDay() / 1e9;
    }
    return ((Number) value).doubleValue();
  }

  /** The value at a place of the line. */
  private Object at(double place) {
    return switch (field.type().kind()) {
      case INT, BIGINT -> Math.round(place);
      case DATE -> LocalDate.ofEpochDay(Math.round(place));
      case TIME -> LocalTime.ofSecondOfDay(Math.round(place));
      case TIMESTAMP_TZ -> Instant.ofEpochSecond(Math.round(place));
      case TIMESTAMP -> LocalDateTime.ofEpochSecond(Math.round(place), 0, ZoneOffset.UTC);
      case DECIMAL -> new BigDecimal(place).setScale(field.type().scale(), RoundingMode.HALF_EVEN);
      default -> place;
    };
  }
}
