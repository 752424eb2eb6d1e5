package yardage.core.format.parquet;

import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.channels.SeekableByteChannel;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.zip.CRC32;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.format.ColumnChunk;
import org.apache.parquet.format.ColumnIndex;
import org.apache.parquet.format.ColumnMetaData;
import org.apache.parquet.format.CompressionCodec;
import org.apache.parquet.format.FileMetaData;
import org.apache.parquet.format.OffsetIndex;
import org.apache.parquet.format.PageHeader;
import org.apache.parquet.format.SchemaElement;
import org.apache.parquet.format.Util;
import org.apache.parquet.schema.PrimitiveType;
import yardage.core.storage.Place;

/**
 * A file whose pages are to be copied as they stand: its footer and page headers are read as the
 * format writes them (Apache Parquet format, file layout and page headers), without the objects
 * that the library makes of them, which were a third of the time of putting 10,000 small files
 * together. A small file is read at once, of a large one only what is asked for. One thread at a
 * time.
 */
final class RawFile implements AutoCloseable {
  private static final int READ_AT_ONCE_BYTES = 1 << 20;

  /** The length of the footer and the four letters that end a file. */
  private static final int END_BYTES = 8;

  private static final byte[] MAGIC = {'P', 'A', 'R', '1'};

  /** Pages are far smaller; one that says more is damaged. */
  private static final int LARGEST_PAGE_BYTES = 64 << 20;

  private final SeekableByteChannel channel;
  private final long size;
  private final byte[] tail;
  private final long tailStart;
  private final FileMetaData footer;

  /**
   * @throws IOException when it is not there, or no Parquet file
   */
  RawFile(Place place) throws IOException {
    channel = place.open();
    try {
      size = channel.size();
      tailStart = Math.max(0, size - READ_AT_ONCE_BYTES);
      tail = pread(tailStart, (int) (size - tailStart));
      int end = tail.length - END_BYTES;
      boolean whole =
          end >= MAGIC.length
              && Arrays.equals(
                  tail, tail.length - MAGIC.length, tail.length, MAGIC, 0, MAGIC.length);
      int length = whole ? PageBuffer.getInt(tail, end) : -1;
      if (length < 0 || length > size - END_BYTES - MAGIC.length) {
        throw new IOException("it does not end as a Parquet file does");
      }
      footer = Util.readFileMetaData(read(size - END_BYTES - length, length));
    } catch (IOException | RuntimeException e) {
      channel.close();
      throw e;
    }
  }

  List<SchemaElement> schema() {
    return footer.getSchema();
  }

  int rowGroupCount() {
    return footer.getRow_groups().size();
  }

  long rowCount(int group) {
    return footer.getRow_groups().get(group).getNum_rows();
  }

  /** A column of a row group as it stands in the file; pages are compressed. */
  record Chunk(Optional<DictionaryPage> dictionary, List<EncodedChunk.Page> pages) {}

  /**
   * @return nothing when its pages cannot be copied: another compression, another kind of page, or
   *     pages that do not say how many rows they hold
   */
  Optional<Chunk> chunk(int group, int column, ColumnDescriptor leaf) throws IOException {
    ColumnChunk entry = footer.getRow_groups().get(group).getColumns().get(column);
    ColumnMetaData meta = entry.getMeta_data();
    if (meta.getCodec() != CompressionCodec.ZSTD
        || !meta.getPath_in_schema().equals(Arrays.asList(leaf.getPath()))) {
      return Optional.empty();
    }
    long start =
        meta.isSetDictionary_page_offset() && meta.getDictionary_page_offset() > 0
            ? Math.min(meta.getDictionary_page_offset(), meta.getData_page_offset())
            : meta.getData_page_offset();
    Bytes in = read(start, Math.toIntExact(meta.getTotal_compressed_size()));
    Optional<DictionaryPage> dictionary = Optional.empty();
    List<EncodedChunk.Page> pages = new ArrayList<>();
    while (in.available() > 0) {
      PageHeader header = Util.readPageHeader(in);
      if (header.getUncompressed_page_size() < 0
          || header.getUncompressed_page_size() > LARGEST_PAGE_BYTES) {
        throw new IOException(
            "a page is of %,d bytes".formatted(header.getUncompressed_page_size()));
      }
      byte[] page = in.take(header.getCompressed_page_size());
      if (header.isSetCrc() && (int) checksum(page) != header.getCrc()) {
        // Copied as it is, it would get a new checksum and pass for sound ever after.
        throw new IOException(
            "a page of column [%s] is damaged: its checksum is another"
                .formatted(String.join(".", leaf.getPath())));
      }
      switch (header.getType()) {
        case DICTIONARY_PAGE -> {
          if (PageCodecs.inflatedSize(page) < 0) {
            return Optional.empty();
          }
          dictionary =
              Optional.of(
                  new DictionaryPage(
                      BytesInput.from(page),
                      header.getUncompressed_page_size(),
                      header.getDictionary_page_header().getNum_values(),
                      encoding(header.getDictionary_page_header().getEncoding())));
        }
        case DATA_PAGE -> {
          Encoding encoding = encoding(header.getData_page_header().getEncoding());
          if (!isKnown(encoding)) {
            return Optional.empty();
          }
          // Its rows and what it holds are told below.
          pages.add(
              new EncodedChunk.Page(
                  page,
                  header.getUncompressed_page_size(),
                  header.getData_page_header().getNum_values(),
                  0,
                  null,
                  encoding));
        }
        default -> {
          return Optional.empty();
        }
      }
    }
    Optional<DictionaryPage> found = dictionary;
    return told(entry, leaf.getPrimitiveType(), pages, (int) rowCount(group))
        .map(told -> new Chunk(found, told));
  }

