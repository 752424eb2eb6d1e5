package yardage.core.format.parquet;

import java.util.List;
import java.util.Optional;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.statistics.Statistics;

/** One column of a row group, encoded and compressed, ready to be written. */
record EncodedChunk(Optional<DictionaryPage> dictionary, List<Page> pages) {

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

  long sizeBytes() {
    return dictionary.map(d -> (long) d.getCompressedSize()).orElse(0L)
        + pages.stream().mapToLong(p -> p.compressed().length).sum();
  }
}
