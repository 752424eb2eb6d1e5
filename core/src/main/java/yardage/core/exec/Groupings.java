package yardage.core.exec;

import java.util.List;
import yardage.core.column.Column;
import yardage.core.column.ListColumn;
import yardage.core.column.Type;

/** Values of groups as lists, one list for each group, and back. */
final class Groupings {
  private Groupings() {}

  /**
   * @param groupOf the group of each of {@code size} values
   * @param values columns of the values, each made into a column of lists
   */
  static List<Column> lists(int[] groupOf, int size, int groups, List<Column> values) {
    int[] offsets = new int[groups + 1];
    for (int i = 0; i < size; i++) {
      offsets[groupOf[i] + 1]++;
    }
    for (int g = 0; g < groups; g++) {
      offsets[g + 1] += offsets[g];
    }
    int[] at = offsets.clone();
    int[] order = new int[size];
    for (int i = 0; i < size; i++) {
      order[at[groupOf[i]]++] = i;
    }
    return values.stream()
        .<Column>map(
            v -> new ListColumn(Type.list(v.type()), offsets, v.gather(order, size), null, groups))
        .toList();
  }

  /** For each element of the lists, {@code groups} of the list that it is in. */
  static int[] owners(ListColumn lists, int[] groups, int count) {
    int[] out = new int[lists.elements().size()];
    for (int g = 0; g < count; g++) {
      java.util.Arrays.fill(out, lists.offsets()[g], lists.offsets()[g + 1], groups[g]);
    }
    return out;
  }
}
