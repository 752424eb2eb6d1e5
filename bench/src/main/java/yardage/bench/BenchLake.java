package yardage.bench;

import java.nio.file.Path;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.ReadCache;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.TestLake;

/** A lake that is asked again and again, as a service's is. */
final class BenchLake {
  /** For what was read of tables: half of the memory of a service with a heap of 8 GB. */
  private static final long CACHE_BYTES = 2L << 30;

  private BenchLake() {}

  static TestLake in(Path folder) {
    MemoryPool memory = MemoryPool.root("what was read", CACHE_BYTES);
    return new TestLake(LocalStorage.place(folder), folder, ReadCache.within(memory, CACHE_BYTES));
  }
}
