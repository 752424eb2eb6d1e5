package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.SortKey;

/**
 * Functions that need a group's values all at once, in an order: they are kept until the end. Nulls
 * are skipped. Without an order the values' own order counts, so that the result never depends on
 * which worker came first.
 */
final class GatheredValues extends Accumulator {
  private final AggregateCall call;
  private final CancelToken cancel;
  private final Type[] types;
  private final ColumnBuilder[] kept;
  private int[] groupOf = new int[256];
  private int size;

  /**
   * @param cancel looked at while values are sorted
   * @param types of the argument, then of the columns to order by
   */
  GatheredValues(AggregateCall call, CancelToken cancel, Type[] types) {
    this.call = call;
    this.cancel = cancel;
    this.types = types;
    this.kept = Arrays.stream(types).map(ColumnBuilder::of).toArray(ColumnBuilder[]::new);
  }

  @Override
  void ensure(int groups) {}

  @Override
  void add(int[] groups, int rows, Column argument) {
    addOrdered(groups, rows, new Column[] {argument});
  }

  @Override
  void addOrdered(int[] groups, int rows, Column[] columns) {
    for (int i = 0; i < rows; i++) {
      if (columns[0].isNull(i)) {
        continue;
      }
      if (size == groupOf.length) {
        groupOf = Arrays.copyOf(groupOf, size * 2);
      }
      groupOf[size++] = groups[i];
      for (int c = 0; c < kept.length; c++) {
        kept[c].append(columns[c], i);
      }
    }
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    GatheredValues theirs = (GatheredValues) other;
    int[] mapped = new int[theirs.size];
    for (int i = 0; i < mapped.length; i++) {
      mapped[i] = groups[theirs.groupOf[i]];
    }
    addOrdered(
        mapped,
        mapped.length,
        Arrays.stream(theirs.kept).map(ColumnBuilder::build).toArray(Column[]::new));
  }

  @Override
  List<Type> stateTypes() {
    return Arrays.stream(types).map(Type::list).toList();
  }

  @Override
  List<Column> state(int groups) {
    return Groupings.lists(
        groupOf, size, groups, Arrays.stream(kept).map(ColumnBuilder::build).toList());
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    Column[] columns = new Column[state.size()];
    for (int c = 0; c < columns.length; c++) {
      columns[c] = ((ListColumn) state.get(c)).elements();
    }
    int[] owners = Groupings.owners((ListColumn) state.get(0), groups, count);
    addOrdered(owners, owners.length, columns);
  }

  @Override
  long sizeBytes() {
    long sum = 4L * groupOf.length;
    for (ColumnBuilder k : kept) {
      sum += k.sizeBytes();
    }
    return sum;
  }

  @Override
  Column build(int groups) {
    List<Column> columns = new ArrayList<>();
    for (ColumnBuilder k : kept) {
      columns.add(k.build());
    }
    int[] starts = new int[groups + 1];
    for (int i = 0; i < size; i++) {
      starts[groupOf[i] + 1]++;
    }
    for (int g = 0; g < groups; g++) {
      starts[g + 1] += starts[g];
    }
    int[] at = starts.clone();
    int[] rows = new int[size];
    for (int i = 0; i < size; i++) {
      rows[at[groupOf[i]]++] = i;
    }
    List<SortKey> keys = new ArrayList<>();
    for (int i = 0; i < call.order().size(); i++) {
      SortKey k = call.order().get(i);
      keys.add(new SortKey(i + 1, k.descending(), k.nullsFirst()));
    }
    // Values break ties, for the same reason.
    if (!columns.get(0).type().isNested()) {
      keys.add(new SortKey(0, false, false));
    }
    RowOrder order = new RowOrder(keys);
    int[] picked = new int[groups];
    TextBuilder texts = new TextBuilder();
    double[] numbers = new double[groups];
    long[] nulls = Bits.allocate(Math.max(1, groups));
    int[] offsets = new int[groups + 1];
    int[] elements = new int[size];
    int listed = 0;
    for (int g = 0; g < groups; g++) {
      int[] part = Arrays.copyOfRange(rows, starts[g], starts[g + 1]);
      order.sort(columns, part, cancel);
      int n = call.distinct() ? distinct(columns.get(0), part) : part.length;
      if (n == 0) {
        Bits.set(nulls, g);
      }
      switch (call.function()) {
        case PERCENTILE_DISC ->
            picked[g] = n == 0 ? -1 : part[(int) Shares.reached(call.parameter(), n)];
        case MODE -> picked[g] = mode(columns.get(0), part, n);
        case JOINED -> joined(columns.get(0), part, n, texts);
        case PERCENTILE -> numbers[g] = n == 0 ? 0 : percentile(columns.get(0), part, n);
        case LIST -> {
          System.arraycopy(part, 0, elements, listed, n);
          listed += n;
        }
        default -> {
          // The others are computed elsewhere.
        }
      }
      offsets[g + 1] = listed;
    }
    boolean anyNull = Arrays.stream(nulls).anyMatch(w -> w != 0);
    return switch (call.function()) {
      case JOINED -> texts.build();
      case PERCENTILE -> new DoubleColumn(numbers, anyNull ? nulls : null, groups);
      case LIST ->
          new ListColumn(
              call.type(),
              offsets,
              columns.get(0).gather(elements, listed),
              anyNull ? nulls : null,
              groups);
      default -> columns.get(0).gather(picked, groups);
    };
  }

  /** Moves the first of each value to the front, in the order that they have; gives how many. */
  private static int distinct(Column values, int[] part) {
    java.util.Set<Object> seen = new java.util.HashSet<>();
    int n = 0;
    for (int row : part) {
      if (seen.add(values.value(row))) {
        part[n++] = row;
      }
    }
    return n;
  }

  /** The value that is there most often; of several, the one that comes first. */
  private static int mode(Column values, int[] part, int n) {
    java.util.Map<Object, Integer> counts = new java.util.HashMap<>();
    for (int i = 0; i < n; i++) {
      counts.merge(values.value(part[i]), 1, Integer::sum);
    }
    int best = -1;
    int most = 0;
    for (int i = 0; i < n; i++) {
      int count = counts.get(values.value(part[i]));
      if (count > most) {
        most = count;
        best = part[i];
      }
    }
    return best;
  }

  private void joined(Column values, int[] part, int n, TextBuilder out) {
    if (n == 0) {
      out.appendNull();
      return;
    }
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < n; i++) {
      text.append(i > 0 ? call.parameter() : "").append(Values.text(values.value(part[i])));
    }
    out.append(text.toString());
  }

  /** Between the two values nearest to that share, as {@code PERCENTILE_CONT} of SQL:2016 does. */
  private double percentile(Column values, int[] part, int n) {
    double at = Shares.between(call.parameter(), n);
    int low = (int) Math.floor(at);
    double below = number(values, part[low]);
    return Shares.value(at, below, low + 1 < n ? number(values, part[low + 1]) : below);
  }

  private static double number(Column values, int row) {
    return ((Number) values.value(row)).doubleValue();
  }
}
