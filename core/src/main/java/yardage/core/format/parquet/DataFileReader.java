package yardage.core.format.parquet;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.apache.iceberg.avro.AvroSchemaUtil;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.page.PageReadStore;
import org.apache.parquet.column.page.PageReader;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.hadoop.metadata.BlockMetaData;
import org.apache.parquet.hadoop.metadata.ColumnChunkMetaData;
import org.apache.parquet.hadoop.metadata.ParquetMetadata;
import yardage.core.column.*;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.ReadCache;
import yardage.core.expr.Conform;
import yardage.core.expr.Literal;
import yardage.core.format.FileFormatException;
import yardage.core.plan.KeyRange;
import yardage.core.plan.RowCondition;
import yardage.core.storage.Place;

/**
 * Reads one Parquet file, a row group at a time, only the columns asked for. One thread at a time.
 */
public final class DataFileReader implements AutoCloseable {
  /** What a footer takes for each column of a row group, with its statistics. */
  private static final long COLUMN_BYTES = 1_200;

  /** A range has about so many pages. */
  private static final int RANGE_PAGES = 4;

  private final Place file;
  private final ReadCache cache;
  private final KeyLookup lookup;
  private final long fileBytes;
  private final FileLayout layout;
  private Optional<ParquetFileReader> opened = Optional.empty();

  /**
   * A column wanted: by the field number that the file's schema gives it, so that renames do not
   * matter.
   */
  public record Wanted(int fieldId, Type type) {}

  /**
   * @throws FileFormatException when it is not there, or no Parquet file
   */
  public DataFileReader(Place file) {
    this(file, ReadCache.none(), 0);
  }

  /**
   * A file of which others may have read parts already.
   *
   * @param file is never written again under this name
   * @throws FileFormatException when it is not there, or no Parquet file
   */
  public DataFileReader(Place file, ReadCache cache, long fileBytes) {
    this.file = file;
    this.cache = cache;
    this.lookup = new KeyLookup(cache);
    this.fileBytes = fileBytes;
    FooterKey key = new FooterKey(file.toString(), fileBytes);
    try {
      Optional<FileLayout> known = cache.get(key);
      layout = known.isPresent() ? known.get() : readFooter(key);
    } catch (IOException | RuntimeException e) {
      close();
      throw new FileFormatException(
          "File [%s] cannot be read as Parquet: %s".formatted(file, e.getMessage()), e);
    }
  }

  /** The reader of a file, if nothing of it needs to be read for that. */
  public static Optional<DataFileReader> ofKept(Place file, ReadCache cache, long fileBytes) {
    return cache
        .get(new FooterKey(file.toString(), fileBytes))
        .map(layout -> new DataFileReader(file, cache, fileBytes, layout));
  }

  private DataFileReader(Place file, ReadCache cache, long fileBytes, FileLayout layout) {
    this.file = file;
    this.cache = cache;
    this.lookup = new KeyLookup(cache);
    this.fileBytes = fileBytes;
    this.layout = layout;
  }

  /** What a file says of itself. */
  private record FooterKey(String file, long fileBytes) implements ReadCache.Key<FileLayout> {}

  private FileLayout readFooter(FooterKey key) throws IOException {
    opened = Optional.of(StoredInput.reader(file));
    FileLayout read = FileLayout.of(opened.get().getFooter());
    long columns = read.footer().getFileMetaData().getSchema().getColumns().size() + 1L;
    cache
        .slot(key, COLUMN_BYTES * columns * (2 + read.footer().getBlocks().size()))
        .ifPresent(slot -> slot.fill(read));
    return read;
  }

  /**
   * @param wanted the type of the whole column that the leaf is of
   */
  private CachedChunk.Key key(int rowGroup, ColumnDescriptor leaf, Type wanted) {
    return new CachedChunk.Key(
        file.toString(), fileBytes, rowGroup, List.of(leaf.getPath()), wanted);
  }

