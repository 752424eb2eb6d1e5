package yardage.service.memory;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import org.springframework.stereotype.Component;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.ReadCache;
import yardage.core.exec.Scratch;
import yardage.service.YardageProperties;

/** The memory that runs and queries share, and the room on disk for what it does not take. */
@Component
public class EngineMemory {
  private final MemoryPool all;
  private final ReadCache readCache;
  private final Scratch scratch;
  private final YardageProperties properties;

  EngineMemory(YardageProperties properties) {
    this.properties = properties;
    this.all = MemoryPool.root("the service", properties.memoryBytes());
    this.readCache = ReadCache.within(all, properties.readCacheBytes());
    this.scratch = Scratch.in("the service", properties.scratchFolder(), scratchBytes(properties));
  }

  private static long scratchBytes(YardageProperties properties) {
    if (properties.scratch() > 0) {
      return properties.scratch();
    }
    try {
      Files.createDirectories(properties.scratchFolder());
      return Files.getFileStore(properties.scratchFolder()).getUsableSpace() / 2;
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot use [%s] for scratch: %s".formatted(properties.scratchFolder(), e.getMessage()),
          e);
    }
  }

  /** Of what is read of tables. */
  public ReadCache readCache() {
    return readCache;
  }

  public MemoryPool forRun(long run) {
    return all.child("run " + run, properties.runMemoryBytes());
  }

  public Scratch scratchForRun(long run) {
    return scratch("run " + run);
  }

  private Scratch scratch(String name) {
    return scratch.child(
        name, properties.runScratch() > 0 ? properties.runScratch() : scratch.limitBytes());
  }

  public MemoryPool forQuery() {
    return all.child("the query", properties.runMemoryBytes());
  }

  public Scratch scratchForQuery() {
    return scratch("the query");
  }
}
