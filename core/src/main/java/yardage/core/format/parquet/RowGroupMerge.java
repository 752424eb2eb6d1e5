package yardage.core.format.parquet;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.stream.IntStream;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DataPageV1;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.page.PageReadStore;
import org.apache.parquet.column.page.PageReader;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.hadoop.metadata.BlockMetaData;
import org.apache.parquet.hadoop.metadata.ColumnChunkMetaData;
import org.apache.parquet.hadoop.metadata.CompressionCodecName;
import org.apache.parquet.internal.column.columnindex.ColumnIndex;
import org.apache.parquet.internal.column.columnindex.OffsetIndex;
import org.apache.parquet.schema.MessageType;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Type;
import yardage.core.exec.KeyNumbers;

/**
 * Makes one row group of those of several files, whose pages are copied as they are. Only pages of
 * codes are looked into: their dictionaries become one, and codes are written anew where they
 * changed. Rows keep their order. One thread at a time.
 */
public final class RowGroupMerge {
  /** Smaller pages cost readers more than copying them saves. */
  private static final int FEWEST_PAGE_ROWS = 1 << 10;

  private static final int MOST_DICTIONARY_ENTRIES = 1 << 15;

  private final MessageType schema;
  private final List<Merged> columns = new ArrayList<>();
  private int rows;
  private long bytes;

  public RowGroupMerge(MessageType schema) {
    this.schema = schema;
    for (ColumnDescriptor leaf : schema.getColumns()) {
      columns.add(new Merged(leaf));
    }
  }

  public int rowCount() {
    return rows;
  }

  /** What is held: compressed pages, and what they say of themselves. */
  public long sizeBytes() {
    return bytes;
  }

  /**
   * Takes all rows of a file.
   *
   * @return false, and nothing was taken, when its pages cannot be copied: it has other columns or
   *     another compression, or pages that are too small
   */
  public boolean take(Path file) {
    try (DataFileReader reader = DataFileReader.raw(file)) {
      if (!reader.footer().getFileMetaData().getSchema().equals(schema)) {
        return false;
      }
      List<BlockMetaData> blocks = reader.footer().getBlocks();
      List<List<Chunk>> read = new ArrayList<>();
      for (int g = 0; g < blocks.size(); g++) {
        Optional<List<Chunk>> chunks = chunks(reader, g, blocks.get(g));
        if (chunks.isEmpty()) {
          return false;
        }
        read.add(chunks.get());
      }
      for (int g = 0; g < blocks.size(); g++) {
        for (int c = 0; c < columns.size(); c++) {
          bytes += columns.get(c).add(read.get(g).get(c));
        }
        rows += (int) blocks.get(g).getRowCount();
      }
      return true;
    } catch (IOException e) {
      throw new UncheckedIOException(
          "File [%s] cannot be read: %s".formatted(file, e.getMessage()), e);
    }
  }

  /** What was taken, and nothing is held afterwards. */
  public RowGroup finish() {
    RowGroup group = new RowGroup(rows, columns.stream().map(Merged::finish).toList());
    rows = 0;
    bytes = 0;
    return group;
  }

  /** A column of a row group as it stands in a file; pages are compressed. */
  private record Chunk(Optional<DictionaryPage> dictionary, List<EncodedChunk.Page> pages) {}

  private Optional<List<Chunk>> chunks(DataFileReader reader, int group, BlockMetaData block)
      throws IOException {
    List<Chunk> out = new ArrayList<>();
    PageReadStore store = reader.rowGroup(group, schema.getColumns());
    for (int c = 0; c < columns.size(); c++) {
      ColumnChunkMetaData meta = block.getColumns().get(c);
      ColumnDescriptor leaf = schema.getColumns().get(c);
      if (meta.getCodec() != CompressionCodecName.ZSTD
          || !Arrays.equals(meta.getPath().toArray(), leaf.getPath())) {
        return Optional.empty();
      }
      PageReader pages = store.getPageReader(leaf);
      Optional<DictionaryPage> dictionary = Optional.ofNullable(pages.readDictionaryPage());
      if (dictionary.isPresent() && PageCodecs.inflatedSize(bytes(dictionary.get())) < 0) {
        return Optional.empty();
      }
      List<DataPageV1> data = new ArrayList<>();
      for (var page = pages.readPage(); page != null; page = pages.readPage()) {
        if (!(page instanceof DataPageV1 one) || !isKnown(one.getValueEncoding())) {
          return Optional.empty();
        }
        data.add(one);
      }
      if (block.getRowCount() < (long) data.size() * FEWEST_PAGE_ROWS) {
        return Optional.empty();
      }
      Optional<List<EncodedChunk.Page>> told = told(reader, meta, data, (int) block.getRowCount());
      if (told.isEmpty()) {
        return Optional.empty();
      }
      out.add(new Chunk(dictionary, told.get()));
    }
    return Optional.of(out);
  }