  private ParquetFileReader reader() throws IOException {
    if (opened.isEmpty()) {
      opened = Optional.of(StoredInput.reader(file, layout.footer()));
    }
    return opened.get();
  }

  public ParquetMetadata footer() {
    return layout.footer();
  }

  public int rowGroupCount() {
    return footer().getBlocks().size();
  }

  public long rowCount() {
    return footer().getBlocks().stream().mapToLong(BlockMetaData::getRowCount).sum();
  }

  /** Reads one row group into batches of a page's rows; columns that the file lacks are null. */
  public void readRowGroup(int ordinal, List<Wanted> wanted, BatchConsumer out) {
    readRows(new RowRange(ordinal, 0, rowCount(ordinal)), wanted, List.of(), out);
  }

  public long rowCount(int rowGroup) {
    return footer().getBlocks().get(rowGroup).getRowCount();
  }

  /** Rows of a row group, from one to before another. */
  public record RowRange(int rowGroup, long from, long to) {}

  /**
   * The rows of a row group in ranges that several can read side by side: more than one where all
   * that is wanted of it is in memory, since otherwise each would read all of it.
   */
  public List<RowRange> ranges(int rowGroup, List<Wanted> wanted) {
    long rows = rowCount(rowGroup);
    boolean kept =
        layout.leaves(wanted).entrySet().stream()
            .allMatch(leaf -> cache.get(key(rowGroup, leaf.getKey(), leaf.getValue())).isPresent());
    long pages = (rows + ChunkEncoder.PAGE_ROWS - 1) / ChunkEncoder.PAGE_ROWS;
    long parts = kept ? Math.max(1, pages / RANGE_PAGES) : 1;
    long step = (pages + parts - 1) / parts * ChunkEncoder.PAGE_ROWS;
    List<RowRange> out = new ArrayList<>();
    for (long from = 0; from < rows; from += step) {
      out.add(new RowRange(rowGroup, from, Math.min(rows, from + step)));
    }
    return out;
  }

  /**
   * As {@link #readRowGroup(int, List, BatchConsumer)}, some of the rows, and without those that do
   * not count, as far as leaving them out is less work.
   *
   * @param counting what rows that count have; their columns are places among {@code wanted}
   */
  public void readRows(
      RowRange range, List<Wanted> wanted, List<RowCondition> counting, BatchConsumer out) {
    int ordinal = range.rowGroup();
    Map<ColumnDescriptor, Type> chosen = layout.leaves(wanted);
    try (Pages pages = new Pages(ordinal)) {
      long rows = range.to() - range.from();
      PagedColumn[] decoders = decoders(pages, wanted, chosen);
      skip(decoders, range.from());
      List<ValueTest.OfColumn> tests = ValueTest.of(counting);
      boolean once =
          counting.size() == 1 && counting.get(0) instanceof KeyRange only && only.once();
      RowSieve sieve =
          new RowSieve(decoders, range.from(), tests, found(range, wanted, tests, once));
      long sequence = ((long) ordinal << 14) - 1;
      while (rows > 0) {
        int n = (int) Math.min(rows, ChunkEncoder.PAGE_ROWS);
        for (PagedColumn decoder : decoders) {
          if (decoder != null) {
            n = Math.min(n, Math.max(1, decoder.available()));
            break;
          }
        }
        int counted = sifted(sieve, n, ordinal);
        sequence++;
        rows -= n;
        if (counted == 0) {
          skip(decoders, n);
          continue;
        }
        List<Column> columns = new ArrayList<>();
        for (int i = 0; i < decoders.length; i++) {
          try {
            columns.add(
                decoders[i] == null
                    ? Literal.of(wanted.get(i).type(), null).column(counted)
                    : Conform.to(sieve.next(decoders[i], n, counted), wanted.get(i).type()));
          } catch (RuntimeException e) {
            throw damaged(
                ordinal, layout.find(wanted.get(i)).map(f -> f.type().getName()).orElse(""), e);
          }
        }
        out.accept(new Batch(columns, counted, sequence));
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "File [%s] cannot be read: %s".formatted(file, e.getMessage()), e);
    }
  }

