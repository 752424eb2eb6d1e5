package yardage.service;

import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.springframework.boot.context.properties.ConfigurationProperties;
import org.springframework.boot.context.properties.bind.DefaultValue;
import yardage.core.storage.LocalStorage;
import yardage.core.storage.Place;

/**
 * Settings of the service.
 *
 * @param home the folder of the lake, the set-aside rows and the lock
 * @param memory bytes for all runs together; 0 takes half of the heap
 * @param connections folders that feeds may read beside the inbox, by name
 * @param runMemory bytes for one run; 0 takes half of {@code memory}
 * @param readCache of {@code memory}, bytes for what was read of tables, as long as no run or query
 *     needs them; 0 takes half
 * @param scratch bytes on disk for rows that do not fit into memory, of all runs and queries; 0
 *     takes half of what is free when the service starts
 * @param runScratch of these, bytes for one run or query; 0 takes all
 * @param hosts names that requests may call the service by, beside those of this machine's own
 *     loopback; needed behind a proxy
 * @param secureCookies whether the console's cookie travels over TLS only; for a service behind a
 *     proxy that ends TLS
 * @param queryTime how long a query, or another look that somebody waits for, may take
 * @param firstSignIn the file for the first administrator's one-time password; null prints it
 * @param sweepAge how old a table's file must be before a sweep removes it as needed by nothing
 * @param moved whether the home was moved or copied on purpose: its tables get the paths of where
 *     it is now
 * @param tokenDays days that a new token is good for, unless its maker asks for fewer
 */
@ConfigurationProperties("yardage")
public record YardageProperties(
    Path home,
    long memory,
    long runMemory,
    long readCache,
    long scratch,
    long runScratch,
    int concurrentRuns,
    Duration consoleSessions,
    Map<String, Path> connections,
    List<String> hosts,
    boolean secureCookies,
    @DefaultValue("90") int tokenDays,
    @DefaultValue("5m") Duration queryTime,
    @DefaultValue("1h") Duration sweepAge,
    boolean moved,
    Path firstSignIn) {
  /** What the service itself, reading and the youngest objects take of a small heap. */
  private static final long SERVICE_BYTES = 160L << 20;

  public YardageProperties {
    home = real(home);
    hosts = hosts == null ? List.of() : List.copyOf(hosts);
    connections = connections == null ? Map.of() : Map.copyOf(connections);
    Path own = home.toAbsolutePath().normalize();
    connections.forEach(
        (name, folder) -> {
          if (!folder.isAbsolute()) {
            throw new IllegalArgumentException(
                "Connection [%s] needs the whole path of a folder, not [%s]"
                    .formatted(name, folder));
          }
          if (folder.normalize().startsWith(own) || own.startsWith(folder.normalize())) {
            throw new IllegalArgumentException(
                "Connection [%s] is [%s], which overlaps with the service's own folder [%s]"
                    .formatted(name, folder, own));
          }
        });
    connections =
        connections.entrySet().stream()
            .collect(Collectors.toUnmodifiableMap(Map.Entry::getKey, e -> real(e.getValue())));
  }

  /** The connections' folders, each in its one form. */
  public Map<String, Place> connectionPlaces() {
    return connections.entrySet().stream()
        .collect(
            Collectors.toUnmodifiableMap(Map.Entry::getKey, e -> LocalStorage.place(e.getValue())));
  }

  /** A folder's one form, whatever links lead there; it need not be there yet. */
  private static Path real(Path folder) {
    Path whole = folder.toAbsolutePath().normalize();
    try {
      return whole.toRealPath();
    } catch (IOException e) {
      Path parent = whole.getParent();
      return parent == null ? whole : real(parent).resolve(whole.getFileName());
    }
  }

  public long memoryBytes() {
    if (memory > 0) {
      return memory;
    }
    long heap = Runtime.getRuntime().maxMemory();
    return Math.max(heap / 4, Math.min(heap / 2, heap - SERVICE_BYTES));
  }

  public long readCacheBytes() {
    return readCache > 0 ? readCache : memoryBytes() / 2;
  }

  /** Where rows go that do not fit into memory. */
  public Path scratchFolder() {
    return home.resolve("scratch");
  }

  public long runMemoryBytes() {
    return runMemory > 0 ? runMemory : memoryBytes() / 2;
  }
}
