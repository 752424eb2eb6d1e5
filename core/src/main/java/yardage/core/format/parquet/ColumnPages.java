package yardage.core.format.parquet;

import java.io.IOException;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.page.PageReadStore;
import org.apache.parquet.column.page.PageReader;
import org.apache.parquet.internal.filter2.columnindex.RowRanges;
import yardage.core.column.Type;
import yardage.core.exec.ReadCache;

/**
 * The pages of a row group's columns, of those that are kept in memory or from the file. All pages
 * of a column are kept if most of them are wanted, and it was asked for before. One thread at a
 * time.
 */
final class ColumnPages implements AutoCloseable {
  /** Of fewer pages than one of so many it is no use to keep all. */
  private static final int FEW = 4;

  private final OpenedFile file;
  private final int rowGroup;
  private final PageChoice.Rows rows;
  private final Map<ColumnDescriptor, ChunkPages> chunks = new HashMap<>();
  private final List<ReadCache.Slot<CachedChunk>> slots = new ArrayList<>();

  /**
   * @param rows which pages are wanted
   */
  ColumnPages(OpenedFile file, int rowGroup, PageChoice.Rows rows) {
    this.file = file;
    this.rowGroup = rowGroup;
    this.rows = rows;
  }

  void read(Map<ColumnDescriptor, Type> leaves) throws IOException {
    List<ColumnDescriptor> whole = new ArrayList<>();
    List<ColumnDescriptor> some = new ArrayList<>();
    Map<ColumnDescriptor, ReadCache.Slot<CachedChunk>> room = new HashMap<>();
    for (var leaf : leaves.entrySet()) {
      Optional<CachedChunk> kept =
          file.cache().get(file.key(rowGroup, leaf.getKey(), leaf.getValue()));
      if (kept.isPresent()) {
        chunks.put(leaf.getKey(), of(kept.get()));
        continue;
      }
      Optional<ReadCache.Slot<CachedChunk>> slot =
          isFew() ? Optional.empty() : slot(leaf.getKey(), leaf.getValue());
      slot.ifPresent(s -> room.put(leaf.getKey(), s));
      (rows.pages().isEmpty() || slot.isPresent() ? whole : some).add(leaf.getKey());
    }
    if (!whole.isEmpty()) {
      file.reader().setRequestedSchema(whole);
      PageReadStore store = file.reader().readRowGroup(rowGroup);
      for (ColumnDescriptor leaf : whole) {
        PageReader pages = store.getPageReader(leaf);
        ChunkPages all =
            room.containsKey(leaf)
                ? CachedChunk.filling(pages, room.get(leaf))
                : ChunkPages.of(pages);
        chunks.put(leaf, rows.pages().isEmpty() ? all : ChunkPages.of(all, rows.kept()));
      }
    }
    if (!some.isEmpty()) {
      PageChoice.Pages pages = rows.pages().orElseThrow();
      file.reader().setRequestedSchema(some);
      PageReadStore store =
          file.reader()
              .readFilteredRowGroup(
                  rowGroup,
                  RowRanges.create(
                      file.rowGroup(rowGroup).getRowCount(),
                      rows.kept().stream().iterator(),
                      pages.of()));
      some.forEach(leaf -> chunks.put(leaf, ChunkPages.of(store.getPageReader(leaf))));
    }
  }

  private ChunkPages of(CachedChunk kept) {
    return rows.pages().isEmpty() ? kept.fromFirst() : kept.of(rows.kept());
  }

  private boolean isFew() {
    BitSet kept = rows.kept();
    return rows.pages().map(p -> kept.cardinality() * FEW <= p.count()).orElse(false);
  }

  private Optional<ReadCache.Slot<CachedChunk>> slot(ColumnDescriptor leaf, Type type) {
    var chunk = file.chunk(rowGroup, leaf);
    Optional<ReadCache.Slot<CachedChunk>> slot =
        file.cache()
            .slot(
                file.key(rowGroup, leaf, type),
                CachedChunk.bytes(chunk.getTotalUncompressedSize(), chunk.getValueCount()));
    slot.ifPresent(slots::add);
    return slot;
  }

  ChunkPages of(ColumnDescriptor leaf) {
    return chunks.get(leaf);
  }

  @Override
  public void close() {
    slots.forEach(ReadCache.Slot::close);
  }
}
