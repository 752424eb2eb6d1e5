package yardage.service.tables;

import java.time.Instant;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.column.Schema;
import yardage.core.lake.LakeException;
import yardage.core.lake.LakeTable;
import yardage.core.lake.Publication;
import yardage.core.lake.TableName;
import yardage.service.lake.LakeService;
import yardage.service.query.QueryService;
import yardage.service.query.ResultRows;
import yardage.service.web.ApiException;

/** Tables: the list, one of them, a sample of its rows. */
@RestController
@RequestMapping("/api/v1/tables")
class TableController {
  private final LakeService lake;
  private final QueryService queries;
  private final TableCare care;
  private final TableUses uses;

  TableController(LakeService lake, QueryService queries, TableCare care, TableUses uses) {
    this.lake = lake;
    this.queries = queries;
    this.care = care;
    this.uses = uses;
  }

  /**
   * A table in a list.
   *
   * @param metadataLocation the file that another reader of the table format opens
   * @param problem why its counts are not known; absent when all is well
   */
  record TableSummary(
      String name,
      long rows,
      long files,
      long sizeBytes,
      List<String> partitionedBy,
      Instant updatedAt,
      Optional<String> writtenBy,
      String metadataLocation,
      Optional<String> problem) {}

  record ColumnInfo(String name, String type, boolean nullable) {}

  /** A pipeline's step that reads or writes the table. */
  record UseInfo(String pipeline, String step, boolean writes, String mode, List<String> key) {}

  record PartitionInfo(String path, long rows, long files, long sizeBytes) {}

  record FileEntry(String path, String partition, long rows, long sizeBytes) {}

  record SnapshotEntry(
      String id,
      Instant at,
      String operation,
      long totalRows,
      long totalFiles,
      long addedRows,
      long removedRows,
      Optional<Long> run,
      Optional<String> pipeline,
      boolean current) {}

  record TableDetail(
      TableSummary summary,
      String location,
      List<String> sortedBy,
      List<String> foundBy,
      long targetBytes,
      List<ColumnInfo> columns,
      List<UseInfo> uses,
      List<PartitionInfo> partitions,
      List<FileEntry> files,
      List<SnapshotEntry> snapshots) {}

  @GetMapping
  List<TableSummary> list() {
    return lake.list().stream()
        .map(
            t ->
                summary(
                    t.name(),
                    t.summary()
                        .orElse(
                            new yardage.core.lake.TableSummary(
                                0, 0, 0, List.of(), Instant.EPOCH, Optional.empty())),
                    t.metadataLocation(),
                    t.problem()))
        .toList();
  }

  @GetMapping("/{name}")
  TableDetail detail(@PathVariable String name) {
    LakeTable table = find(name);
    List<FileEntry> files =
        table.files().stream()
            .map(f -> new FileEntry(f.path(), f.partition(), f.rows(), f.sizeBytes()))
            .toList();
    Map<String, PartitionInfo> partitions = new LinkedHashMap<>();
    for (FileEntry f : files) {
      partitions.merge(
          f.partition(),
          new PartitionInfo(f.partition(), f.rows(), 1, f.sizeBytes()),
          (a, b) ->
              new PartitionInfo(
                  a.path(),
                  a.rows() + b.rows(),
                  a.files() + b.files(),
                  a.sizeBytes() + b.sizeBytes()));
    }
    return new TableDetail(
        summary(table),
        table.location(),
        table.filling().sort().columns().stream().map(Object::toString).toList(),
        table.filling().findBy(),
        table.filling().targetBytes(),
        table.schema().fields().stream().map(TableController::column).toList(),
        uses.of(table.name()).stream()
            .map(
                u ->
                    new UseInfo(
                        u.pipeline(),
                        u.use().step(),
                        u.use().writes(),
                        u.use().mode(),
                        u.use().key()))
            .toList(),
        partitions.values().stream().sorted(Comparator.comparing(PartitionInfo::path)).toList(),
        files,
        table.snapshots().stream().map(TableController::snapshot).toList());
  }

  @GetMapping("/{name}/sample")
  ResultRows sample(
      @PathVariable String name,
      @RequestParam(defaultValue = "50") int rows,
      @RequestParam Optional<String> asOf) {
    return queries.sample(queries.table(name, asOf), Math.max(1, Math.min(rows, 1000)));
  }

  /**
   * An older state.
   *
   * @param snapshot its number, as text since it has 63 bits
   */
  record RollBack(String snapshot) {}

  /** Makes an older state the current one; the newer ones stay, so that it can be taken back. */
  @PostMapping("/{name}/roll-back")
  TableDetail rollBack(@PathVariable String name, @RequestBody RollBack body) {
    LakeTable table = find(name);
    try {
      care.rollBack(table.name(), Long.parseLong(body.snapshot() == null ? "" : body.snapshot()));
    } catch (NumberFormatException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "no-snapshot",
          "[%s] is not the number of a snapshot".formatted(body.snapshot()),
          "See the snapshots with: yardage table show " + name);
    } catch (LakeException | Publication.ConflictException e) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "not-rolled-back",
          e.getMessage(),
          "See the snapshots with: yardage table show " + name);
    }
    return detail(name);
  }

  private LakeTable find(String name) {
    return QueryService.table(lake, name);
  }

  private static ColumnInfo column(Schema.Field f) {
    return new ColumnInfo(f.name(), f.type().toString(), f.nullable());
  }

  private static TableSummary summary(LakeTable t) {
    return summary(t.name(), t.summary(), t.metadataLocation(), Optional.empty());
  }

  private static TableSummary summary(
      TableName name,
      yardage.core.lake.TableSummary s,
      String metadataLocation,
      Optional<String> problem) {
    return new TableSummary(
        name.toString(),
        s.rows(),
        s.files(),
        s.sizeBytes(),
        s.partitionedBy(),
        s.updatedAt(),
        s.writtenBy(),
        metadataLocation,
        problem);
  }

  private static SnapshotEntry snapshot(LakeTable.SnapshotInfo s) {
    // Snapshot numbers have 63 bits: as text, so that no reader rounds them.
    return new SnapshotEntry(
        String.valueOf(s.id()),
        s.at(),
        s.operation(),
        s.totalRows(),
        s.totalFiles(),
        s.addedRows(),
        s.removedRows(),
        s.run().map(r -> Long.parseLong(r.substring(1))),
        s.pipeline(),
        s.current());
  }
}
