package yardage.service;

import java.nio.file.Path;
import java.time.Duration;
import java.util.Map;
import org.springframework.boot.context.properties.ConfigurationProperties;

/**
 * Settings of the service.
 *
 * @param home the folder of the lake, the set-aside rows and the lock
 * @param memory bytes for all runs together; 0 takes half of the heap
 * @param connections folders that feeds may read beside the inbox, by name
 * @param runMemory bytes for one run; 0 takes half of {@code memory}
 */
@ConfigurationProperties("yardage")
public record YardageProperties(
    Path home,
    long memory,
    long runMemory,
    int concurrentRuns,
    Duration consoleSessions,
    Map<String, Path> connections) {
  public YardageProperties {
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
  }

  public long memoryBytes() {
    return memory > 0 ? memory : Runtime.getRuntime().maxMemory() / 2;
  }

  public long runMemoryBytes() {
    return runMemory > 0 ? runMemory : memoryBytes() / 2;
  }
}
