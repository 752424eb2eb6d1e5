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
  private final UnlikeValues values;

  Distinct(AggregateCall call, CancelToken cancel, Type argument) {
    this.cancel = cancel;
    this.call = call;
    this.argument = argument;
    this.values = new UnlikeValues(argument);
  }

  @Override
  void ensure(int groups) {}

  @Override
  void add(int[] groups, int rows, Column column) {
    values.add(groups, rows, column);
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    values.addAll(groups, ((Distinct) other).values);
  }

  @Override
  List<Type> stateTypes() {
    return List.of(Type.list(argument));
  }

  @Override
  List<Column> state(int groups) {
    return values.lists(groups);
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    values.addLists(groups, count, (ListColumn) state.get(0));
  }

  @Override
  Column build(int groups) {
    Column[] distinct = values.build();
    Accumulator plain =
        of(new AggregateCall(call.function(), 0, false, -1, call.type()), cancel, argument);
    plain.ensure(groups);
    plain.add(((IntColumn) distinct[0]).values(), distinct[0].size(), distinct[1]);
    return plain.build(groups);
  }

  @Override
  long sizeBytes() {
    return values.sizeBytes();
  }
}
