package yardage.core.exec;

import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * What was read of files that never change, for as long as nobody else needs the memory: it is
 * given back before anybody is refused, or has to write to scratch. Something is kept when it is
 * asked for the second time, so that what passes by once displaces nothing; what was not asked for
 * the longest goes first. Thread-safe.
 */
public final class ReadCache {
  /** So many keys that were asked for once are remembered. */
  private static final int MOST_SEEN = 1 << 16;

  private final MemoryPool memory;
  private final long limitBytes;
  private final Map<Key<?>, Entry> entries = new LinkedHashMap<>(16, 0.75f, true);

  /** Hashes of keys that were asked for once. */
  private final Map<Integer, Boolean> seen =
      new LinkedHashMap<>(16, 0.75f, true) {
        @Override
        protected boolean removeEldestEntry(Map.Entry<Integer, Boolean> eldest) {
          return size() > MOST_SEEN;
        }
      };

  /** Room for what is being read. */
  private final Set<Slot<?>> open = new LinkedHashSet<>();

  private long heldBytes;

  /**
   * Names what never changes.
   *
   * @param <V> what it is
   */
  public interface Key<V> {}

  private record Entry(Object value, long bytes) {}

  private ReadCache(MemoryPool memory, long limitBytes) {
    this.memory = memory;
    this.limitBytes = limitBytes;
  }

  /**
   * @param memory a pool without a parent, which has no other cache
   * @param limitBytes more than this is never kept
   */
  public static ReadCache within(MemoryPool memory, long limitBytes) {
    ReadCache cache = new ReadCache(memory, limitBytes);
    memory.sparedBy(cache);
    return cache;
  }

  /** Keeps nothing. */
  public static ReadCache none() {
    return within(MemoryPool.root("no cache", 0), 0);
  }

  /** What is kept of a key. */
  public synchronized <V> Optional<V> get(Key<V> key) {
    Entry entry = entries.get(key);
    if (entry == null) {
      return Optional.empty();
    }
    @SuppressWarnings("unchecked") // Only a slot of the same key puts it there.
    V value = (V) entry.value();
    return Optional.of(value);
  }

  /**
   * Room for what is about to be read, if it was asked for before and fits. The slot must be filled
   * or closed.
   */
  public synchronized <V> Optional<Slot<V>> slot(Key<V> key, long bytes) {
    boolean again = limitBytes > 0 && seen.put(key.hashCode(), true) != null;
    if (!again || bytes > limitBytes || entries.containsKey(key)) {
      return Optional.empty();
    }
    while (heldBytes + bytes > limitBytes && dropOldest()) {
      // The next one goes.
    }
    if (heldBytes + bytes > limitBytes || !memory.tryReserveFree(bytes)) {
      return Optional.empty();
    }
    heldBytes += bytes;
    Slot<V> slot = new Slot<>(key, bytes);
    open.add(slot);
    return Optional.of(slot);
  }

  /** Reserved room for one value. */
  public final class Slot<V> implements AutoCloseable {
    private final Key<V> key;
    private final long bytes;

    private Slot(Key<V> key, long bytes) {
      this.key = key;
      this.bytes = bytes;
    }

    /** False once the room was given back: what was read for it may go. */
    public boolean isOpen() {
      synchronized (ReadCache.this) {
        return open.contains(this);
      }
    }

    /** Keeps a value, which nobody may change from now on, unless the room was given back. */
    public void fill(V value) {
      synchronized (ReadCache.this) {
        boolean first = isOpen() && entries.putIfAbsent(key, new Entry(value, bytes)) == null;
        if (first) {
          open.remove(this);
        } else {
          close();
        }
      }
    }

    /** Gives the room back, unless it is filled. */
    @Override
    public void close() {
      synchronized (ReadCache.this) {
        if (open.remove(this)) {
          release(bytes);
        }
      }
    }
  }

  private void release(long bytes) {
    heldBytes -= bytes;
    memory.release(bytes);
  }

  private boolean dropOldest() {
    var oldest = entries.entrySet().iterator();
    if (!oldest.hasNext()) {
      return false;
    }
    long bytes = oldest.next().getValue().bytes();
    oldest.remove();
    release(bytes);
    return true;
  }

  /** Gives back some bytes, or all that there are; false when there is nothing to give. */
  synchronized boolean giveBack(long bytes) {
    long before = heldBytes;
    while (before - heldBytes < bytes && dropOldest()) {
      // The next one goes.
    }
    if (before - heldBytes < bytes) {
      List.copyOf(open).forEach(Slot::close);
    }
    return heldBytes < before;
  }

  public synchronized long heldBytes() {
    return heldBytes;
  }
}
