package yardage.service.tables;

import io.swagger.v3.oas.annotations.Parameter;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;
import java.util.stream.Stream;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.lake.AsOf;
import yardage.core.lake.Compaction;
import yardage.core.lake.Expiry;
import yardage.core.lake.LakeException;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableHealth;
import yardage.core.lake.TableName;
import yardage.core.lake.TableSummary;
import yardage.core.pipeline.insight.TableComparison;
import yardage.service.access.AccessService;
import yardage.service.lake.LakeService;
import yardage.service.lake.TableMapper;
import yardage.service.query.QueryService;
import yardage.service.query.ShownRows;
import yardage.service.web.ApiException;

/** Tables in the long run: health, compaction, expiry, comparison, and the bin. */
@RestController
@RequestMapping("/api/v1")
class TableCareController {
  private static final int KEPT = 5;
  private static final int KEPT_HOURS = 7 * 24;
  private static final int MOST_EXAMPLES = 200;

  /** How long a list of all tables looks into those that changed; the rest follows by itself. */
  private static final Duration LOOK_AT_MOST = Duration.ofMillis(300);

  private static final TableHealth NOT_YET =
      new TableHealth(
          0,
          1,
          Optional.empty(),
          List.of(
              new TableHealth.Finding(
                  "not-yet", "It changed a moment ago and is looked into", "Ask again")));

  private final LakeService lake;
  private final TableCare care;
  private final TableUses uses;
  private final Clock clock;

  TableCareController(LakeService lake, TableCare care, TableUses uses, Clock clock) {
    this.lake = lake;
    this.care = care;
    this.uses = uses;
    this.clock = clock;
  }

  /**
   * How a table does.
   *
   * @param rawBytes the raw files from which its rows came; 0 when none did directly
   * @param findings what to see to; empty when all is well
   */
  record HealthView(
      String table,
      long files,
      long sizeBytes,
      long rawBytes,
      int smallFiles,
      double largestPartition,
      List<TableHealth.Finding> findings) {}

  /** The health of all tables. */
  @GetMapping("/tables/health")
  List<HealthView> health() {
    Map<TableName, Long> raw = uses.rawBytes();
    long end = System.nanoTime() + LOOK_AT_MOST.toNanos();
    return lake.list().stream()
        .map(
            t -> {
              TableHealth h =
                  t.health()
                      .orElseGet(
                          () ->
                              System.nanoTime() < end
                                  ? lake.lookInto(t.name(), t.metadataLocation())
                                  : NOT_YET);
              return view(t.name(), t.summary(), h, raw.getOrDefault(t.name(), 0L));
            })
        .toList();
  }

  @GetMapping("/tables/{name}/health")
  HealthView health(@PathVariable String name) {
    LakeTable t = find(name);
    return view(
        t.name(),
        Optional.of(t.summary()),
        lake.lookInto(t.name(), t.metadataLocation()),
        uses.rawBytes().getOrDefault(t.name(), 0L));
  }

  private HealthView view(TableName name, Optional<TableSummary> s, TableHealth h, long rawBytes) {
    return new HealthView(
        name.toString(),
        s.map(TableSummary::files).orElse(0L),
        s.map(TableSummary::sizeBytes).orElse(0L),
        rawBytes,
        h.smallFiles(),
        h.largestPartition(),
        h.findings(name, clock.instant()));
  }

  /** What was put together; no partitions mean that there was nothing to do. */
  record CompactionResult(
      int partitions,
      int filesBefore,
      int filesAfter,
      long bytesBefore,
      long bytesAfter,
      long rows) {}

  /** Puts small files together, while others read and write. */
  @PostMapping("/tables/{name}/compact")
  CompactionResult compact(@PathVariable String name) {
    TableName table = find(name).name();
    Compaction.Result r = done(name, () -> care.compact(table));
    return new CompactionResult(
        r.partitions(), r.filesBefore(), r.filesAfter(), r.bytesBefore(), r.bytesAfter(), r.rows());
  }

  /** What went. */
  record ExpiryResult(int snapshots, int files, long sizeBytes) {
    static ExpiryResult of(Expiry.Result r) {
      return new ExpiryResult(r.snapshots(), r.files(), r.sizeBytes());
    }
  }

  /**
   * What to keep.
   *
   * @param keep at least so many snapshots
   * @param keepHours all that are younger
   */
  record Expire(Optional<Integer> keep, Optional<Integer> keepHours) {}

