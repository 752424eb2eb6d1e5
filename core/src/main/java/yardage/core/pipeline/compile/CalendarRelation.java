package yardage.core.pipeline.compile;

import java.util.List;
import yardage.core.column.Schema;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;
import yardage.core.star.Calendar;
import yardage.core.star.CalendarDays;

/** A calendar's days as rows. */
public record CalendarRelation(Calendar calendar) implements Relation {
  @Override
  public Schema schema() {
    return Calendar.SCHEMA;
  }

  @Override
  public double rowCount() {
    return calendar.days();
  }

  @Override
  public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
    return new PlanNode.Scan(new CalendarDays(calendar, columns), schema().project(columns), step);
  }
}