  /**
   * The fewest rows that one of some tests leaves, where they are known by their keys.
   *
   * @param once whether one row of each key is enough
   */
  private Optional<int[]> found(
      RowRange range, List<Wanted> wanted, List<ValueTest.OfColumn> tests, boolean once) {
    Optional<int[]> fewest = Optional.empty();
    for (ValueTest.OfColumn of : tests) {
      Wanted column = wanted.get(of.column());
      List<ColumnDescriptor> leaves =
          layout.find(column).map(FileLayout.Field::leaves).orElse(List.of());
      if (leaves.size() != 1
          || column.type().isNested()
          || !(of.test() instanceof ValueTest.Key asked)) {
        continue;
      }
      CachedChunk.Key key = key(range.rowGroup(), leaves.get(0), column.type());
      Optional<int[]> rows =
          cache
              .get(key)
              .flatMap(
                  chunk ->
                      lookup.rows(key, chunk, leaves.get(0), asked.keys(), once, range.from() > 0));
      if (rows.isPresent() && (fewest.isEmpty() || rows.get().length < fewest.get().length)) {
        fewest = rows;
      }
    }
    return fewest;
  }

  private static void skip(PagedColumn[] decoders, long rows) throws IOException {
    for (PagedColumn decoder : decoders) {
      if (decoder != null) {
        decoder.skip(Math.toIntExact(rows));
      }
    }
  }

  private int sifted(RowSieve sieve, int rows, int ordinal) throws IOException {
    try {
      return sieve.sift(rows);
    } catch (RuntimeException e) {
      throw damaged(ordinal, "", e);
    }
  }

  private PagedColumn[] decoders(
      Pages pages, List<Wanted> wanted, Map<ColumnDescriptor, Type> chosen) throws IOException {
    PagedColumn[] out = new PagedColumn[wanted.size()];
    if (chosen.isEmpty()) {
      return out;
    }
    try {
      pages.read(chosen);
      for (int i = 0; i < out.length; i++) {
        Optional<FileLayout.Field> field = layout.find(wanted.get(i));
        if (field.isPresent()) {
          out[i] = decoder(field.get(), wanted.get(i).type(), pages);
        }
      }
      return out;
    } catch (RuntimeException e) {
      throw damaged(pages.rowGroup, damagedColumn(pages.rowGroup, chosen.keySet()), e);
    }
  }

  /** The first column that cannot be read by itself; all were read in one go. */
  private String damagedColumn(int ordinal, Set<ColumnDescriptor> chosen) {
    for (ColumnDescriptor column : chosen) {
      try {
        reader().setRequestedSchema(List.of(column));
        reader().readRowGroup(ordinal);
      } catch (IOException | RuntimeException e) {
        return String.join(".", column.getPath());
      }
    }
    return "";
  }

  private FileFormatException damaged(int ordinal, String column, RuntimeException cause) {
    return new FileFormatException(
        "File [%s] is damaged: its bytes are not those that were written%s, in row group %d"
            .formatted(file, column.isEmpty() ? "" : " of column [%s]".formatted(column), ordinal),
        cause);
  }

  private PagedColumn decoder(FileLayout.Field field, Type wanted, Pages pages) throws IOException {
    // Older files may have fewer fields in a struct, or narrower numbers inside.
    Type inFile = wanted.isNested() ? named(ParquetSchema.type(field.type()), wanted) : wanted;
    if (!Conform.fits(inFile, wanted)) {
      throw mismatch(field.type().toString(), wanted);
    }
    return decoder(field, wanted, inFile, pages);
  }

