package yardage.core.exec;

import java.util.List;
import yardage.core.column.*;
import yardage.core.plan.AggregateCall;

/**
 * Any function over the distinct values of each group: remembers them all, and computes at the end.
 */
final class Distinct extends Accumulator {
  private final AggregateCall call;
  private final CancelToken cancel;
  private final Type argument;
  private final KeyTable pairs;
  private int[] numbers = new int[0];

  Distinct(AggregateCall call, CancelToken cancel, Type argument) {
    this.cancel = cancel;
    this.call = call;
    this.argument = argument;
    this.pairs = new KeyTable(new Type[] {Type.INT, argument});
  }

  @Override
  void ensure(int groups) {}

  @Override
  void add(int[] groups, int rows, Column values) {
    Column groupColumn = new IntColumn(Type.INT, groups, null, rows);
    if (values.hasNulls()) {
      int[] present = new int[rows];
      int n = 0;
      for (int i = 0; i < rows; i++) {
        if (!values.isNull(i)) {
          present[n++] = i;
        }
      }
      groupColumn = groupColumn.gather(present, n);
      values = values.gather(present, n);
      rows = n;
    }
    if (numbers.length < rows) {
      numbers = new int[rows];
    }
    pairs.numberOf(new Column[] {groupColumn, values}, rows, numbers);
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    Column[] theirs = ((Distinct) other).pairs.build();
    int rows = theirs[0].size();
    int[] old = ((IntColumn) theirs[0]).values();
    int[] mapped = new int[rows];
    for (int i = 0; i < rows; i++) {
      mapped[i] = groups[old[i]];
    }
    add(mapped, rows, theirs[1]);
  }

  @Override
  List<Type> stateTypes() {
    return List.of(Type.list(argument));
  }

  @Override
  List<Column> state(int groups) {
    Column[] distinct = pairs.build();
    return Groupings.lists(
        ((IntColumn) distinct[0]).values(), distinct[0].size(), groups, List.of(distinct[1]));
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    ListColumn lists = (ListColumn) state.get(0);
    add(Groupings.owners(lists, groups, count), lists.elements().size(), lists.elements());
  }

  @Override
  Column build(int groups) {
    Column[] distinct = pairs.build();
    Accumulator plain =
        of(new AggregateCall(call.function(), 0, false, -1, call.type()), cancel, argument);
    plain.ensure(groups);
    plain.add(((IntColumn) distinct[0]).values(), distinct[0].size(), distinct[1]);
    return plain.build(groups);
  }

  @Override
  long sizeBytes() {
    return pairs.sizeBytes();
  }
}
