package yardage.core.sql;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.apache.calcite.rex.RexWindow;
import org.apache.calcite.rex.RexWindowExclusion;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlNumericLiteral;
import org.apache.calcite.sql.SqlOperator;
import org.apache.calcite.sql.SqlWindow;
import org.apache.calcite.sql.fun.SqlCase;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;

/**
 * What the library does not know of windows: frames that count groups of peers (SQL:2016, 7.15),
 * and FILTER and WITHIN GROUP before OVER.
 */
final class WindowWords {
  private static final String WITHIN =
      "WITHIN GROUP goes with OVER for PERCENTILE_CONT alone, with one column to order by; write other functions without OVER, in a query that groups";

  private WindowWords() {}

  /**
   * A window that counts groups where its word stood in the text. It goes on as one of rows that
   * leaves the group out: nobody else can leave it out, see {@link #refuseExclusion}.
   *
   * @param places where the words begin
   */
  static SqlNode inGroups(SqlWindow window, Set<SqlParserPos> places) {
    refuseExclusion(window);
    List<SqlNode> parts = window.getOperandList();
    SqlNode rows = parts.stream().filter(WindowWords::isTruth).findFirst().orElseThrow();
    SqlParserPos at = rows.getParserPosition();
    if (!places.contains(new SqlParserPos(at.getLineNum(), at.getColumnNum()))) {
      return window;
    }
    SqlParserPos whole = window.getParserPosition();
    return SqlWindow.create(
        window.getDeclName(),
        window.getRefName(),
        window.getPartitionList(),
        window.getOrderList(),
        SqlLiteral.createBoolean(true, at),
        window.getLowerBound(),
        window.getUpperBound(),
        null,
        SqlWindow.createExcludeGroup(at),
        whole);
  }

  private static boolean isTruth(SqlNode part) {
    return part instanceof SqlLiteral literal && literal.getValue() instanceof Boolean;
  }

  /** Whether a window counts groups of peers. */
  static boolean countsGroups(RexWindow window) {
    return window.getExclude() == RexWindowExclusion.EXCLUDE_GROUP;
  }

  private static void refuseExclusion(SqlWindow window) {
    SqlLiteral exclude = window.getExclude();
    if (exclude != null && !SqlWindow.isExcludeNoOthers(exclude)) {
      throw SqlProblemException.at(
          exclude.getParserPosition(),
          "%s is not supported; take the value away from what the whole frame gives, as in SUM(a) OVER (…) - a"
              .formatted(exclude.toString()));
    }
  }

  /** An aggregate over a window without what the library does not take there. */
  static SqlNode plain(SqlCall over) {
    SqlNode aggregate = over.operand(0);
    if (aggregate.getKind() == SqlKind.FILTER) {
      SqlCall filter = (SqlCall) aggregate;
      return over(over, filtered(filter.operand(0), filter.operand(1)));
    } else if (aggregate.getKind() == SqlKind.WITHIN_GROUP) {
      return over(over, within((SqlCall) aggregate));
    }
    return over;
  }

  private static SqlNode over(SqlCall over, SqlNode aggregate) {
    return SqlStdOperatorTable.OVER.createCall(
        over.getParserPosition(), aggregate, over.operand(1));
  }

  /** Aggregates skip nulls, so that the argument of rows that do not count is null. */
  private static SqlNode filtered(SqlNode of, SqlNode condition) {
    SqlCall call = (SqlCall) of;
    if (call.getKind() == SqlKind.WITHIN_GROUP) {
      call = (SqlCall) within(call);
    }
    SqlParserPos at = call.getParserPosition();
    List<SqlNode> operands = new ArrayList<>(call.getOperandList());
    boolean all = operands.size() == 1 && operands.get(0).toString().equals("*");
    SqlNode value = all ? SqlLiteral.createExactNumeric("1", at) : operands.get(0);
    operands.set(
        0,
        SqlCase.createSwitched(
            value.getParserPosition(),
            null,
            SqlNodeList.of(condition),
            SqlNodeList.of(value),
            SqlLiteral.createNull(at)));
    return call.getOperator()
        .createCall(call.getFunctionQuantifier(), at, operands.toArray(SqlNode[]::new));
  }

  private static SqlNode within(SqlCall within) {
    SqlCall call = within.operand(0);
    SqlNodeList order = within.operand(1);
    SqlParserPos at = call.getParserPosition();
    boolean shares =
        call.getOperator().getName().equalsIgnoreCase("PERCENTILE_CONT")
            && order.size() == 1
            && call.operand(0) instanceof SqlNumericLiteral;
    if (!shares) {
      throw SqlProblemException.at(at, WITHIN);
    }
    SqlNode by = order.get(0);
    SqlOperator percentile = NestedFunctions.named(NestedFunctions.PERCENTILE);
    if (by.getKind() != SqlKind.DESCENDING) {
      return percentile.createCall(at, by, call.operand(0));
    }
    BigDecimal share = ((SqlLiteral) call.operand(0)).bigDecimalValue();
    return percentile.createCall(
        at,
        ((SqlCall) by).operand(0),
        SqlLiteral.createExactNumeric(BigDecimal.ONE.subtract(share).toPlainString(), at));
  }
}
