package yardage.core.format.parquet;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.Consumer;
import org.apache.parquet.column.ColumnDescriptor;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.exec.ReadCache;
import yardage.core.plan.KeyBits;

/**
 * Finds rows by few keys in columns that are in memory. The places of a column's values are sorted
 * out once it was asked for few keys before, and are kept as long as nobody needs the memory.
 */
final class KeyLookup {
  /** With more keys than one for so many rows, the rows are looked at instead. */
  private static final int LEAST_ROWS_A_KEY = 16;

  /** To sort places out takes about as long as looking at all rows so many times. */
  private static final int ASKED_OFTEN = 2;

  private final ReadCache cache;

  KeyLookup(ReadCache cache) {
    this.cache = cache;
  }

  private record PlacesKey(CachedChunk.Key chunk) implements ReadCache.Key<KeyPlaces> {}

  /** Counts how often a chunk was asked for few keys. */
  static final class Asked {
    private final AtomicInteger times = new AtomicInteger();
  }

  /**
   * The rows of a chunk that may have one of some keys, in order; empty when looking at the rows is
   * the way.
   *
   * @param once whether one row of each key is enough
   * @param again whether the same keys were asked for in other rows of the chunk before
   */
  Optional<int[]> rows(
      CachedChunk.Key key,
      CachedChunk chunk,
      ColumnDescriptor leaf,
      KeyBits keys,
      boolean once,
      boolean again) {
    if ((long) keys.size() * LEAST_ROWS_A_KEY > chunk.values()) {
      return Optional.empty();
    }
    PlacesKey placesKey = new PlacesKey(key);
    Optional<KeyPlaces> kept = cache.get(placesKey);
    if (kept.isEmpty() && !again && chunk.asked().times.incrementAndGet() >= ASKED_OFTEN) {
      KeyPlaces.Parts parts = taker -> each(chunk, leaf, key.type(), taker);
      kept =
          KeyPlaces.Shape.of(parts)
              .flatMap(
                  shape ->
                      cache
                          .slot(placesKey, shape.bytes())
                          .map(
                              slot -> {
                                try (slot) {
                                  KeyPlaces places = new KeyPlaces(shape, parts);
                                  slot.fill(places);
                                  return places;
                                }
                              }));
    }
    return kept.flatMap(places -> places.of(keys, once));
  }

  private static void each(
      CachedChunk chunk, ColumnDescriptor leaf, Type type, Consumer<Column> taker) {
    try {
      ChunkDecoder decoder = new ChunkDecoder(chunk.fromFirst(), leaf, type);
      for (int n = decoder.available(); n > 0; n = decoder.available()) {
        taker.accept(decoder.next(n));
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
