package yardage.service.runs;

import org.springframework.stereotype.Component;
import yardage.core.exec.MemoryPool;
import yardage.service.YardageProperties;

/** The memory that runs and queries share. */
@Component
public class EngineMemory {
  private final MemoryPool all;
  private final YardageProperties properties;

  EngineMemory(YardageProperties properties) {
    this.properties = properties;
    this.all = MemoryPool.root("the service", properties.memoryBytes());
  }

  MemoryPool forRun(long run) {
    return all.child("run " + run, properties.runMemoryBytes());
  }

  public MemoryPool forQuery() {
    return all.child("the query", properties.runMemoryBytes());
  }
}
