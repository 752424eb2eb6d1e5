package yardage.core.lake;

import java.time.Instant;
import java.util.List;
import java.util.Optional;

/** What a list of tables tells of one, kept beside its pointer so that a list opens no file. */
public record TableSummary(
    long rows,
    long files,
    long sizeBytes,
    List<String> partitionedBy,
    Instant updatedAt,
    Optional<String> writtenBy) {
  public TableSummary {
    partitionedBy = List.copyOf(partitionedBy);
  }
}
