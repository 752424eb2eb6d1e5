package yardage.core.sql;

import java.util.Arrays;
import java.util.List;
import org.apache.calcite.plan.RelOptCluster;
import org.apache.calcite.plan.RelTraitSet;
import org.apache.calcite.prepare.RelOptTableImpl;
import org.apache.calcite.rel.BiRel;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.RelWriter;
import org.apache.calcite.rel.core.RepeatUnion;
import org.apache.calcite.rel.core.Spool;
import org.apache.calcite.rel.core.TableScan;
import org.apache.calcite.rel.logical.LogicalTableScan;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexShuttle;
import org.apache.calcite.rex.RexSubQuery;
import org.apache.calcite.schema.TransientTable;
import yardage.core.column.Schema;
import yardage.core.expr.Expression;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;
import yardage.core.plan.WorkingRows;

/**
 * A query that names itself, in the algebra: the left input is how it begins, the right one reads
 * what the round before has added. Rules do not see through it, and it needs all columns of both.
 */
final class RecursiveRel extends BiRel {
  private static final RexShuttle IN_SUBQUERIES =
      new RexShuttle() {
        @Override
        public RexNode visitSubQuery(RexSubQuery query) {
          return ((RexSubQuery) super.visitSubQuery(query)).clone(inPlace(query.rel));
        }
      };

  private final String name;
  private final boolean keepsAll;
  private final RelDataType type;

  private RecursiveRel(
      RelOptCluster cluster,
      RelNode first,
      RelNode step,
      String name,
      boolean keepsAll,
      RelDataType type) {
    super(cluster, cluster.traitSet(), first, step);
    this.name = name;
    this.keepsAll = keepsAll;
    this.type = type;
  }

  /** Such nodes in the place of the library's, which work through tables of its own. */
  static RelNode inPlace(RelNode rel) {
    return rel.accept(
        new RelHomogeneousShuttle() {
          @Override
          public RelNode visit(RelNode other) {
            RelNode node = super.visit(other).accept(IN_SUBQUERIES);
            if (node instanceof Spool spool) {
              return spool.getInput();
            }
            return node instanceof RepeatUnion union
                ? new RecursiveRel(
                    union.getCluster(),
                    union.getSeedRel(),
                    union.getIterativeRel(),
                    last(union.getTransientTable().getQualifiedName()),
                    union.all,
                    union.getRowType())
                : node;
          }

          @Override
          public RelNode visit(TableScan scan) {
            if (scan.getTable().unwrap(TransientTable.class) == null) {
              return scan;
            }
            String name = last(scan.getTable().getQualifiedName());
            RelDataType type = scan.getRowType();
            return LogicalTableScan.create(
                scan.getCluster(),
                RelOptTableImpl.create(
                    scan.getTable().getRelOptSchema(),
                    type,
                    List.of(name),
                    new RelationTable(new Working(name, SqlTypes.schema(type))),
                    c -> null),
                List.of());
          }
        });
  }

  /** Whether a relation is what a recursive query reads of itself. */
  static boolean isWorking(Relation relation) {
    return relation instanceof Working;
  }

  private static String last(List<String> names) {
    return names.get(names.size() - 1);
  }

  String name() {
    return name;
  }

  boolean keepsAll() {
    return keepsAll;
  }

  @Override
  protected RelDataType deriveRowType() {
    return type;
  }

  @Override
  public RelNode copy(RelTraitSet traits, List<RelNode> inputs) {
    return new RecursiveRel(getCluster(), inputs.get(0), inputs.get(1), name, keepsAll, type);
  }

  @Override
  public RelWriter explainTerms(RelWriter writer) {
    return super.explainTerms(writer).item("name", name).item("all", keepsAll);
  }

  /** What the step reads. */
  private record Working(String name, Schema schema) implements Relation {
    private static final double ROWS = 1000;

    @Override
    public double rowCount() {
      return ROWS;
    }

    @Override
    public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
      PlanNode all = new PlanNode.Scan(new WorkingRows(name), schema, step);
      List<Expression> out =
          Arrays.stream(columns)
              .mapToObj(c -> Expression.input(c, schema.field(c).type()))
              .toList();
      return new PlanNode.Project(all, out, schema.project(columns));
    }
  }
}
