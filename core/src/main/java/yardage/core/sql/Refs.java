package yardage.core.sql;

import java.util.List;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexShuttle;

/** Expressions over other columns than they were written for. */
final class Refs {
  private Refs() {}

  /**
   * An expression over some columns, as one over these alone.
   *
   * @param columns all that it names, in their new order
   */
  static RexNode within(RexNode expression, List<Integer> columns) {
    return expression.accept(
        new RexShuttle() {
          @Override
          public RexNode visitInputRef(RexInputRef ref) {
            return new RexInputRef(columns.indexOf(ref.getIndex()), ref.getType());
          }
        });
  }
}