  /** Forgets old snapshots and removes the files that none has any more. */
  @PostMapping("/tables/{name}/expire")
  ExpiryResult expire(@PathVariable String name, @RequestBody Expire body) {
    TableName table = find(name).name();
    int keep = Math.max(1, body.keep().orElse(KEPT));
    int hours = Math.max(0, body.keepHours().orElse(KEPT_HOURS));
    return ExpiryResult.of(done(name, () -> care.expire(table, keep, Duration.ofHours(hours))));
  }

  /** A state that was compared. */
  record Compared(String snapshot, Instant at, long rows) {}

  /** A row that is not the same: added, removed, before or after. */
  record DifferentRow(String kind, List<Object> values) {}

  /** See {@link TableComparison}; values are as in query results. */
  record ComparisonView(
      Compared from,
      Compared to,
      long added,
      long removed,
      long changed,
      Map<String, Long> changedColumns,
      List<String> columnsAdded,
      List<String> columnsRemoved,
      List<String> columns,
      List<DifferentRow> examples) {}

  /**
   * What tells two states apart.
   *
   * @param from a snapshot's number, a date or a time
   * @param to the same; the newest state when left out
   * @param key columns whose values tell rows apart; rows are added or removed only without
   */
  @GetMapping("/tables/{name}/compare")
  ComparisonView compare(
      @PathVariable String name,
      @RequestParam String from,
      @RequestParam Optional<String> to,
      @RequestParam(defaultValue = "") String key,
      @RequestParam(defaultValue = "10") int examples) {
    LakeTable now = find(name);
    return done(
        name,
        () -> {
          LakeTable older = AsOf.parse(from).of(now);
          LakeTable newer = to.map(t -> AsOf.parse(t).of(now)).orElse(now);
          List<String> keys =
              Stream.of(key.split(",")).map(String::strip).filter(k -> !k.isEmpty()).toList();
          TableComparison c =
              care.compare(older, newer, keys, Math.max(0, Math.min(examples, MOST_EXAMPLES)));
          return new ComparisonView(
              compared(older),
              compared(newer),
              c.added(),
              c.removed(),
              c.changed(),
              c.changedColumns(),
              c.columnsAdded(),
              c.columnsRemoved(),
              c.columns(),
              c.examples().stream()
                  .map(
                      e ->
                          new DifferentRow(
                              e.kind(), e.values().stream().map(ShownRows::json).toList()))
                  .toList());
        });
  }

  private static Compared compared(LakeTable t) {
    long id = t.snapshotId().orElse(0L);
    Instant at =
        t.snapshots().stream()
            .filter(s -> s.id() == id)
            .map(LakeTable.SnapshotInfo::at)
            .findFirst()
            .orElse(t.updatedAt());
    return new Compared(String.valueOf(id), at, t.rowCount());
  }

  /** A dropped table. */
  record BinEntry(long id, String table, Instant droppedAt, String droppedBy) {}

  private static BinEntry entry(TableMapper.Binned b) {
    return new BinEntry(b.id(), b.namespace() + "." + b.name(), b.droppedAt(), b.droppedBy());
  }

  /** Puts a table into the bin; refused while pipelines use it, unless anyway. */
  @DeleteMapping("/tables/{name}")
  BinEntry drop(
      @PathVariable String name,
      @RequestParam(defaultValue = "false") boolean anyway,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    return entry(care.drop(find(name).name(), anyway, person.name()));
  }

  @GetMapping("/bin")
  List<BinEntry> bin() {
    return care.bin().stream().map(TableCareController::entry).toList();
  }

  /** Takes a table out of the bin, as it was. */
  @PostMapping("/bin/{id}/restore")
  Map<String, String> restore(@PathVariable long id) {
    return Map.of("table", care.restore(id).toString());
  }

  /** Removes a table in the bin for good. */
  @DeleteMapping("/bin/{id}")
  ExpiryResult purge(@PathVariable long id) {
    return ExpiryResult.of(care.purge(id));
  }

  private LakeTable find(String name) {
    return QueryService.table(lake, name);
  }

  /** A refusal of the lake becomes one of the service. */
  private static <T> T done(String name, Supplier<T> work) {
    try {
      return work.get();
    } catch (LakeException e) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "table",
          e.getMessage(),
          "See the table with: yardage table show " + name);
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "no-snapshot",
          e.getMessage(),
          "See the snapshots with: yardage table show " + name);
    }
  }
}
