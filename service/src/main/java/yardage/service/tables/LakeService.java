package yardage.service.tables;

import java.time.Clock;
import java.util.List;
import java.util.Optional;
import org.springframework.stereotype.Service;
import org.springframework.transaction.annotation.Propagation;
import org.springframework.transaction.annotation.Transactional;
import yardage.core.lake.Lake;
import yardage.core.lake.PointerChange;
import yardage.core.lake.PointerStore;
import yardage.core.lake.Publication;
import yardage.core.lake.TableName;
import yardage.service.YardageProperties;

/** The lake, with its pointers in MariaDB. */
@Service
public class LakeService implements PointerStore {
  private final TableMapper mapper;
  private final Clock clock;
  private final YardageProperties properties;
  private volatile Lake lake;

  LakeService(TableMapper mapper, YardageProperties properties, Clock clock) {
    this.mapper = mapper;
    this.clock = clock;
    this.properties = properties;
  }

  public Lake lake() {
    if (lake == null) {
      synchronized (this) {
        lake =
            lake == null
                ? new Lake(properties.home().resolve("lake"), this, properties.connections())
                : lake;
      }
    }
    return lake;
  }

  /** The same lake, asking for pointers in another way. */
  public Lake lakeWith(PointerStore pointers) {
    return new Lake(properties.home().resolve("lake"), pointers, properties.connections());
  }

  @Override
  public Optional<String> metadataLocation(TableName table) {
    return mapper.location(table.namespace(), table.name());
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
      int moved =
          c.expected().isPresent()
              ? mapper.swap(
                  t.namespace(), t.name(), c.expected().get(), c.location(), clock.instant())
              : mapper.create(t.namespace(), t.name(), c.location(), clock.instant());
      if (moved != 1) {
        throw new Publication.ConflictException(
            "Table [%s] was published by another run meanwhile".formatted(t));
      }
    }
  }
}