  private PagedColumn decoder(FileLayout.Field field, Type wanted, Type type, Pages pages)
      throws IOException {
    List<ChunkDecoder> leaves = new ArrayList<>();
    List<Type> leafTypes = NestedDecoder.leafTypes(type);
    List<ColumnDescriptor> columns = field.leaves();
    if (columns.size() != leafTypes.size()) {
      throw mismatch(field.type().toString(), wanted);
    }
    for (int i = 0; i < columns.size(); i++) {
      ColumnDescriptor column = columns.get(i);
      ChunkDecoder.mismatch(column, leafTypes.get(i))
          .ifPresent(
              holds -> {
                throw mismatch(holds, wanted);
              });
      leaves.add(new ChunkDecoder(pages.of(column), column, leafTypes.get(i)));
    }
    return type.isNested() ? new NestedDecoder(field.type(), type, leaves) : leaves.get(0);
  }

  /** The file's type with the names that the table has: files spell some characters out. */
  private static Type named(Type inFile, Type wanted) {
    if (inFile.kind() != wanted.kind() || !inFile.isNested()) {
      return inFile;
    }
    if (inFile.kind() == Type.Kind.LIST) {
      return Type.list(named(inFile.element(), wanted.element()));
    }
    if (inFile.kind() == Type.Kind.MAP) {
      return Type.map(
          inFile.parts().get(0).type(),
          named(inFile.parts().get(1).type(), wanted.parts().get(1).type()));
    }
    List<Type.Part> parts = new ArrayList<>();
    for (Type.Part p : inFile.parts()) {
      Type.Part as = p;
      for (Type.Part w : wanted.parts()) {
        boolean same =
            w.name().equals(p.name())
                || AvroSchemaUtil.makeCompatibleName(w.name()).equals(p.name());
        as = same ? new Type.Part(w.name(), named(p.type(), w.type())) : as;
      }
      parts.add(as);
    }
    return Type.struct(parts);
  }

  private FileFormatException mismatch(String holds, Type type) {
    return new FileFormatException(
        "File [%s] holds [%s] where the table has %s".formatted(file, holds, type));
  }

  /** The pages of a row group's columns, of those that are kept or from the file. */
  private final class Pages implements AutoCloseable {
    private final int rowGroup;
    private final Map<ColumnDescriptor, ChunkPages> chunks = new HashMap<>();
    private final List<ReadCache.Slot<CachedChunk>> slots = new ArrayList<>();

    Pages(int rowGroup) {
      this.rowGroup = rowGroup;
    }

    void read(Map<ColumnDescriptor, Type> leaves) throws IOException {
      List<ColumnDescriptor> missing = new ArrayList<>();
      leaves.forEach(
          (leaf, type) -> {
            Optional<CachedChunk> kept = cache.get(key(rowGroup, leaf, type));
            kept.ifPresent(chunk -> chunks.put(leaf, chunk.fromFirst()));
            if (kept.isEmpty()) {
              missing.add(leaf);
            }
          });
      if (missing.isEmpty()) {
        return;
      }
      reader().setRequestedSchema(missing);
      PageReadStore store = reader().readRowGroup(rowGroup);
      for (ColumnDescriptor leaf : missing) {
        chunks.put(leaf, keeping(leaf, leaves.get(leaf), store.getPageReader(leaf)));
      }
    }

    private ChunkPages keeping(ColumnDescriptor leaf, Type type, PageReader pages) {
      long inflated = 0;
      for (ColumnChunkMetaData chunk : footer().getBlocks().get(rowGroup).getColumns()) {
        if (Arrays.equals(chunk.getPath().toArray(), leaf.getPath())) {
          inflated = chunk.getTotalUncompressedSize();
        }
      }
      Optional<ReadCache.Slot<CachedChunk>> slot =
          cache.slot(
              key(rowGroup, leaf, type), CachedChunk.bytes(inflated, pages.getTotalValueCount()));
      slot.ifPresent(slots::add);
      return slot.isPresent() ? CachedChunk.filling(pages, slot.get()) : ChunkPages.of(pages);
    }

    ChunkPages of(ColumnDescriptor leaf) {
      return chunks.get(leaf);
    }

    @Override
    public void close() {
      slots.forEach(ReadCache.Slot::close);
    }
  }

  @Override
  public void close() {
    try {
      if (opened.isPresent()) {
        opened.get().close();
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
