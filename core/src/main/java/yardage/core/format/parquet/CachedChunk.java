package yardage.core.format.parquet;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.page.DataPage;
import org.apache.parquet.column.page.DataPageV1;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.page.PageReader;
import yardage.core.exec.ReadCache;

/**
 * The pages of one column of a row group, inflated.
 *
 * @param values how many there are, with nulls
 */
record CachedChunk(Optional<DictionaryPage> dictionary, List<DataPageV1> pages, long values) {
  /** What a page takes beside its bytes. */
  private static final long PAGE_BYTES = 160;

  /** A column of a row group of a file, which is never written again under that name. */
  record Key(String file, long fileBytes, int rowGroup, List<String> path)
      implements ReadCache.Key<CachedChunk> {}

  static long bytes(long inflatedBytes, long values) {
    return inflatedBytes + PAGE_BYTES * (2 + values / ChunkEncoder.PAGE_ROWS);
  }

  /** The pages, from the first on. */
  PageReader reader() {
    return new PageReader() {
      private int next;

      @Override
      public DictionaryPage readDictionaryPage() {
        return dictionary.orElse(null);
      }

      @Override
      public long getTotalValueCount() {
        return values;
      }

      @Override
      public DataPage readPage() {
        return next == pages.size() ? null : pages.get(next++);
      }
    };
  }

  /** Hands pages on, and fills a slot with them once all have passed. */
  static PageReader filling(PageReader pages, ReadCache.Slot<CachedChunk> slot) {
    return new PageReader() {
      private final List<DataPageV1> passed = new ArrayList<>();
      private Optional<DictionaryPage> dictionary = Optional.empty();
      private long values;

      @Override
      public DictionaryPage readDictionaryPage() {
        DictionaryPage page = pages.readDictionaryPage();
        dictionary = Optional.ofNullable(page).map(CachedChunk::inArray);
        return dictionary.orElse(null);
      }

      @Override
      public long getTotalValueCount() {
        return pages.getTotalValueCount();
      }

      @Override
      public DataPage readPage() {
        DataPage page = pages.readPage();
        if (!(page instanceof DataPageV1 plain) || !slot.isOpen()) {
          slot.close();
          passed.clear();
          return page;
        }
        DataPageV1 kept = inArray(plain);
        passed.add(kept);
        values += kept.getValueCount();
        if (values == pages.getTotalValueCount()) {
          slot.fill(new CachedChunk(dictionary, List.copyOf(passed), values));
        }
        return kept;
      }
    };
  }

  private static DictionaryPage inArray(DictionaryPage page) {
    return new DictionaryPage(array(page.getBytes()), page.getDictionarySize(), page.getEncoding());
  }

  /** A page with an array of its own, which is not part of what was read at once. */
  private static DataPageV1 inArray(DataPageV1 page) {
    return new DataPageV1(
        array(page.getBytes()),
        page.getValueCount(),
        page.getUncompressedSize(),
        page.getStatistics(),
        page.getRlEncoding(),
        page.getDlEncoding(),
        page.getValueEncoding());
  }

  private static BytesInput array(BytesInput bytes) {
    try {
      return BytesInput.from(PageCodecs.bytes(bytes));
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }
}