  private static boolean isKnown(Encoding encoding) {
    return encoding == Encoding.PLAIN
        || encoding == Encoding.RLE_DICTIONARY
        || encoding == Encoding.PLAIN_DICTIONARY;
  }

  /** The pages with their rows and statistics, which for a single one are the chunk's. */
  private static Optional<List<EncodedChunk.Page>> told(
      DataFileReader reader, ColumnChunkMetaData meta, List<DataPageV1> data, int rows)
      throws IOException {
    if (data.size() == 1) {
      return Optional.of(List.of(page(data.get(0), rows, meta.getStatistics())));
    }
    Optional<ColumnIndex> index = reader.columnIndex(meta);
    Optional<OffsetIndex> offsets = reader.offsetIndex(meta);
    if (index.isEmpty() || offsets.isEmpty() || index.get().getNullCounts() == null) {
      return Optional.empty();
    }
    List<EncodedChunk.Page> out = new ArrayList<>();
    for (int p = 0; p < data.size(); p++) {
      long from = offsets.get().getFirstRowIndex(p);
      long to = offsets.get().getLastRowIndex(p, rows) + 1;
      Statistics.Builder statistics = Statistics.getBuilderForReading(meta.getPrimitiveType());
      statistics.withNumNulls(index.get().getNullCounts().get(p));
      if (!index.get().getNullPages().get(p)) {
        statistics.withMin(bytes(index.get().getMinValues().get(p)));
        statistics.withMax(bytes(index.get().getMaxValues().get(p)));
      }
      out.add(page(data.get(p), (int) (to - from), statistics.build()));
    }
    return Optional.of(out);
  }

  private static byte[] bytes(DictionaryPage page) throws IOException {
    return page.getBytes().toByteArray();
  }

  private static byte[] bytes(ByteBuffer buffer) {
    byte[] out = new byte[buffer.remaining()];
    buffer.duplicate().get(out);
    return out;
  }

  private static EncodedChunk.Page page(DataPageV1 page, int rows, Statistics<?> statistics)
      throws IOException {
    return new EncodedChunk.Page(
        page.getBytes().toByteArray(),
        page.getUncompressedSize(),
        page.getValueCount(),
        rows,
        statistics,
        page.getValueEncoding());
  }

  /** One column of what is put together. */
  private static final class Merged {
    private final ColumnDescriptor leaf;
    private final Type type;
    private final List<EncodedChunk.Page> pages = new ArrayList<>();
    private final PageBuffer out = new PageBuffer();
    private KeyNumbers numbers;
    private ColumnBuilder entries;
    private int[] codes = new int[0];

    /** How many of {@link #codes} were read last. */
    private int valueCount;

    Merged(ColumnDescriptor leaf) {
      this.leaf = leaf;
      this.type = ParquetSchema.primitive(leaf.getPrimitiveType());
      clear();
    }

    private void clear() {
      numbers = new KeyNumbers(new Type[] {type});
      entries = ColumnBuilder.of(type);
    }

    /** Returns the bytes that are held more. */
    long add(Chunk chunk) throws IOException {
      long before = entries.sizeBytes();
      long added = 0;
      int[] codeOf = {};
      Optional<Column> dictionary = Optional.empty();
      if (chunk.dictionary().isPresent()) {
        DictionaryPage page = chunk.dictionary().get();
        Column own = ChunkDecoder.dictionary(inflated(page), page.getDictionarySize(), leaf, type);
        dictionary = Optional.of(own);
        codeOf = coded(own, page.getDictionarySize());
      }
      boolean same = true;
      for (int i = 0; i < codeOf.length; i++) {
        same &= codeOf[i] == i;
      }
      for (EncodedChunk.Page page : chunk.pages()) {
        boolean coded = page.encoding() != Encoding.PLAIN;
        EncodedChunk.Page copy =
            !coded
                ? page
                : codeOf.length == 0
                    ? spelledOut(page, dictionary.orElseThrow())
                    : same ? page : recoded(page, codeOf);
        pages.add(copy);
        added += copy.compressed().length;
      }
      return added + entries.sizeBytes() - before;
    }

