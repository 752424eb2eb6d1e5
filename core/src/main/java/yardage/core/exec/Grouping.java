package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateSpec;

/** What is grouped by what, for all who hold some of the groups. Immutable. */
final class Grouping {
  final AggregateSpec spec;
  final StepTally tally;
  final ExecutionContext context;
  final List<Type> keyTypes;

  /** Of the keys, and behind them of all that is known of a group. */
  final List<Type> stateTypes;

  /** Whether some calls have a group's values in order, and can have them so on disk. */
  final boolean ranks;

  Grouping(AggregateSpec spec, StepTally tally, ExecutionContext context) {
    this.spec = spec;
    this.tally = tally;
    this.context = context;
    ranks = spec.calls().stream().anyMatch(RankedValues::computes);
    keyTypes = Arrays.stream(spec.keys()).mapToObj(k -> spec.input().field(k).type()).toList();
    List<Type> state = new ArrayList<>(keyTypes);
    for (AggregateCall call : spec.calls()) {
      state.addAll(accumulator(call).stateTypes());
    }
    stateTypes = List.copyOf(state);
  }

  Accumulator accumulator(AggregateCall call) {
    Schema in = spec.input();
    Type[] argumentTypes = new Type[1 + call.order().size()];
    argumentTypes[0] = call.argument() < 0 ? Type.BIGINT : in.field(call.argument()).type();
    for (int o = 0; o < call.order().size(); o++) {
      argumentTypes[o + 1] = in.field(call.order().get(o).ordinal()).type();
    }
    return Accumulator.of(call, context.cancel(), argumentTypes);
  }

  /** For groups with what is known of each so far. */
  Exchange exchange(int parts) {
    return new Exchange(parts, stateTypes, context, tally, "groups");
  }

  MemoryPool.Reservation claim() {
    return context.memory().reservation(tally, "groups");
  }
}
