package yardage.core.sql;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.apache.calcite.sql.JoinConditionType;
import org.apache.calcite.sql.SqlBasicCall;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlJoin;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.SqlOrderBy;
import org.apache.calcite.sql.SqlSelect;
import org.apache.calcite.sql.SqlWith;
import org.apache.calcite.sql.SqlWithItem;
import org.apache.calcite.sql.util.SqlBasicVisitor;

/**
 * The relations that a query reads and their columns, by the names that the query has for them, so
 * that a message about a column names those that were meant and no others.
 *
 * @param joined the columns that USING names
 * @param renamed the name that the query gives a relation, by the relation's own in lower case
 */
record VisibleColumns(
    Map<String, List<String>> byName, Set<String> joined, Map<String, String> renamed) {
  VisibleColumns {
    byName = new LinkedHashMap<>(byName);
    joined = Set.copyOf(joined);
    renamed = Map.copyOf(renamed);
  }

  static VisibleColumns of(SqlNode query, PlanSession.Scope scope) {
    Map<String, Relation> relations = new LinkedHashMap<>();
    scope.relations().forEach((name, r) -> relations.put(name.toLowerCase(Locale.ROOT), r));
    Set<String> joined = new LinkedHashSet<>();
    Map<String, String> renamed = new LinkedHashMap<>();
    Map<String, List<String>> out = new LinkedHashMap<>();
    query.accept(
        new SqlBasicVisitor<Void>() {
          @Override
          public Void visit(SqlCall call) {
            if (call.getKind() == SqlKind.AS
                && call instanceof SqlBasicCall as
                && as.operand(0) instanceof SqlIdentifier table
                && as.operand(1) instanceof SqlIdentifier alias) {
              read(table)
                  .ifPresent(
                      c -> {
                        out.put(alias.getSimple(), c);
                        renamed.put(last(table).toLowerCase(Locale.ROOT), alias.getSimple());
                      });
              return null;
            }
            if (call.getKind() == SqlKind.AS
                && call.operandCount() > 1
                && call.operand(1) instanceof SqlIdentifier alias) {
              List<String> named = names(call.getOperandList().subList(2, call.operandCount()));
              put(alias, named, call.operand(0));
              return call.operand(0).accept(this);
            }
            if (call instanceof SqlSelect select && select.getFrom() != null) {
              List<String> inner = outputs(select.getFrom());
              if (!inner.isEmpty()) {
                out.put("the subquery", inner);
              }
            }
            if (call instanceof SqlWithItem item) {
              put(
                  item.name,
                  item.columnList == null ? List.of() : names(item.columnList),
                  item.query);
              return item.query.accept(this);
            }
            if (call instanceof SqlJoin join
                && join.getConditionType() == JoinConditionType.USING
                && join.getCondition() instanceof SqlNodeList columns) {
              columns.forEach(c -> joined.add(c.toString()));
            }
            return super.visit(call);
          }

          @Override
          public Void visit(SqlIdentifier name) {
            read(name).ifPresent(c -> out.putIfAbsent(last(name), c));
            return null;
          }

          /** A query within the query, and the names of its columns, where these are said. */
          private void put(SqlIdentifier alias, List<String> named, SqlNode inner) {
            List<String> columns = named.isEmpty() ? outputs(inner) : named;
            if (!columns.isEmpty()) {
              out.put(alias.getSimple(), columns);
            }
          }

          private static String last(SqlIdentifier name) {
            return name.names.get(name.names.size() - 1);
          }

          private Optional<List<String>> read(SqlIdentifier name) {
            // Columns are asked for only of what the query names: there may be very many tables.
            return Optional.ofNullable(relations.get(name.toString().toLowerCase(Locale.ROOT)))
                .map(r -> r.schema().names());
          }
        });
    return new VisibleColumns(out, joined, renamed);
  }

  private static List<String> names(List<SqlNode> columns) {
    return columns.stream().map(SqlNode::toString).toList();
  }

  /** The names of the columns that a query gives; none where it gives all of something. */
  private static List<String> outputs(SqlNode query) {
    if (query instanceof SqlOrderBy ordered) {
      return outputs(ordered.query);
    } else if (query instanceof SqlWith with) {
      return outputs(with.body);
    } else if (query instanceof SqlSelect select) {
      List<String> out = new ArrayList<>();
      for (SqlNode item : select.getSelectList()) {
        if (item instanceof SqlIdentifier column && column.isStar()) {
          return List.of();
        } else if (item instanceof SqlIdentifier column) {
          out.add(column.names.get(column.names.size() - 1));
        } else if (item.getKind() == SqlKind.AS) {
          out.add(((SqlCall) item).operand(1).toString());
        }
      }
      return out;
    } else if (query instanceof SqlCall sets && SqlKind.SET_QUERY.contains(sets.getKind())) {
      return outputs(sets.operand(0));
    }
    return List.of();
  }

  /** The name that the query gives a relation in place of its own. */
  Optional<String> nameOf(String relation) {
    return Optional.ofNullable(renamed.get(relation.toLowerCase(Locale.ROOT)));
  }

  /** Whether inputs are joined by a column of that name. */
  boolean isUsed(String column) {
    return joined.stream().anyMatch(column::equalsIgnoreCase);
  }

  /** All columns of what is read, each once. */
  List<String> all() {
    Set<String> out = new LinkedHashSet<>();
    byName.values().forEach(out::addAll);
    return List.copyOf(out);
  }

  /** The columns of one relation; of all, when it is none of those read. */
  List<String> of(String relation) {
    return byName.entrySet().stream()
        .filter(e -> e.getKey().equalsIgnoreCase(relation))
        .findFirst()
        .map(Map.Entry::getValue)
        .orElseGet(this::all);
  }

  /** Whether one relation has two columns of that name. */
  boolean hasTwice(String column) {
    return byName.values().stream()
        .anyMatch(columns -> columns.stream().filter(column::equalsIgnoreCase).count() > 1);
  }

  /** The relations that have a column. */
  List<String> having(String column) {
    List<String> out = new ArrayList<>();
    byName.forEach(
        (name, columns) -> {
          if (columns.stream().anyMatch(column::equalsIgnoreCase)) {
            out.add(name);
          }
        });
    return out;
  }
}
