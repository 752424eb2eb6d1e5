package yardage.core.sql;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlOrderBy;
import org.apache.calcite.sql.SqlSelect;
import org.apache.calcite.sql.SqlWith;
import org.apache.calcite.sql.parser.SqlParserPos;
import yardage.core.column.Schema;
import yardage.core.expr.Expression;
import yardage.core.plan.PlanNode;

/** Calls the columns of a query that have no name by what is written for them. */
public final class ColumnNames {
  private static final int LONGEST = 40;

  private final List<Optional<Item>> written;

  /**
   * What stands in the list.
   *
   * @param isColumn whether it is the name of a column, which it has already but for columns of
   *     USING
   */
  private record Item(String text, boolean isColumn) {
    boolean names(String now) {
      return !isColumn || now.startsWith("$");
    }
  }

  private ColumnNames(List<Optional<Item>> written) {
    this.written = written;
  }

  /**
   * What stands in the select list of a query, which was just parsed from the text.
   *
   * @param sql as it was parsed from line 1, column 1
   */
  public static ColumnNames of(SqlNode query, String sql) {
    SqlNode body = query;
    while (body instanceof SqlOrderBy || body instanceof SqlWith) {
      body = body instanceof SqlOrderBy o ? o.query : ((SqlWith) body).body;
    }
    List<Optional<Item>> out = new ArrayList<>();
    if (body instanceof SqlSelect select) {
      String[] lines = sql.split("\n", -1);
      for (SqlNode item : select.getSelectList()) {
        out.add(item(item, lines));
      }
    }
    return new ColumnNames(out);
  }

  private static Optional<Item> item(SqlNode node, String[] lines) {
    if (node.getKind() == SqlKind.AS) {
      return Optional.empty();
    }
    return Optional.of(
        node instanceof SqlIdentifier column
            ? new Item(column.names.get(column.names.size() - 1), true)
            : new Item(text(lines, node.getParserPosition()), false));
  }

  private static String text(String[] lines, SqlParserPos at) {
    StringBuilder out = new StringBuilder();
    for (int l = at.getLineNum(); l <= at.getEndLineNum(); l++) {
      String line = lines[l - 1];
      int from = l == at.getLineNum() ? at.getColumnNum() - 1 : 0;
      int to =
          l == at.getEndLineNum() ? Math.min(line.length(), at.getEndColumnNum()) : line.length();
      // A parameter was parsed as one character.
      boolean parameter = to > from && line.charAt(to - 1) == ':';
      while (parameter && to < line.length() && QueryParameters.isOfName(line.charAt(to))) {
        to++;
      }
      out.append(line, from, to).append(' ');
    }
    String text = out.toString().strip().replaceAll("\\s+", " ");
    return text.length() > LONGEST ? text.substring(0, LONGEST) + "…" : text;
  }

  /** The plan with such names; names that are there already get a number. */
  public PlanNode in(PlanNode plan) {
    Schema schema = plan.schema();
    if (schema.size() != written.size()) {
      // A star stands for several columns, all of which have names.
      return plan;
    }
    Set<String> taken = new HashSet<>(schema.names());
    List<Schema.Field> fields = new ArrayList<>();
    List<Expression> same = new ArrayList<>();
    for (int i = 0; i < schema.size(); i++) {
      Schema.Field field = schema.field(i);
      String wanted =
          written.get(i).filter(w -> w.names(field.name())).map(Item::text).orElse(field.name());
      String name = wanted;
      for (int n = 2; !name.equals(field.name()) && !taken.add(name); n++) {
        name = wanted + " (" + n + ")";
      }
      fields.add(new Schema.Field(name, field.type(), field.nullable()));
      same.add(Expression.input(i, field.type()));
    }
    Schema named = new Schema(fields);
    return named.equals(schema) ? plan : new PlanNode.Project(plan, same, named);
  }
}
