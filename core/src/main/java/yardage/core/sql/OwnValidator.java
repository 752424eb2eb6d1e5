package yardage.core.sql;

import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.apache.calcite.rel.type.RelDataTypeFactory;
import org.apache.calcite.rel.type.RelDataTypeField;
import org.apache.calcite.sql.JoinType;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlJoin;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlSelect;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlBasicVisitor;
import org.apache.calcite.sql.util.SqlShuttle;
import org.apache.calcite.sql.validate.SqlValidatorCatalogReader;
import org.apache.calcite.sql.validate.SqlValidatorImpl;
import org.apache.calcite.sql.validate.SqlValidatorUtil;

/**
 * Validation in which a condition may name a column of {@code USING} without a table, as the list
 * of columns may: there is one of it (SQL:2016 part 2, 7.10). The library knows this of all clauses
 * but WHERE and queries within.
 */
final class OwnValidator extends SqlValidatorImpl {
  OwnValidator(SqlValidatorCatalogReader catalog, RelDataTypeFactory typeFactory, Config config) {
    super(NestedFunctions.operators(), catalog, typeFactory, config);
  }

  @Override
  protected void validateWhereClause(SqlSelect select) {
    if (select.getFrom() instanceof SqlJoin from) {
      Set<String> shared = new TreeSet<>(String.CASE_INSENSITIVE_ORDER);
      collectShared(from, shared);
      if (!shared.isEmpty()) {
        Qualifying qualifying = new Qualifying(from, shared);
        if (select.getWhere() != null) {
          select.setWhere(select.getWhere().accept(qualifying));
        }
        // The library knows the columns themselves here, and not in queries within.
        SqlBasicVisitor<Void> within = qualifying.within();
        select.getSelectList().accept(within);
        Optional.ofNullable(select.getHaving()).ifPresent(h -> h.accept(within));
        Optional.ofNullable(select.getQualify()).ifPresent(q -> q.accept(within));
      }
    }
    super.validateWhereClause(select);
  }

  private void collectShared(SqlNode from, Set<String> out) {
    if (from instanceof SqlJoin join) {
      collectShared(join.getLeft(), out);
      collectShared(join.getRight(), out);
      Optional.ofNullable(usingNames(join)).ifPresent(out::addAll);
    }
  }

  /** A column of what stands behind FROM, with the table that it is taken from. */
  private Optional<SqlNode> column(SqlNode from, String name, SqlParserPos at) {
    if (!(from instanceof SqlJoin join)) {
      RelDataTypeField field = getNamespace(from).getRowType().getField(name, false, false);
      String table = SqlValidatorUtil.alias(from);
      return field == null || table == null
          ? Optional.empty()
          : Optional.of(
              new SqlIdentifier(List.of(table, field.getName()), null, at, List.of(at, at)));
    }
    Optional<SqlNode> left = column(join.getLeft(), name, at);
    Optional<SqlNode> right = column(join.getRight(), name, at);
    if (left.isEmpty() || right.isEmpty()) {
      return left.isEmpty() ? right : left;
    }
    if (join.getJoinType() == JoinType.FULL) {
      return Optional.of(SqlStdOperatorTable.COALESCE.createCall(at, left.get(), right.get()));
    }
    return join.getJoinType() == JoinType.RIGHT ? right : left;
  }

  /** The columns of what stands behind FROM. */
  private Set<String> columns(SqlNode from) {
    Set<String> out = new TreeSet<>(String.CASE_INSENSITIVE_ORDER);
    if (from instanceof SqlJoin join) {
      out.addAll(columns(join.getLeft()));
      out.addAll(columns(join.getRight()));
    } else if (from != null && getNamespace(from) != null) {
      out.addAll(getNamespace(from).getRowType().getFieldNames());
    }
    return out;
  }

  /**
   * Names get the table that their column is taken from. Queries within are changed in place, since
   * the library knows them already: there, names are those of columns of their own first.
   */
  private final class Qualifying extends SqlShuttle {
    private final SqlJoin from;
    private final Set<String> shared;

    Qualifying(SqlJoin from, Set<String> shared) {
      this.from = from;
      this.shared = shared;
    }

    @Override
    public SqlNode visit(SqlCall call) {
      if (!call.isA(SqlKind.QUERY)) {
        return super.visit(call);
      }
      inPlace(call);
      return call;
    }

    @Override
    public SqlNode visit(SqlIdentifier id) {
      return id.isSimple() && shared.contains(id.getSimple())
          ? column(from, id.getSimple(), id.getParserPosition()).orElse(id)
          : id;
    }

    /** Goes through expressions, and changes the queries in them only. */
    SqlBasicVisitor<Void> within() {
      return new SqlBasicVisitor<>() {
        @Override
        public Void visit(SqlCall call) {
          if (call.isA(SqlKind.QUERY)) {
            inPlace(call);
            return null;
          }
          return super.visit(call);
        }
      };
    }

    private void inPlace(SqlCall query) {
      if (!(query instanceof SqlSelect select)) {
        for (SqlNode part : query.getOperandList()) {
          if (part instanceof SqlCall call && call.isA(SqlKind.QUERY)) {
            inPlace(call);
          }
        }
        return;
      }
      Set<String> left = new TreeSet<>(shared);
      left.removeAll(columns(select.getFrom()));
      if (left.isEmpty()) {
        return;
      }
      Qualifying inner = new Qualifying(from, left);
      select.setSelectList((SqlNodeList) select.getSelectList().accept(inner));
      if (select.getWhere() != null) {
        select.setWhere(select.getWhere().accept(inner));
      }
      if (select.getHaving() != null) {
        select.setHaving(select.getHaving().accept(inner));
      }
    }
  }
}
