package yardage.service.lake;

import java.time.Clock;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Service;
import org.springframework.transaction.annotation.Propagation;
import org.springframework.transaction.annotation.Transactional;
import tools.jackson.databind.ObjectMapper;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeException;
import yardage.core.lake.OpenedTables;
import yardage.core.lake.PointerChange;
import yardage.core.lake.PointerStore;
import yardage.core.lake.Publication;
import yardage.core.lake.TableHealth;
import yardage.core.lake.TableName;
import yardage.core.lake.TableSummary;
import yardage.core.storage.LocalStorage;
import yardage.service.YardageProperties;
import yardage.service.memory.EngineMemory;

/** The lake, with its pointers in MariaDB. */
@Service
public class LakeService implements PointerStore {
  private final TableMapper mapper;
  private final Clock clock;
  private final ObjectMapper json;
  private final YardageProperties properties;
  private final OpenedTables opened;
  private volatile Lake lake;

  LakeService(
      TableMapper mapper,
      YardageProperties properties,
      EngineMemory memory,
      Clock clock,
      ObjectMapper json) {
    this.opened = new OpenedTables(memory.readCache());
    this.json = json;
    this.mapper = mapper;
    this.clock = clock;
    this.properties = properties;
  }

  private Lake lake(PointerStore pointers) {
    return new Lake(
        LocalStorage.place(properties.home()).child("lake"),
        pointers,
        properties.connectionPlaces(),
        opened);
  }

  public Lake lake() {
    if (lake == null) {
      synchronized (this) {
        lake = lake == null ? lake(this) : lake;
      }
    }
    return lake;
  }

  /**
   * The lake as all its pointers are at this moment, read at once: what a run publishes together is
   * seen together, or not at all.
   */
  public Lake asOfNow() {
    return at(states());
  }

  /** Where the metadata of each table stands now; another place is another state of the table. */
  public Map<TableName, String> states() {
    Map<TableName, String> now = new LinkedHashMap<>();
    mapper
        .pointers()
        .forEach(p -> now.put(new TableName(p.namespace(), p.name()), p.metadataLocation()));
    return now;
  }

  /** All tables as they were in these states. */
  public Lake at(Map<TableName, String> now) {
    return lakeWith(
        new PointerStore() {
          @Override
          public Optional<String> metadataLocation(TableName table) {
            return Optional.ofNullable(now.get(table));
          }

          @Override
          public List<TableName> tables() {
            return List.copyOf(now.keySet());
          }
        });
  }

  /** A table in the list of all. */
  public record Listed(
      TableName name,
      String metadataLocation,
      Optional<TableSummary> summary,
      Optional<TableHealth> health,
      Optional<String> problem) {}

  /**
   * All tables and what is known of each. One whose metadata cannot be read says so, and the others
   * are there all the same.
   */
  public List<Listed> list() {
    return mapper.pointers().stream().map(this::listed).toList();
  }

  private Listed listed(TableMapper.Pointer p) {
    TableName name = new TableName(p.namespace(), p.name());
    Optional<TableHealth> health =
        Optional.ofNullable(p.health()).map(h -> json.readValue(h, TableHealth.class));
    if (p.summary() != null) {
      TableSummary summary = json.readValue(p.summary(), TableSummary.class);
      return new Listed(name, p.metadataLocation(), Optional.of(summary), health, Optional.empty());
    }
    // A table of before this was kept, or one from the bin.
    try {
      TableSummary summary = lake().table(name).orElseThrow().summary();
      mapper.know(
          p.namespace(),
          p.name(),
          p.metadataLocation(),
          json.writeValueAsString(summary),
          null,
          null);
      return new Listed(name, p.metadataLocation(), Optional.of(summary), health, Optional.empty());
    } catch (LakeException | java.util.NoSuchElementException e) {
      return new Listed(
          name, p.metadataLocation(), Optional.empty(), health, Optional.of(e.getMessage()));
    }
  }

  /**
   * Who reads a table may find a damage before its keeper does: its health is looked into again.
   *
   * @param failure anything; what is not about a damaged table changes nothing
   */
  @EventListener
  public void doubt(LakeException failure) {
    failure.damaged().ifPresent(t -> mapper.doubt(t.namespace(), t.name()));
  }

  /** Looks into a table's health and keeps what was found. */
  public TableHealth lookInto(TableName name, String metadataLocation) {
    TableHealth health;
    try {
      health = TableHealth.of(lake().table(name).orElseThrow());
    } catch (LakeException | java.util.NoSuchElementException e) {
      health =
          new TableHealth(
              0,
              1,
              Optional.empty(),
              List.of(
                  new TableHealth.Finding(
                      "broken", e.getMessage(), "Restore its files from a backup")));
    }
    mapper.know(
        name.namespace(),
        name.name(),
        metadataLocation,
        null,
        json.writeValueAsString(health),
        clock.instant());
    return health;
  }

  /** The same lake, asking for pointers in another way. */
  public Lake lakeWith(PointerStore pointers) {
    return lake(pointers);
  }

  @Override
  public Optional<String> metadataLocation(TableName table) {
    return mapper.location(table.namespace(), table.name());
  }

  /** The names of all tables, as people write them. */
  public List<String> names() {
    return tables().stream().map(TableName::toString).toList();
  }

  @Override
  public List<TableName> tables() {
    return mapper.names().stream().map(n -> new TableName(n.namespace(), n.name())).toList();
  }

  @Override
  public List<String> binned(TableName table) {
    return mapper.binnedLocations(table.namespace(), table.name());
  }

  /**
   * Moves pointers inside the caller's transaction.
   *
   * @throws Publication.ConflictException when one of them was not what was expected; the caller's
   *     transaction must roll back
   */
  @Transactional(propagation = Propagation.MANDATORY)
  public void swap(List<PointerChange> changes) {
    for (PointerChange c : changes) {
      TableName t = c.table();
      String summary = json.writeValueAsString(c.summary());
      int moved =
          c.expected().isPresent()
              ? mapper.swap(
                  t.namespace(),
                  t.name(),
                  c.expected().get(),
                  c.location(),
                  summary,
                  clock.instant())
              : mapper.create(t.namespace(), t.name(), c.location(), summary, clock.instant());
      if (moved != 1) {
        throw new Publication.ConflictException(
            "Table [%s] was published by another run meanwhile".formatted(t));
      }
    }
  }
}
