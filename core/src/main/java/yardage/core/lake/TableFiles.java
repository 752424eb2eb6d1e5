package yardage.core.lake;

import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.ScanDescription;

/**
 * A table's rows as of one of its states, named by its metadata, which never changes.
 *
 * @param metadata the address of the metadata
 * @param snapshot of the state, where it is not the current one of that metadata
 * @param columns ordinals of the columns that are read
 * @param predicates by which files can be passed over
 * @param without metadata whose files are left out
 */
public record TableFiles(
    TableName table,
    String metadata,
    Optional<Long> snapshot,
    int[] columns,
    List<ColumnPredicate> predicates,
    Optional<TableFiles.State> without)
    implements ScanDescription {
  /** A state of the same table. */
  public record State(String metadata, Optional<Long> snapshot) {}

  public TableFiles {
    columns = columns.clone();
    predicates = List.copyOf(predicates);
  }

  @Override
  public String words() {
    String where =
        predicates.stream().map(ColumnPredicate::words).collect(Collectors.joining(" and "));
    return "table %s, columns %s%s"
        .formatted(table, Arrays.toString(columns), where.isEmpty() ? "" : ", files with " + where);
  }
}
