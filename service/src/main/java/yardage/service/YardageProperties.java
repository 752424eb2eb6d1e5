package yardage.service;

import java.nio.file.Path;
import java.time.Duration;
import org.springframework.boot.context.properties.ConfigurationProperties;

/**
 * Settings of the service.
 *
 * @param home the folder of the lake, the set-aside rows and the lock
 * @param memory bytes for all runs together; 0 takes half of the heap
 * @param runMemory bytes for one run; 0 takes half of {@code memory}
 */
@ConfigurationProperties("yardage")
public record YardageProperties(
    Path home, long memory, long runMemory, int concurrentRuns, Duration consoleSessions) {
  public long memoryBytes() {
    return memory > 0 ? memory : Runtime.getRuntime().maxMemory() / 2;
  }

  public long runMemoryBytes() {
    return runMemory > 0 ? runMemory : memoryBytes() / 2;
  }
}
