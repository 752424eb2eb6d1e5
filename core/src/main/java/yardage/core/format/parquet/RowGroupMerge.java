package yardage.core.format.parquet;

import java.io.IOException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.stream.IntStream;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.format.SchemaElement;
import org.apache.parquet.schema.MessageType;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Type;
import yardage.core.exec.KeyNumbers;
import yardage.core.format.FileFormatException;
import yardage.core.storage.Place;

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
  private List<SchemaElement> known = List.of();
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
  public boolean take(Place path) {
    try (RawFile file = new RawFile(path)) {
      if (!isOurs(path, file.schema())) {
        return false;
      }
      List<List<RawFile.Chunk>> read = new ArrayList<>();
      for (int g = 0; g < file.rowGroupCount(); g++) {
        Optional<List<RawFile.Chunk>> chunks = chunks(file, g);
        if (chunks.isEmpty()) {
          return false;
        }
        read.add(chunks.get());
      }
      for (int g = 0; g < read.size(); g++) {
        for (int c = 0; c < columns.size(); c++) {
          bytes += columns.get(c).add(read.get(g).get(c));
        }
        rows += (int) file.rowCount(g);
      }
      return true;
    } catch (IOException | RuntimeException e) {
      throw new FileFormatException(
          "File [%s] cannot be read: %s".formatted(path, e.getMessage()), e);
    }
  }

  /** Whether a file has these columns; files that write them in the same way are known at once. */
  private boolean isOurs(Place path, List<SchemaElement> written) throws IOException {
    if (written.equals(known)) {
      return true;
    }
    try (DataFileReader reader = new DataFileReader(path)) {
      if (!reader.footer().getFileMetaData().getSchema().equals(schema)) {
        return false;
      }
    }
    known = written;
    return true;
  }

  /** What was taken, and nothing is held afterwards. */
  public RowGroup finish() {
    RowGroup group = new RowGroup(rows, columns.stream().map(Merged::finish).toList());
    rows = 0;
    bytes = 0;
    return group;
  }

  private Optional<List<RawFile.Chunk>> chunks(RawFile file, int group) throws IOException {
    List<RawFile.Chunk> out = new ArrayList<>();
    for (int c = 0; c < columns.size(); c++) {
      Optional<RawFile.Chunk> chunk = file.chunk(group, c, schema.getColumns().get(c));
      if (chunk.isEmpty()
          || file.rowCount(group) < (long) chunk.get().pages().size() * FEWEST_PAGE_ROWS) {
        return Optional.empty();
      }
      out.add(chunk.get());
    }
    return Optional.of(out);
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
    long add(RawFile.Chunk chunk) throws IOException {
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
      if (type.isApproximate() || numbers.count() + size > MOST_DICTIONARY_ENTRIES) {
        return new int[0];
      }
      int known = numbers.count();
      int[] codeOf = Arrays.copyOf(numbers.numberOf(new Column[] {own}, size), size);
      for (int first : numbers.firstRows(known, size)) {
        entries.append(own, first);
      }
      return codeOf;
    }

    /** The file layer takes its bytes for inflated, so their frame has to say how many they are. */
    private static byte[] inflated(DictionaryPage page) throws IOException {
      byte[] frame = page.getBytes().toByteArray();
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
