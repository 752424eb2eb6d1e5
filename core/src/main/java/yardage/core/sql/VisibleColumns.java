package yardage.core.sql;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.apache.calcite.sql.SqlBasicCall;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.util.SqlBasicVisitor;

/**
 * The relations that a query reads and their columns, by the names that the query has for them, so
 * that a message about a column names those that were meant and no others.
 */
record VisibleColumns(Map<String, List<String>> byName) {
  VisibleColumns {
    byName = new LinkedHashMap<>(byName);
  }

  static VisibleColumns none() {
    return new VisibleColumns(Map.of());
  }

  static VisibleColumns of(SqlNode query, PlanSession.Scope scope) {
    Map<String, List<String>> relations = new LinkedHashMap<>();
    scope
        .relations()
        .forEach((name, r) -> relations.put(name.toLowerCase(Locale.ROOT), r.schema().names()));
    Map<String, List<String>> out = new LinkedHashMap<>();
    query.accept(
        new SqlBasicVisitor<Void>() {
          @Override
          public Void visit(SqlCall call) {
            if (call.getKind() == SqlKind.AS
                && call instanceof SqlBasicCall as
                && as.operand(0) instanceof SqlIdentifier table
                && as.operand(1) instanceof SqlIdentifier alias) {
              read(table).ifPresent(c -> out.put(alias.getSimple(), c));
              return null;
            }
            return super.visit(call);
          }

          @Override
          public Void visit(SqlIdentifier name) {
            read(name).ifPresent(c -> out.putIfAbsent(name.names.get(name.names.size() - 1), c));
            return null;
          }

          private Optional<List<String>> read(SqlIdentifier name) {
            return Optional.ofNullable(relations.get(name.toString().toLowerCase(Locale.ROOT)));
          }
        });
    return new VisibleColumns(out);
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
