package yardage.core.exec;

import java.util.List;
import yardage.core.column.*;

/** The unlike values of each group, numbered as they come; nulls are left out. */
final class UnlikeValues {
  private final KeyTable pairs;
  private int[] numbers = new int[0];

  UnlikeValues(Type value) {
    pairs = new KeyTable(new Type[] {Type.INT, value});
  }

  int count() {
    return pairs.count();
  }

  /** The numbers of the values that were added last. */
  int[] numbers() {
    return numbers;
  }

  /**
   * Adds row {@code i} of {@code values} to group {@code groups[i]}.
   *
   * @return how many are not null; these have the first {@link #numbers}
   */
  int add(int[] groups, int rows, Column values) {
    Column owners = new IntColumn(Type.INT, groups, null, rows);
    int n = rows;
    if (values.hasNulls()) {
      int[] present = new int[rows];
      n = 0;
      for (int i = 0; i < rows; i++) {
        present[n] = i;
        n += values.isNull(i) ? 0 : 1;
      }
      owners = owners.gather(present, n);
      values = values.gather(present, n);
    }
    if (numbers.length < n) {
      numbers = new int[n];
    }
    pairs.numberOf(new Column[] {owners, values}, n, numbers);
    return n;
  }

  /**
   * Adds those of another, in their order; its group {@code g} is {@code groups[g]} here.
   *
   * @return how many
   */
  int addAll(int[] groups, UnlikeValues other) {
    Column[] theirs = other.build();
    int n = theirs[0].size();
    int[] mapped = new int[n];
    for (int i = 0; i < n; i++) {
      mapped[i] = groups[((IntColumn) theirs[0]).values()[i]];
    }
    return add(mapped, n, theirs[1]);
  }

  /** Adds lists, one for each group, that {@link #lists} made. */
  int addLists(int[] groups, int count, ListColumn lists) {
    int[] owners = Groupings.owners(lists, groups, count);
    return add(owners, owners.length, lists.elements());
  }

  /**
   * The values of each group as lists.
   *
   * @param beside columns of what stands beside each value, made into lists too
   */
  List<Column> lists(int groups, Column... beside) {
    Column[] found = build();
    Column[] columns = new Column[1 + beside.length];
    columns[0] = found[1];
    System.arraycopy(beside, 0, columns, 1, beside.length);
    return Groupings.lists(
        ((IntColumn) found[0]).values(), found[0].size(), groups, List.of(columns));
  }

  /** The group of each value, and the values, by their numbers. Nothing is to be added any more. */
  Column[] build() {
    return pairs.build();
  }

  long sizeBytes() {
    return pairs.sizeBytes();
  }
}
