package yardage.core.lake;

import java.lang.ref.SoftReference;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import yardage.core.exec.ReadCache;

/**
 * States of tables by the address of their metadata, the last ones, as long as there is memory:
 * what a plan names is opened without being read again, also after newer states have made others
 * remove that metadata. Thread-safe.
 */
public final class OpenedTables {
  private static final int MOST = 128;

  private final ReadCache cache;

  private final Map<String, SoftReference<LakeTable>> byAddress =
      new LinkedHashMap<>(16, 0.75f, true) {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, SoftReference<LakeTable>> eldest) {
          return size() > MOST;
        }
      };

  /**
   * @param cache of what is read of their files
   */
  public OpenedTables(ReadCache cache) {
    this.cache = cache;
  }

  ReadCache cache() {
    return cache;
  }

  synchronized Optional<LakeTable> at(String metadata) {
    return Optional.ofNullable(byAddress.get(metadata)).map(SoftReference::get);
  }

  synchronized void add(String metadata, LakeTable table) {
    byAddress.put(metadata, new SoftReference<>(table));
  }
}
