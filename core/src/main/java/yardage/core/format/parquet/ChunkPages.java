package yardage.core.format.parquet;

import java.io.IOException;
import java.util.BitSet;
import java.util.Optional;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.page.DataPage;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.page.PageReader;
import yardage.core.column.Column;
import yardage.core.column.Type;

/** The pages of one column of a row group, one after the other. One thread at a time. */
interface ChunkPages {
  /** The values of its dictionary; to be asked for before the pages. */
  Optional<Column> dictionary(ColumnDescriptor descriptor, Type type) throws IOException;

  /** How many values all pages have, with nulls. */
  long valueCount();

  /** The next page, inflated; empty at the end. */
  Optional<DataPage> next();

  /** Of all pages those that are chosen by their places. */
  static ChunkPages of(ChunkPages all, BitSet kept) {
    return new ChunkPages() {
      private int at;

      @Override
      public Optional<Column> dictionary(ColumnDescriptor descriptor, Type type)
          throws IOException {
        return all.dictionary(descriptor, type);
      }

      @Override
      public long valueCount() {
        return all.valueCount();
      }

      @Override
      public Optional<DataPage> next() {
        Optional<DataPage> page = all.next();
        while (page.isPresent() && !kept.get(at++)) {
          page = all.next();
        }
        return page;
      }
    };
  }

  /** Pages as they come from a file. */
  static ChunkPages of(PageReader reader) {
    return new ChunkPages() {
      @Override
      public Optional<Column> dictionary(ColumnDescriptor descriptor, Type type)
          throws IOException {
        DictionaryPage page = reader.readDictionaryPage();
        return page == null
            ? Optional.empty()
            : Optional.of(
                ChunkDecoder.dictionary(
                    PageCodecs.bytes(page.getBytes()), page.getDictionarySize(), descriptor, type));
      }

      @Override
      public long valueCount() {
        return reader.getTotalValueCount();
      }

      @Override
      public Optional<DataPage> next() {
        return Optional.ofNullable(reader.readPage());
      }
    };
  }
}
