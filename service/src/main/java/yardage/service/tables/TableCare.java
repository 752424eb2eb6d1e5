package yardage.service.tables;

import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.UUID;
import java.util.function.Consumer;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import org.springframework.transaction.support.TransactionTemplate;
import yardage.core.lake.Compaction;
import yardage.core.lake.Expiry;
import yardage.core.lake.LakeTable;
import yardage.core.lake.PointerChange;
import yardage.core.lake.TableName;
import yardage.core.pipeline.insight.TableComparison;
import yardage.service.YardageProperties;
import yardage.service.lake.LakeService;
import yardage.service.lake.TableMapper;
import yardage.service.looks.LookDesk;
import yardage.service.web.ApiException;

/**
 * What is done to tables in the long run. Each piece of work moves one pointer in one transaction,
 * or none.
 */
@Service
class TableCare {
  private final LakeService lake;
  private final TableMapper mapper;
  private final LookDesk desk;
  private final YardageProperties properties;
  private final TransactionTemplate transactions;
  private final TableUses uses;
  private final Clock clock;

  TableCare(
      LakeService lake,
      TableMapper mapper,
      LookDesk desk,
      YardageProperties properties,
      TransactionTemplate transactions,
      TableUses uses,
      Clock clock) {
    this.lake = lake;
    this.mapper = mapper;
    this.desk = desk;
    this.properties = properties;
    this.transactions = transactions;
    this.uses = uses;
    this.clock = clock;
  }

  private Consumer<List<PointerChange>> swap() {
    return changes -> transactions.executeWithoutResult(status -> lake.swap(changes));
  }

  private static String name(String work) {
    return work + "-" + UUID.randomUUID();
  }

  /** Makes an older state of a table its current one again. */
  void rollBack(TableName table, long snapshot) {
    lake.lake().rollBack(table, snapshot, name("back"), swap());
  }

  Compaction.Result compact(TableName table) {
    return desk.care(
        "compaction",
        table.toString(),
        context -> Compaction.compact(lake.lake(), table, name("compact"), context, swap()));
  }

  Expiry.Result expire(TableName table, int keep, Duration age) {
    return Expiry.expire(
        lake.lake(),
        table,
        keep,
        clock.instant().minus(age),
        clock.instant().minus(properties.sweepAge()),
        name("expire"),
        swap());
  }

  TableComparison compare(LakeTable older, LakeTable newer, List<String> key, int examples) {
    return desk.look(
        "comparison",
        newer.name().toString(),
        context -> TableComparison.of(older, newer, key, examples, context, lake.lake()));
  }

  /**
   * Puts a table into the bin.
   *
   * @param anyway even when pipelines use it
   */
  TableMapper.Binned drop(TableName table, boolean anyway, String by) {
    List<String> users = uses.of(table).stream().map(TableUses.Use::pipeline).distinct().toList();
    if (!anyway && !users.isEmpty()) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "table-in-use",
          "Table [%s] is used by %s".formatted(table, String.join(", ", users)),
          "Change those pipelines first, or drop it anyway: yardage table drop %s --anyway"
              .formatted(table));
    }
    return transactions.execute(
        status -> {
          String location =
              lake.metadataLocation(table)
                  .orElseThrow(() -> ApiException.notFound("table", table.toString()));
          if (mapper.remove(table.namespace(), table.name(), location) != 1) {
            throw new ApiException(
                HttpStatus.CONFLICT,
                "changed-meanwhile",
                "Table [%s] was published by a run in this moment".formatted(table),
                "Drop it again if you still mean it");
          }
          mapper.putInBin(table.namespace(), table.name(), location, clock.instant(), by);
          return mapper.binned(mapper.lastInBin());
        });
  }

  List<TableMapper.Binned> bin() {
    return mapper.bin();
  }

  private TableMapper.Binned find(long id) {
    TableMapper.Binned found = mapper.binned(id);
    if (found == null) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "not-found",
          "There is nothing with number [%d] in the bin".formatted(id),
          "See what is there with: yardage table bin");
    }
    return found;
  }

  TableName restore(long id) {
    return transactions.execute(
        status -> {
          TableMapper.Binned b = find(id);
          if (mapper.create(b.namespace(), b.name(), b.metadataLocation(), null, clock.instant())
              != 1) {
            throw new ApiException(
                HttpStatus.CONFLICT,
                "table-there",
                "There is a table [%s.%s] again already".formatted(b.namespace(), b.name()),
                "Drop that one first; both are in the bin then");
          }
          mapper.outOfBin(id);
          return new TableName(b.namespace(), b.name());
        });
  }

  /** Removes a table in the bin for good, with the files that no other state has. */
  Expiry.Result purge(long id) {
    TableMapper.Binned b = find(id);
    mapper.outOfBin(id);
    return lake.lake().purge(new TableName(b.namespace(), b.name()));
  }
}
