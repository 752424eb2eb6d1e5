package yardage.core.sql;

import org.apache.calcite.sql.validate.SqlConformance;
import org.apache.calcite.sql.validate.SqlConformanceEnum;
import org.apache.calcite.sql.validate.SqlDelegatingConformance;

/**
 * The standard's SQL, and what most programs take beside it: {@code GROUP BY 1}, names that the
 * select list gives in GROUP BY and HAVING, {@code !=}, and {@code %} for MOD.
 */
final class Conformance extends SqlDelegatingConformance {
  static final SqlConformance INSTANCE = new Conformance();

  private Conformance() {
    super(SqlConformanceEnum.DEFAULT);
  }

  @Override
  public boolean isGroupByOrdinal() {
    return true;
  }

  @Override
  public boolean isGroupByAlias() {
    return true;
  }

  @Override
  public boolean isHavingAlias() {
    return true;
  }

  @Override
  public boolean isPercentRemainderAllowed() {
    return true;
  }

  @Override
  public boolean isBangEqualAllowed() {
    return true;
  }

  @Override
  public boolean isOffsetLimitAllowed() {
    return true;
  }
}
