package yardage.core.sql;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Aggregate;
import org.apache.calcite.rel.core.AggregateCall;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.SetOp;
import org.apache.calcite.rel.core.TableScan;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexOver;
import org.apache.calcite.rex.RexVisitorImpl;
import org.apache.calcite.sql.SqlKind;

/**
 * Where the columns of algebra come from: for each, the columns of the relations that it reads.
 *
 * <p>A column is the same as its origin when it has its values, but for type, case and blanks. What
 * decides which rows come, such as a condition, is no origin.
 */
public final class ColumnOrigins {
  private static final Set<String> TIDYING =
      Set.of("TRIM", "UPPER", "LOWER", NestedFunctions.COLLAPSE, NestedFunctions.PLAIN);

  /** A column of a relation. */
  public record Origin(String relation, String column, boolean same) {
    private Origin changed() {
      return new Origin(relation, column, false);
    }
  }

  private ColumnOrigins() {}

  /** The origins of each column that {@code rel} gives. */
  public static List<Set<Origin>> of(RelNode rel) {
    int columns = rel.getRowType().getFieldCount();
    List<Set<Origin>> out = new ArrayList<>();
    if (rel instanceof TableScan scan) {
      String name = String.join(".", scan.getTable().getQualifiedName());
      for (String column : rel.getRowType().getFieldNames()) {
        out.add(Set.of(new Origin(name, column, true)));
      }
    } else if (rel instanceof Project project) {
      List<Set<Origin>> input = of(project.getInput());
      project.getProjects().forEach(e -> out.add(of(e, input)));
    } else if (rel instanceof Aggregate aggregate) {
      List<Set<Origin>> input = of(aggregate.getInput());
      aggregate.getGroupSet().forEach(g -> out.add(input.get(g)));
      for (AggregateCall call : aggregate.getAggCallList()) {
        Set<Origin> from = new LinkedHashSet<>();
        call.getArgList().forEach(a -> from.addAll(input.get(a)));
        if (call.filterArg >= 0) {
          from.addAll(input.get(call.filterArg));
        }
        out.add(changed(from));
      }
    } else if (rel instanceof Join join) {
      out.addAll(of(join.getLeft()));
      if (columns > out.size()) {
        out.addAll(of(join.getRight()));
      }
    } else if (rel instanceof SetOp) {
      for (int c = 0; c < columns; c++) {
        Set<Origin> from = new LinkedHashSet<>();
        for (RelNode input : rel.getInputs()) {
          from.addAll(of(input).get(c));
        }
        out.add(from);
      }
    } else if (rel.getInputs().size() == 1) {
      // Filters, sorts, borders and our own steps: columns of the same name are the same.
      List<Set<Origin>> input = of(rel.getInput(0));
      List<String> names = rel.getInput(0).getRowType().getFieldNames();
      for (String column : rel.getRowType().getFieldNames()) {
        int at = names.indexOf(column);
        out.add(at < 0 ? Set.of() : input.get(at));
      }
    } else {
      for (int c = 0; c < columns; c++) {
        out.add(Set.of());
      }
    }
    return out;
  }

  private static Set<Origin> of(RexNode e, List<Set<Origin>> input) {
    if (e instanceof RexInputRef ref) {
      return input.get(ref.getIndex());
    }
    if (e instanceof RexCall call && !(e instanceof RexOver)) {
      boolean tidies =
          call.getKind() == SqlKind.CAST
              || TIDYING.contains(call.getOperator().getName().toUpperCase(java.util.Locale.ROOT));
      List<RexNode> columns =
          call.getOperands().stream()
              .filter(o -> !(o instanceof org.apache.calcite.rex.RexLiteral))
              .toList();
      if (tidies && columns.size() == 1) {
        return of(columns.get(0), input);
      }
    }
    Set<Origin> out = new LinkedHashSet<>();
    e.accept(
        new RexVisitorImpl<Void>(true) {
          @Override
          public Void visitInputRef(RexInputRef ref) {
            out.addAll(input.get(ref.getIndex()));
            return null;
          }
        });
    return changed(out);
  }

  private static Set<Origin> changed(Set<Origin> from) {
    Set<Origin> out = new LinkedHashSet<>();
    from.forEach(o -> out.add(o.changed()));
    return out;
  }
}