    /**
     * The codes of a dictionary's entries in the one for all; empty when that would grow too large.
     */
    private int[] coded(Column own, int size) {
      // Keys do not tell 0.0 from -0.0, and a copy must.
      if (type.kind() == Type.Kind.DOUBLE || numbers.count() + size > MOST_DICTIONARY_ENTRIES) {
        return new int[0];
      }
      int known = numbers.count();
      int[] codeOf = Arrays.copyOf(numbers.numberOf(new Column[] {own}, size), size);
      for (int i = 0; i < size; i++) {
        if (codeOf[i] == known) {
          entries.append(own, i);
          known++;
        }
      }
      return codeOf;
    }

    /** The file layer takes its bytes for inflated, so their frame has to say how many they are. */
    private static byte[] inflated(DictionaryPage page) throws IOException {
      byte[] frame = bytes(page);
      return PageCodecs.zstd(frame, (int) PageCodecs.inflatedSize(frame));
    }

    /** The codes of a page's values, into {@link #codes}; returns where they begin in the page. */
    private int read(byte[] b, int count) {
      int at = 0;
      int values = count;
      if (leaf.getMaxRepetitionLevel() > 0) {
        at += 4 + PageBuffer.getInt(b, at);
      }
      if (codes.length < count) {
        codes = new int[count];
      }
      int most = leaf.getMaxDefinitionLevel();
      if (most > 0) {
        int end = at + 4 + PageBuffer.getInt(b, at);
        RunDecoder.decode(b, at + 4, end, 32 - Integer.numberOfLeadingZeros(most), count, codes);
        values = 0;
        for (int i = 0; i < count; i++) {
          values += codes[i] == most ? 1 : 0;
        }
        at = end;
      }
      if (values > 0) {
        RunDecoder.decode(b, at + 1, b.length, b[at], values, codes);
      }
      valueCount = values;
      return at;
    }

    /** A page whose codes are those of the dictionary for all. */
    private EncodedChunk.Page recoded(EncodedChunk.Page page, int[] codeOf) throws IOException {
      byte[] b = PageCodecs.zstd(page.compressed(), page.uncompressedBytes());
      int at = read(b, page.valueCount());
      for (int i = 0; i < valueCount; i++) {
        codes[i] = codeOf[codes[i]];
      }
      out.clear();
      out.putBytes(b, 0, at);
      ChunkEncoder.putCodes(out, codes, valueCount, numbers.count());
      return with(page, Encoding.RLE_DICTIONARY);
    }

    /** A page with values in the place of codes, where the dictionary for all is full. */
    private EncodedChunk.Page spelledOut(EncodedChunk.Page page, Column own) throws IOException {
      byte[] b = PageCodecs.zstd(page.compressed(), page.uncompressedBytes());
      int at = read(b, page.valueCount());
      out.clear();
      out.putBytes(b, 0, at);
      ChunkEncoder.putPlain(out, own, codes, valueCount, leaf.getPrimitiveType());
      return with(page, Encoding.PLAIN);
    }

    private EncodedChunk.Page with(EncodedChunk.Page page, Encoding encoding) {
      return new EncodedChunk.Page(
          PageCodecs.compress(out.bytes, out.length),
          out.length,
          page.valueCount(),
          page.rowCount(),
          page.statistics(),
          encoding);
    }

    EncodedChunk finish() {
      Optional<DictionaryPage> dictionary = Optional.empty();
      int count = numbers.count();
      if (count > 0) {
        Column all = entries.build();
        int[] rows = IntStream.range(0, count).toArray();
        out.clear();
        ChunkEncoder.putPlain(out, all, rows, count, leaf.getPrimitiveType());
        dictionary =
            Optional.of(
                new DictionaryPage(
                    BytesInput.from(PageCodecs.compress(out.bytes, out.length)),
                    out.length,
                    count,
                    Encoding.PLAIN));
      }
      EncodedChunk chunk = new EncodedChunk(dictionary, List.copyOf(pages));
      pages.clear();
      clear();
      return chunk;
    }
  }
}
