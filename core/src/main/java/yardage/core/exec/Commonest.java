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
  private final UnlikeValues values;
  private long[] counts = new long[64];

  /**
   * @param distinct whether each value counts once
   */
  Commonest(Type argument, boolean distinct) {
    this.argument = argument;
    this.distinct = distinct;
    this.values = new UnlikeValues(argument);
  }

  @Override
  void ensure(int groups) {}

  @Override
  void add(int[] groups, int rows, Column column) {
    long[] once = new long[rows];
    Arrays.fill(once, 1);
    count(values.add(groups, rows, column), once);
  }

  /** Counts the {@code n} values that were added last, each so many times. */
  private void count(int n, long[] times) {
    if (values.count() > counts.length) {
      counts = Arrays.copyOf(counts, Math.max(values.count(), 2 * counts.length));
    }
    for (int i = 0; i < n; i++) {
      counts[values.numbers()[i]] += times[i];
    }
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    Commonest theirs = (Commonest) other;
    count(values.addAll(groups, theirs.values), theirs.counts);
  }

  @Override
  List<Type> stateTypes() {
    return List.of(Type.list(argument), Type.list(Type.BIGINT));
  }

  @Override
  List<Column> state(int groups) {
    return values.lists(groups, new LongColumn(Type.BIGINT, counts, null, values.count()));
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    Column times = ((ListColumn) state.get(1)).elements();
    count(values.addLists(groups, count, (ListColumn) state.get(0)), ((LongColumn) times).values());
  }

  @Override
  Column build(int groups) {
    Column[] found = values.build();
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
    return values.sizeBytes() + 8L * counts.length;
  }
}
