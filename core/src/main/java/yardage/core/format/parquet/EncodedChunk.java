package yardage.core.format.parquet;

import java.util.List;
import java.util.Optional;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.column.values.bloomfilter.BloomFilter;

/**
 * One column of a row group, encoded and compressed, ready to be written.
 *
 * @param bloom the Bloom filter of its values, where readers look for them one by one
 */
record EncodedChunk(
    Optional<DictionaryPage> dictionary, List<Page> pages, Optional<BloomFilter> bloom) {
  EncodedChunk(Optional<DictionaryPage> dictionary, List<Page> pages) {
    this(dictionary, pages, Optional.empty());
  }

  EncodedChunk with(BloomFilter filter) {
    return new EncodedChunk(dictionary, pages, Optional.of(filter));
  }

  record Page(
      byte[] compressed,
      int uncompressedBytes,
      int valueCount,
      int rowCount,
      Statistics<?> statistics,
      Encoding encoding) {}

  long valueCount() {
    return pages.stream().mapToLong(Page::valueCount).sum();
  }

  long bloomBytes() {
    return bloom.map(BloomFilter::getBitsetSize).orElse(0);
  }

  long sizeBytes() {
    return dictionary.map(d -> (long) d.getCompressedSize()).orElse(0L)
        + bloomBytes()
        + pages.stream().mapToLong(p -> p.compressed().length).sum();
  }
}
