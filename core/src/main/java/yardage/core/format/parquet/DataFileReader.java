package yardage.core.format.parquet;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.ToLongFunction;
import org.apache.iceberg.avro.AvroSchemaUtil;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.hadoop.metadata.BlockMetaData;
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
  /** A range has about so many pages. */
  private static final int RANGE_PAGES = 4;

  private final OpenedFile file;
  private final FileLayout layout;
  private final KeyLookup lookup;

  /**
   * A column wanted: by the field number that the file's schema gives it, so that renames do not
   * matter.
   */
  public record Wanted(int fieldId, Type type) {}

  /**
   * What is wanted of a file.
   *
   * @param counting what rows that count have; their columns are places among {@code wanted}
   * @param filters by which rows that do not count are passed over
   */
  public record Asked(
      List<Wanted> wanted, List<RowCondition> counting, List<ColumnFilter> filters) {
    public Asked {
      wanted = List.copyOf(wanted);
      counting = List.copyOf(counting);
      filters = List.copyOf(filters);
    }

    /** All rows. */
    public static Asked all(List<Wanted> wanted) {
      return new Asked(wanted, List.of(), List.of());
    }
  }

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
    this(new OpenedFile(file, cache, fileBytes));
  }

  private DataFileReader(OpenedFile file) {
    this.file = file;
    this.layout = file.layout();
    this.lookup = new KeyLookup(file.cache());
  }

  /** The reader of a file, if nothing of it needs to be read for that. */
  public static Optional<DataFileReader> ofKept(Place file, ReadCache cache, long fileBytes) {
    return OpenedFile.ofKept(file, cache, fileBytes).map(DataFileReader::new);
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

  public long rowCount(int rowGroup) {
    return file.rowGroup(rowGroup).getRowCount();
  }

  /** Rows of a row group, from one to before another. */
  public record RowRange(int rowGroup, long from, long to) {}

  /** All rows of a row group. */
  public RowRange all(int rowGroup) {
    return new RowRange(rowGroup, 0, rowCount(rowGroup));
  }

  /**
   * The rows of a row group in ranges that several can read side by side: more than one where all
   * that is wanted of it is in memory, since otherwise each would read all of it.
   */
  public List<RowRange> ranges(int rowGroup, List<Wanted> wanted) {
    long rows = rowCount(rowGroup);
    boolean kept =
        layout.leaves(wanted).entrySet().stream()
            .allMatch(
                leaf ->
                    file.cache()
                        .get(file.key(rowGroup, leaf.getKey(), leaf.getValue()))
                        .isPresent());
    long pages = (rows + ChunkEncoder.PAGE_ROWS - 1) / ChunkEncoder.PAGE_ROWS;
    long parts = kept ? Math.max(1, pages / RANGE_PAGES) : 1;
    long step = (pages + parts - 1) / parts * ChunkEncoder.PAGE_ROWS;
    List<RowRange> out = new ArrayList<>();
    for (long from = 0; from < rows; from += step) {
      out.add(new RowRange(rowGroup, from, Math.min(rows, from + step)));
    }
    return out;
  }

  /** Reads one row group into batches of a page's rows; columns that the file lacks are null. */
  public void readRowGroup(int ordinal, List<Wanted> wanted, BatchConsumer out) {
    readRows(all(ordinal), Asked.all(wanted), Passed.NOBODY, out);
  }

  /**
   * As {@link #readRowGroup}, some of the rows, and without those that do not count, as far as
   * leaving them out is less work.
   */
  public void readRows(RowRange range, Asked asked, Passed passed, BatchConsumer out) {
    int ordinal = range.rowGroup();
    Map<ColumnDescriptor, Type> chosen = layout.leaves(asked.wanted());
    try {
      PageChoice.Rows rows = chosen(range, asked, passed);
      if (rows.isNone()) {
        if (rows != PageChoice.Rows.NONE) {
          // Other ranges of the row group may have rows that count.
          passed.read(range.from() == 0, 0, 0, 0);
        }
        return;
      }
      try (ColumnPages pages = new ColumnPages(file, ordinal, rows)) {
        PagedColumn[] decoders = decoders(ordinal, pages, asked.wanted(), chosen);
        List<ValueTest.OfColumn> tests = ValueTest.of(asked.counting());
        boolean once =
            asked.counting().size() == 1
                && asked.counting().get(0) instanceof KeyRange only
                && only.once();
        Reading reading =
            new Reading(
                ordinal,
                asked.wanted(),
                decoders,
                new RowSieve(decoders, tests, found(range, asked.wanted(), tests, once)),
                out);
        try {
          rows.read(range, reading);
        } finally {
          // Whoever has enough rows lets no more of them come.
          passed.read(
              range.from() == 0,
              reading.pages(PagedColumn::usedPages),
              reading.pages(PagedColumn::unusedPages),
              rows.bytes(range, chosen.keySet(), file));
        }
      }
    } catch (IOException e) {
      throw file.unread(e);
    }
  }

  private PageChoice.Rows chosen(RowRange range, Asked asked, Passed passed) {
    try {
      return new PageChoice(file, range.rowGroup(), passed)
          .of(range, asked.filters(), asked.wanted());
    } catch (IOException | RuntimeException e) {
      // Indexes have no checksums, unlike pages.
      throw file.damaged(range.rowGroup(), "", e);
    }
  }

  /** The rows of a row group on their way to whoever reads them. */
  private final class Reading implements PageChoice.RowTaker {
    private final int ordinal;
    private final List<Wanted> wanted;
    private final PagedColumn[] decoders;
    private final RowSieve sieve;
    private final BatchConsumer out;
    private long sequence;

    Reading(
        int ordinal,
        List<Wanted> wanted,
        PagedColumn[] decoders,
        RowSieve sieve,
        BatchConsumer out) {
      this.ordinal = ordinal;
      this.wanted = wanted;
      this.decoders = decoders;
      this.sieve = sieve;
      this.out = out;
      this.sequence = (long) ordinal << 14;
    }

    @Override
    public void skip(long rows) throws IOException {
      for (PagedColumn decoder : decoders) {
        if (decoder != null) {
          decoder.pass(Math.toIntExact(rows));
        }
      }
    }

    @Override
    public void take(long first, long rows) throws IOException {
      sieve.goTo(first);
      for (long left = rows; left > 0; ) {
        int n = (int) Math.min(left, ChunkEncoder.PAGE_ROWS);
        for (PagedColumn decoder : decoders) {
          if (decoder != null) {
            n = Math.min(n, Math.max(1, decoder.available()));
            break;
          }
        }
        left -= n;
        take(n, sifted(n));
        sequence++;
      }
    }

    private int sifted(int rows) throws IOException {
      try {
        return sieve.sift(rows);
      } catch (RuntimeException e) {
        throw file.damaged(ordinal, "", e);
      }
    }

    private void take(int rows, int counted) throws IOException {
      if (counted == 0) {
        for (PagedColumn decoder : decoders) {
          if (decoder != null) {
            decoder.skip(rows);
          }
        }
        return;
      }
      List<Column> columns = new ArrayList<>();
      for (int i = 0; i < decoders.length; i++) {
        Type type = wanted.get(i).type();
        try {
          columns.add(
              decoders[i] == null
                  ? Literal.of(type, null).column(counted)
                  : Conform.to(sieve.next(decoders[i], rows, counted), type));
        } catch (RuntimeException e) {
          String name = layout.find(wanted.get(i)).map(f -> f.type().getName()).orElse("");
          throw file.damaged(ordinal, name, e);
        }
      }
      out.accept(new Batch(columns, counted, sequence));
    }

    long pages(ToLongFunction<PagedColumn> count) {
      long out = 0;
      for (PagedColumn decoder : decoders) {
        out += decoder == null ? 0 : count.applyAsLong(decoder);
      }
      return out;
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
      CachedChunk.Key key = file.key(range.rowGroup(), leaves.get(0), column.type());
      Optional<int[]> rows =
          file.cache()
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

  private PagedColumn[] decoders(
      int ordinal, ColumnPages pages, List<Wanted> wanted, Map<ColumnDescriptor, Type> chosen)
      throws IOException {
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
      throw file.damaged(ordinal, damagedColumn(ordinal, chosen.keySet()), e);
    }
  }

  /** The first column that cannot be read by itself; all were read in one go. */
  private String damagedColumn(int ordinal, Set<ColumnDescriptor> chosen) {
    for (ColumnDescriptor column : chosen) {
      try {
        file.reader().setRequestedSchema(List.of(column));
        file.reader().readRowGroup(ordinal);
      } catch (IOException | RuntimeException e) {
        return String.join(".", column.getPath());
      }
    }
    return "";
  }

  private PagedColumn decoder(FileLayout.Field field, Type wanted, ColumnPages pages)
      throws IOException {
    // Older files may have fewer fields in a struct, or narrower numbers inside.
    Type inFile = wanted.isNested() ? named(ParquetSchema.type(field.type()), wanted) : wanted;
    if (!Conform.fits(inFile, wanted)) {
      throw file.mismatch(field.type().toString(), wanted);
    }
    return decoder(field, wanted, inFile, pages);
  }

  private PagedColumn decoder(FileLayout.Field field, Type wanted, Type type, ColumnPages pages)
      throws IOException {
    List<ChunkDecoder> leaves = new ArrayList<>();
    List<Type> leafTypes = NestedDecoder.leafTypes(type);
    List<ColumnDescriptor> columns = field.leaves();
    if (columns.size() != leafTypes.size()) {
      throw file.mismatch(field.type().toString(), wanted);
    }
    for (int i = 0; i < columns.size(); i++) {
      ColumnDescriptor column = columns.get(i);
      ChunkDecoder.mismatch(column, leafTypes.get(i))
          .ifPresent(
              holds -> {
                throw file.mismatch(holds, wanted);
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

  @Override
  public void close() {
    file.close();
  }
}
