package yardage.core.format.parquet;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Optional;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.page.DataPage;
import org.apache.parquet.column.page.DataPageV1;
import org.apache.parquet.column.page.PageReader;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.exec.ReadCache;

/**
 * One column of a row group: its dictionary, and its pages as they are encoded, inflated.
 *
 * @param values how many there are, with nulls
 * @param asked for few keys
 */
record CachedChunk(
    Optional<Column> dictionary, List<DataPageV1> pages, long values, KeyLookup.Asked asked) {
  /** What a page takes beside its bytes. */
  private static final long PAGE_BYTES = 160;

  /**
   * A column of a row group of a file, which is never written again under that name.
   *
   * @param type that the dictionary's values are given
   */
  record Key(String file, long fileBytes, int rowGroup, List<String> path, Type type)
      implements ReadCache.Key<CachedChunk> {}

  static long bytes(long inflatedBytes, long values) {
    return inflatedBytes + PAGE_BYTES * (2 + values / ChunkEncoder.PAGE_ROWS);
  }

  /** The pages, from the first on. */
  ChunkPages fromFirst() {
    return of(pages);
  }

  /** Some of the pages, in order. */
  ChunkPages of(BitSet kept) {
    return of(kept.stream().mapToObj(pages::get).toList());
  }

  private ChunkPages of(List<DataPageV1> some) {
    return new ChunkPages() {
      private int next;

      @Override
      public Optional<Column> dictionary(ColumnDescriptor descriptor, Type type) {
        return dictionary;
      }

      @Override
      public long valueCount() {
        return values;
      }

      @Override
      public Optional<DataPage> next() {
        return next == some.size() ? Optional.empty() : Optional.of(some.get(next++));
      }
    };
  }

  /** Hands pages on, and fills a slot with them once all have passed. */
  static ChunkPages filling(PageReader reader, ReadCache.Slot<CachedChunk> slot) {
    ChunkPages from = ChunkPages.of(reader);
    return new ChunkPages() {
      private final List<DataPageV1> passed = new ArrayList<>();
      private Optional<Column> dictionary = Optional.empty();
      private long values;

      @Override
      public Optional<Column> dictionary(ColumnDescriptor descriptor, Type type)
          throws IOException {
        dictionary = from.dictionary(descriptor, type);
        return dictionary;
      }

      @Override
      public long valueCount() {
        return from.valueCount();
      }

      @Override
      public Optional<DataPage> next() {
        Optional<DataPage> page = from.next();
        if (page.isEmpty() || !(page.get() instanceof DataPageV1 plain) || !slot.isOpen()) {
          slot.close();
          passed.clear();
          return page;
        }
        DataPageV1 kept = inArray(plain);
        passed.add(kept);
        values += kept.getValueCount();
        if (values == valueCount()) {
          slot.fill(
              new CachedChunk(dictionary, List.copyOf(passed), values, new KeyLookup.Asked()));
        }
        return Optional.of(kept);
      }
    };
  }

  /** A page with an array of its own, which is not part of what was read at once. */
  private static DataPageV1 inArray(DataPageV1 page) {
    try {
      return new DataPageV1(
          BytesInput.from(PageCodecs.bytes(page.getBytes())),
          page.getValueCount(),
          page.getUncompressedSize(),
          page.getStatistics(),
          page.getRlEncoding(),
          page.getDlEncoding(),
          page.getValueEncoding());
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
