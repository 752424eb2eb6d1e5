package yardage.core.exec;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.expr.Expression;
import yardage.core.plan.AggregateSpec;
import yardage.core.plan.ExpressionInputs;
import yardage.core.plan.JoinSpec;
import yardage.core.plan.Operation;
import yardage.core.plan.Output;
import yardage.core.plan.SortKey;
import yardage.core.plan.Stage;

/**
 * Which columns somebody reads behind each operation of a chain. A join puts rows together column
 * by column; its keys, and what an earlier join has compared, are seldom read again.
 */
final class ReadColumns implements Operation.Visitor<Optional<BitSet>> {
  private final Map<Integer, Holding> earlier;

  /** Of what comes out of the operation that is looked at; empty for all columns. */
  private Optional<BitSet> read;

  private ReadColumns(Output output, Map<Integer, Holding> earlier) {
    this.earlier = earlier;
    this.read =
        output instanceof Output.Groups groups
            ? Optional.of(readBy(groups.spec()))
            : Optional.empty();
  }

  /** For each operation what is read of the columns that it gives; empty for all. */
  static List<Optional<BitSet>> of(
      Stage.Chain chain, Output output, Map<Integer, Holding> earlier) {
    ReadColumns all = new ReadColumns(output, earlier);
    List<Optional<BitSet>> out = new ArrayList<>();
    for (int i = chain.operations().size() - 1; i >= 0; i--) {
      out.add(0, all.read);
      all.read = chain.operations().get(i).accept(all);
    }
    return out;
  }

  private static BitSet readBy(AggregateSpec spec) {
    BitSet out = new BitSet();
    for (int key : spec.keys()) {
      out.set(key);
    }
    spec.calls()
        .forEach(
            c -> {
              out.set(Math.max(0, c.argument()), c.argument() + 1);
              out.set(Math.max(0, c.filter()), c.filter() + 1);
              c.order().stream().mapToInt(SortKey::ordinal).forEach(out::set);
            });
    return out;
  }

  @Override
  public Optional<BitSet> filter(Operation.Filter filter) {
    return and(filter.condition());
  }

  private Optional<BitSet> and(Expression condition) {
    return read.map(
        r -> {
          BitSet out = (BitSet) r.clone();
          ExpressionInputs.add(condition, out);
          return out;
        });
  }

  @Override
  public Optional<BitSet> project(Operation.Project project) {
    BitSet out = new BitSet();
    project.expressions().forEach(e -> ExpressionInputs.add(e, out));
    return Optional.of(out);
  }

  /** Whoever counts rows there may look at them. */
  @Override
  public Optional<BitSet> border(Operation.Border border) {
    return Optional.empty();
  }

  @Override
  public Optional<BitSet> apply(Operation.Apply apply) {
    return Optional.empty();
  }

  @Override
  public Optional<BitSet> probe(Operation.Probe probe) {
    JoinSpec spec = ((JoinSink) earlier.get(probe.stage())).spec();
    if (!spec.kind().givesLeft()) {
      read = Optional.of(new BitSet());
    }
    return (spec.residual().isPresent() ? and(spec.residual().get()) : read)
        .map(
            r -> {
              BitSet left = r.get(0, spec.left().size());
              for (int key : spec.leftKeys()) {
                left.set(key);
              }
              return left;
            });
  }
}