  private static long checksum(byte[] page) {
    CRC32 crc = new CRC32();
    crc.update(page);
    return crc.getValue();
  }

  private static boolean isKnown(Encoding encoding) {
    return encoding == Encoding.PLAIN
        || encoding == Encoding.RLE_DICTIONARY
        || encoding == Encoding.PLAIN_DICTIONARY;
  }

  private static Encoding encoding(org.apache.parquet.format.Encoding encoding) {
    return Encoding.valueOf(encoding.name());
  }

  /** The pages with their rows and statistics, which for a single one are the chunk's. */
  private Optional<List<EncodedChunk.Page>> told(
      ColumnChunk entry, PrimitiveType type, List<EncodedChunk.Page> pages, int rows)
      throws IOException {
    if (pages.size() == 1) {
      var said = entry.getMeta_data().getStatistics();
      Statistics.Builder statistics = Statistics.getBuilderForReading(type);
      if (said != null && said.isSetNull_count()) {
        statistics.withNumNulls(said.getNull_count());
      }
      if (said != null && said.isSetMin_value() && said.isSetMax_value()) {
        statistics.withMin(said.getMin_value()).withMax(said.getMax_value());
      }
      return Optional.of(List.of(told(pages.get(0), rows, statistics.build())));
    }
    if (!entry.isSetColumn_index_offset() || !entry.isSetOffset_index_offset()) {
      return Optional.empty();
    }
    ColumnIndex index =
        Util.readColumnIndex(read(entry.getColumn_index_offset(), entry.getColumn_index_length()));
    OffsetIndex offsets =
        Util.readOffsetIndex(read(entry.getOffset_index_offset(), entry.getOffset_index_length()));
    if (!index.isSetNull_counts() || offsets.getPage_locationsSize() != pages.size()) {
      return Optional.empty();
    }
    List<EncodedChunk.Page> out = new ArrayList<>();
    for (int p = 0; p < pages.size(); p++) {
      long from = offsets.getPage_locations().get(p).getFirst_row_index();
      long to =
          p + 1 < pages.size() ? offsets.getPage_locations().get(p + 1).getFirst_row_index() : rows;
      Statistics.Builder statistics =
          Statistics.getBuilderForReading(type).withNumNulls(index.getNull_counts().get(p));
      if (!index.getNull_pages().get(p)) {
        statistics
            .withMin(bytes(index.getMin_values().get(p)))
            .withMax(bytes(index.getMax_values().get(p)));
      }
      out.add(told(pages.get(p), (int) (to - from), statistics.build()));
    }
    return Optional.of(out);
  }

  private static EncodedChunk.Page told(
      EncodedChunk.Page page, int rows, Statistics<?> statistics) {
    return new EncodedChunk.Page(
        page.compressed(),
        page.uncompressedBytes(),
        page.valueCount(),
        rows,
        statistics,
        page.encoding());
  }

  private static byte[] bytes(ByteBuffer buffer) {
    byte[] out = new byte[buffer.remaining()];
    buffer.duplicate().get(out);
    return out;
  }

  private Bytes read(long offset, int length) throws IOException {
    if (offset < 0 || length < 0 || offset + length > size) {
      throw new IOException("it names bytes that it does not have");
    }
    if (offset < tailStart) {
      return new Bytes(pread(offset, length), 0, length);
    }
    int at = (int) (offset - tailStart);
    return new Bytes(tail, at, at + length);
  }

  /** Bytes for a library that takes them one by one: the platform's stream locks at each. */
  private static final class Bytes extends InputStream {
    private final byte[] array;
    private final int end;
    private int at;

    Bytes(byte[] array, int start, int end) {
      this.array = array;
      this.at = start;
      this.end = end;
    }

    byte[] take(int count) throws IOException {
      if (count < 0 || count > end - at) {
        throw new IOException("a page is longer than its column");
      }
      at += count;
      return Arrays.copyOfRange(array, at - count, at);
    }

    @Override
    public int available() {
      return end - at;
    }

    @Override
    public int read() {
      return at < end ? array[at++] & 0xff : -1;
    }

    @Override
    public int read(byte[] to, int from, int count) {
      int n = Math.min(count, end - at);
      if (n <= 0) {
        return count == 0 ? 0 : -1;
      }
      System.arraycopy(array, at, to, from, n);
      at += n;
      return n;
    }
  }

  private byte[] pread(long offset, int length) throws IOException {
    ByteBuffer buffer = ByteBuffer.allocate(length);
    channel.position(offset);
    while (buffer.hasRemaining()) {
      if (channel.read(buffer) < 0) {
        throw new IOException("it is shorter than it says");
      }
    }
    return buffer.array();
  }

  @Override
  public void close() throws IOException {
    channel.close();
  }
}
