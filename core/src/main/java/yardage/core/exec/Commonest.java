package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;

/**
 * MODE: how often each value of a group is there, and at the end the value that is there most
 * often; of several, the least.
 */
final class Commonest extends Accumulator {
  private final Type argument;
  private final boolean distinct;
  private final KeyTable pairs;
  private long[] counts = new long[64];
  private int[] numbers = new int[0];

  /**
   * @param distinct whether each value counts once
   */
  Commonest(Type argument, boolean distinct) {
    this.argument = argument;
    this.distinct = distinct;
    this.pairs = new KeyTable(new Type[] {Type.INT, argument});
  }

  @Override
  void ensure(int groups) {}

  @Override
  void add(int[] groups, int rows, Column values) {
    int[] present = new int[rows];
    int n = 0;
    for (int i = 0; i < rows; i++) {
      present[n] = i;
      n += values.isNull(i) ? 0 : 1;
    }
    Column owners = new IntColumn(Type.INT, groups, null, rows).gather(present, n);
    long[] once = new long[n];
    Arrays.fill(once, 1);
    count(owners, values.gather(present, n), n, once);
  }

  /**
   * @param times how often each value counts
   */
  private void count(Column owners, Column values, int n, long[] times) {
    numbers = numbers.length < n ? new int[n] : numbers;
    pairs.numberOf(new Column[] {owners, values}, n, numbers);
    if (pairs.count() > counts.length) {
      counts = Arrays.copyOf(counts, Math.max(pairs.count(), 2 * counts.length));
    }
    for (int i = 0; i < n; i++) {
      counts[numbers[i]] += times[i];
    }
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    Commonest theirs = (Commonest) other;
    Column[] found = theirs.pairs.build();
    int n = found[0].size();
    int[] mapped = new int[n];
    for (int i = 0; i < n; i++) {
      mapped[i] = groups[((IntColumn) found[0]).values()[i]];
    }
    count(new IntColumn(Type.INT, mapped, null, n), found[1], n, theirs.counts);
  }

  @Override
  List<Type> stateTypes() {
    return List.of(Type.list(argument), Type.list(Type.BIGINT));
  }

  @Override
  List<Column> state(int groups) {
    Column[] found = pairs.build();
    int n = found[0].size();
    return Groupings.lists(
        ((IntColumn) found[0]).values(),
        n,
        groups,
        List.of(found[1], new LongColumn(Type.BIGINT, counts, null, n)));
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    ListColumn values = (ListColumn) state.get(0);
    int[] owners = Groupings.owners(values, groups, count);
    Column times = ((ListColumn) state.get(1)).elements();
    count(
        new IntColumn(Type.INT, owners, null, owners.length),
        values.elements(),
        owners.length,
        ((LongColumn) times).values());
  }

  @Override
  Column build(int groups) {
    Column[] found = pairs.build();
    int[] best = new int[groups];
    Arrays.fill(best, -1);
    for (int i = 0; i < found[0].size(); i++) {
      int group = ((IntColumn) found[0]).values()[i];
      int c = best[group] < 0 ? 1 : distinct ? 0 : Long.compare(counts[i], counts[best[group]]);
      if (c > 0 || c == 0 && Values.compare(found[1], i, found[1], best[group]) < 0) {
        best[group] = i;
      }
    }
    return found[1].gather(best, groups);
  }

  @Override
  long sizeBytes() {
    return pairs.sizeBytes() + 8L * counts.length;
  }
}
