package yardage.core.format.parquet;

import java.io.IOException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import java.util.function.ToLongFunction;
import java.util.stream.IntStream;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.hadoop.metadata.ColumnChunkMetaData;
import org.apache.parquet.internal.column.columnindex.ColumnIndex;
import org.apache.parquet.internal.column.columnindex.OffsetIndex;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.exec.LeftOut;
import yardage.core.exec.ReadCache;

/**
 * Which rows of a row group may count, as the statistics of the row group, those of its pages
 * (Apache Parquet format, page index) and its Bloom filters tell. Pages are told apart where those
 * of all columns end at the same rows, as this project writes them. One thread at a time.
 */
final class PageChoice {
  /** Of fewer pages that are left, a Bloom filter is more to read than they are. */
  private static final int LEAST_PAGES_FOR_BLOOM = 3;

  private static final long INDEX_BYTES = 400;
  private static final int PAGE_BYTES = 24;

  private final OpenedFile file;
  private final int rowGroup;
  private final Passed passed;

  PageChoice(OpenedFile file, int rowGroup, Passed passed) {
    this.file = file;
    this.rowGroup = rowGroup;
    this.passed = passed;
  }

  /**
   * Where the pages of a row group's columns are.
   *
   * @param firstRows of each page
   * @param of the first column
   */
  record Pages(long[] firstRows, long[] bytes, OffsetIndex of) {
    int count() {
      return firstRows.length;
    }
  }

  /**
   * What is to be read.
   *
   * @param pages empty for all, one after the other
   * @param kept which of the pages
   */
  record Rows(Optional<Pages> pages, BitSet kept) {
    static final Rows ALL = new Rows(Optional.empty(), new BitSet());

    static final Rows NONE =
        new Rows(Optional.of(new Pages(new long[0], new long[0], null)), new BitSet());

    boolean isNone() {
      return pages.isPresent() && kept.isEmpty();
    }

    /** Goes through those of a range, in order. */
    void read(DataFileReader.RowRange range, RowTaker taker) throws IOException {
      if (pages.isEmpty()) {
        taker.skip(range.from());
        taker.take(range.from(), range.to() - range.from());
        return;
      }
      long[] first = pages.get().firstRows();
      for (int p = kept.nextSetBit(0); p >= 0; p = kept.nextSetBit(p + 1)) {
        long from = Math.max(first[p], range.from());
        long to = p + 1 < first.length ? Math.min(first[p + 1], range.to()) : range.to();
        taker.skip(from - first[p]);
        taker.take(from, to - from);
      }
    }

    /** About what these take in the file, of the columns that are read. */
    long bytes(
        DataFileReader.RowRange range, Collection<ColumnDescriptor> leaves, OpenedFile file) {
      if (pages.isPresent()) {
        long[] bytes = pages.get().bytes();
        return kept.stream().mapToLong(p -> bytes[p]).sum();
      }
      long all =
          leaves.stream().mapToLong(l -> file.chunk(range.rowGroup(), l).getTotalSize()).sum();
      long rows = Math.max(1, file.rowGroup(range.rowGroup()).getRowCount());
      return Math.round((double) all * (range.to() - range.from()) / rows);
    }
  }

  /** Takes rows of all columns, of those pages that are read. */
  interface RowTaker {
    /** The next ones do not count. */
    void skip(long rows) throws IOException;

    /**
     * @param first the place of the next one in the row group
     */
    void take(long first, long rows) throws IOException;
  }

  /** A filter with the one leaf that it looks at. */
  private record OfLeaf(ColumnFilter filter, ColumnDescriptor leaf, ColumnChunkMetaData chunk) {}

  private record BoundsKey(CachedChunk.Key chunk, boolean ofPages)
      implements ReadCache.Key<PageBounds> {}

  private record OffsetsKey(CachedChunk.Key chunk) implements ReadCache.Key<OffsetIndex> {}

  private record BloomKey(CachedChunk.Key chunk) implements ReadCache.Key<BloomFilters.Kept> {}

