package yardage.core.lake;

import java.util.Locale;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.plan.TargetDescription;

/**
 * What is written for one table.
 *
 * @param schema the columns as the steps before the write give them
 * @param files names the files; must be unlike that of any other write
 * @param before the address of the table's metadata as the write found it; none for a new table
 */
public record TableTarget(
    TableWriter.Target target, Schema schema, String files, Optional<String> before)
    implements TargetDescription {
  @Override
  public String words() {
    return "table %s, %s"
        .formatted(target.table(), target.mode().toString().toLowerCase(Locale.ROOT));
  }

  /**
   * A write on the table as it is now.
   *
   * @throws LakeException when the table is there and has other columns or partitions
   */
  public static TableTarget of(Lake lake, TableWriter.Target target, Schema schema, String files) {
    Optional<LakeTable> there = lake.table(target.table());
    there.ifPresent(
        t ->
            Publication.checkFits(
                target.table(), schema, target.partitioning(), t.metadata(), target.follow()));
    return new TableTarget(target, schema, files, there.map(LakeTable::metadataLocation));
  }
}
