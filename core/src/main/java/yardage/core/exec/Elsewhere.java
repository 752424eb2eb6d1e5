package yardage.core.exec;

import java.util.List;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Type;

/** In the place of an aggregate that is computed elsewhere: knows nothing, and gives nulls. */
final class Elsewhere extends Accumulator {
  private final Type type;
  private final List<Type> stateTypes;

  Elsewhere(Type type, List<Type> stateTypes) {
    this.type = type;
    this.stateTypes = stateTypes;
  }

  @Override
  void ensure(int groups) {}

  @Override
  void add(int[] groups, int rows, Column argument) {}

  @Override
  void addOrdered(int[] groups, int rows, Column[] columns) {}

  @Override
  void merge(int[] groups, int count, Accumulator other) {}

  @Override
  List<Type> stateTypes() {
    return stateTypes;
  }

  @Override
  List<Column> state(int groups) {
    return stateTypes.stream().map(t -> nulls(t, groups)).toList();
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {}

  @Override
  Column build(int groups) {
    return nulls(type, groups);
  }

  private static Column nulls(Type type, int groups) {
    ColumnBuilder out = ColumnBuilder.of(type);
    for (int g = 0; g < groups; g++) {
      out.appendNull();
    }
    return out.build();
  }

  @Override
  long sizeBytes() {
    return 0;
  }
}