  /**
   * @param range rows of the row group
   * @param wanted columns that are read
   */
  Rows of(
      DataFileReader.RowRange range, List<ColumnFilter> filters, List<DataFileReader.Wanted> wanted)
      throws IOException {
    List<OfLeaf> known = new ArrayList<>();
    boolean isFirst = range.from() == 0;
    for (ColumnFilter filter : filters) {
      Optional<FileLayout.Field> field = file.layout().find(filter.column());
      // A column that came later is null in all rows of the file.
      boolean isRuledOut = field.isEmpty() && !filter.test().takesNulls();
      Optional<OfLeaf> leaf = field.flatMap(f -> leaf(filter, f));
      if (leaf.isPresent()) {
        known.add(leaf.get());
        isRuledOut = !ofRowGroup(leaf.get()).mayMeet(0, filter.test());
      }
      if (isRuledOut) {
        if (isFirst) {
          passed.rowGroup(LeftOut.By.STATISTICS, filter);
        }
        return Rows.NONE;
      }
    }
    if (known.isEmpty()) {
      return Rows.ALL;
    }
    Rows rows = byPages(range, known, wanted);
    if (rows.isNone()) {
      return rows;
    }
    return byBloomFilters(known, rows, isFirst) ? rows : Rows.NONE;
  }

  /** Only of plain columns of kinds that have an order, and of the type that the table has. */
  private Optional<OfLeaf> leaf(ColumnFilter filter, FileLayout.Field field) {
    Type type = filter.column().type();
    boolean isPlain =
        field.leaves().size() == 1
            && !type.isNested()
            && type.kind() != Type.Kind.BOOLEAN
            && type.kind() != Type.Kind.BINARY
            && ChunkDecoder.mismatch(field.leaves().get(0), type).isEmpty();
    return isPlain
        ? Optional.of(
            new OfLeaf(filter, field.leaves().get(0), file.chunk(rowGroup, field.leaves().get(0))))
        : Optional.empty();
  }

  private PageBounds ofRowGroup(OfLeaf of) throws IOException {
    return kept(
            new BoundsKey(key(of), false),
            () -> PageBounds.ofAll(of.chunk, of.leaf, of.filter.column().type()),
            PageBounds::sizeBytes)
        .orElseThrow();
  }

  private CachedChunk.Key key(OfLeaf of) {
    return file.key(rowGroup, of.leaf, of.filter.column().type());
  }

  /** Reads something of the file; null where it has none. */
  private interface Reading<V> {
    V read() throws IOException;
  }

  /** What is kept of the file, or is read and kept now; empty where it has none. */
  private <V> Optional<V> kept(ReadCache.Key<V> key, Reading<V> reading, ToLongFunction<V> bytes)
      throws IOException {
    Optional<V> kept = file.cache().get(key);
    if (kept.isPresent()) {
      return kept;
    }
    Optional<V> read = Optional.ofNullable(reading.read());
    read.ifPresent(
        value ->
            file.cache()
                .slot(key, INDEX_BYTES + bytes.applyAsLong(value))
                .ifPresent(slot -> slot.fill(value)));
    return read;
  }

  private Rows byPages(
      DataFileReader.RowRange range, List<OfLeaf> filters, List<DataFileReader.Wanted> wanted)
      throws IOException {
    Optional<Pages> pages = pages(filters, wanted);
    if (pages.isEmpty() || pages.get().count() < 2) {
      return Rows.ALL;
    }
    long[] first = pages.get().firstRows();
    BitSet kept = within(range, first);
    int all = kept.cardinality();
    long columns = wanted.stream().filter(w -> file.layout().find(w).isPresent()).count();
    for (OfLeaf of : filters) {
      Optional<PageBounds> bounds = ofPages(of);
      if (bounds.isEmpty() || bounds.get().values().size() != first.length) {
        continue;
      }
      int before = kept.cardinality();
      kept.stream().filter(p -> !bounds.get().mayMeet(p, of.filter.test())).forEach(kept::clear);
      int gone = before - kept.cardinality();
      if (kept.isEmpty() && all == first.length) {
        passed.rowGroup(LeftOut.By.PAGE_INDEX, of.filter);
        return Rows.NONE;
      }
      if (gone > 0) {
        passed.pages(gone * columns, of.filter);
      }
    }
    return kept.cardinality() == first.length ? Rows.ALL : new Rows(pages, kept);
  }

  /** The pages that have rows of a range. */
  private static BitSet within(DataFileReader.RowRange range, long[] first) {
    BitSet out = new BitSet();
    IntStream.range(0, first.length)
        .filter(
            p -> first[p] < range.to() && (p + 1 == first.length || first[p + 1] > range.from()))
        .forEach(out::set);
    return out;
  }

  /** The pages of all columns that are read, where they are the same rows. */
  private Optional<Pages> pages(List<OfLeaf> filters, List<DataFileReader.Wanted> wanted)
      throws IOException {
    Optional<Pages> out = Optional.empty();
    for (OfLeaf of : filters) {
      out = together(out, offsets(of.leaf, of.filter.column().type()));
      if (out.isEmpty()) {
        return out;
      }
    }
    long[] bytes = new long[out.orElseThrow().count()];
    for (var leaf : file.layout().leaves(wanted).entrySet()) {
      Optional<OffsetIndex> offsets = offsets(leaf.getKey(), leaf.getValue());
      out = together(out, offsets);
      if (out.isEmpty()) {
        return out;
      }
      for (int p = 0; p < bytes.length; p++) {
        bytes[p] += offsets.orElseThrow().getCompressedPageSize(p);
      }
    }
    return Optional.of(new Pages(out.get().firstRows(), bytes, out.get().of()));
  }

  private static Optional<Pages> together(Optional<Pages> others, Optional<OffsetIndex> offsets) {
    if (offsets.isEmpty()) {
      return Optional.empty();
    }
    OffsetIndex index = offsets.get();
    long[] first =
        IntStream.range(0, index.getPageCount()).mapToLong(index::getFirstRowIndex).toArray();
    if (others.isEmpty()) {
      return Optional.of(new Pages(first, new long[0], index));
    }
    return Arrays.equals(first, others.get().firstRows()) ? others : Optional.empty();
  }

  private Optional<OffsetIndex> offsets(ColumnDescriptor leaf, Type type) throws IOException {
    ColumnChunkMetaData chunk = file.chunk(rowGroup, leaf);
    return chunk.getOffsetIndexReference() == null
        ? Optional.empty()
        : kept(
            new OffsetsKey(file.key(rowGroup, leaf, type)),
            () -> file.reader().readOffsetIndex(chunk),
            index -> (long) PAGE_BYTES * index.getPageCount());
  }

  private Optional<PageBounds> ofPages(OfLeaf of) throws IOException {
    return of.chunk.getColumnIndexReference() == null
        ? Optional.empty()
        : kept(new BoundsKey(key(of), true), () -> readBounds(of), PageBounds::sizeBytes);
  }

  private PageBounds readBounds(OfLeaf of) throws IOException {
    ColumnIndex index = file.reader().readColumnIndex(of.chunk);
    return index == null ? null : PageBounds.ofPages(index, of.leaf, of.filter.column().type());
  }

  /**
   * @return false when one of the filters finds none of its values
   */
  private boolean byBloomFilters(List<OfLeaf> filters, Rows rows, boolean isFirst)
      throws IOException {
    if (rows.pages().isPresent() && rows.kept().cardinality() < LEAST_PAGES_FOR_BLOOM) {
      return true;
    }
    for (OfLeaf of : filters) {
      Optional<Column> sought = of.filter.test().sought();
      // Where a column is in memory, its values are looked at as fast.
      if (sought.isEmpty()
          || of.chunk.getBloomFilterOffset() < 0
          || file.cache().get(key(of)).isPresent()) {
        continue;
      }
      if (!bloom(of).mayHave(sought.get(), of.leaf.getPrimitiveType())) {
        if (isFirst) {
          passed.rowGroup(LeftOut.By.BLOOM_FILTER, of.filter);
        }
        return false;
      }
    }
    return true;
  }

  private BloomFilters.Kept bloom(OfLeaf of) throws IOException {
    return kept(
            new BloomKey(key(of)),
            () -> new BloomFilters.Kept(file.reader().readBloomFilter(of.chunk)),
            BloomFilters.Kept::sizeBytes)
        .orElseThrow();
  }
}
