package yardage.core.lake;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.Predicate;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.util.Pair;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.LeftOut;
import yardage.core.exec.ScanSource;
import yardage.core.exec.StepTally;
import yardage.core.format.FileFormatException;
import yardage.core.format.parquet.ColumnFilter;
import yardage.core.format.parquet.DataFileReader;
import yardage.core.format.parquet.Passed;

/**
 * Reads some columns of a state's files, without the files, row groups and pages that have no row
 * which counts, and tells what was left out and why. Immutable.
 */
final class FileScan {
  private final LakeTable table;
  private final List<ScanFilter> filters;
  private final DataFileReader.Asked asked;
  private final Optional<FileOrder> order;
  private final StepTally tally;
  private final Passed passed;

  /**
   * @param filters those that {@code asked} has, by which files are left out
   * @param order where the first rows of an order are wanted
   */
  FileScan(
      LakeTable table,
      List<ScanFilter> filters,
      DataFileReader.Asked asked,
      Optional<FileOrder> order,
      StepTally tally) {
    this.table = table;
    this.filters = filters;
    this.asked = asked;
    this.order = order;
    this.tally = tally;
    this.passed = new Told(tally);
  }

  /**
   * @param wanted which of the files are, whatever their rows
   */
  ScanSource source(Predicate<DataFile> wanted) {
    return () -> {
      List<FileOrder.Part> parts = new ArrayList<>();
      for (DataFile file : files()) {
        if (!wanted.test(file)) {
          tally.files.leftOut.increment();
          continue;
        }
        tally.files.read.increment();
        int groups = file.splitOffsets() == null ? -1 : file.splitOffsets().size();
        for (int g = groups < 0 ? -1 : 0; g < groups; g++) {
          boolean begins = true;
          for (ScanSource.Split split : splits(file, g)) {
            parts.add(new FileOrder.Part(file, split, begins));
            begins = false;
          }
        }
      }
      return order
          .map(o -> o.bestFirst(parts, tally))
          .orElseGet(() -> parts.stream().map(FileOrder.Part::split).toList());
    };
  }

  /** The files that may have rows that meet all filters; the others are counted. */
  private List<DataFile> files() {
    Optional<List<DataFile>> kept = table.knownFiles();
    if (kept.isEmpty()) {
      List<DataFile> found = table.plan(ScanFilter.all(filters), false);
      String words = String.join(" and ", filters.stream().map(ScanFilter::words).toList());
      tally.leftOut(
          new LeftOut(LeftOut.Unit.FILES, LeftOut.By.PARTITION_OR_STATISTICS, words),
          table.fileCount() - found.size());
      return found;
    }
    List<FileTest> tests = filters.stream().map(f -> table.test(f.files())).toList();
    List<DataFile> out = new ArrayList<>();
    for (DataFile file : kept.get()) {
      boolean isOut = false;
      for (int f = 0; f < tests.size() && !isOut; f++) {
        Optional<LeftOut.By> by = tests.get(f).ruledOut(file);
        if (by.isPresent()) {
          tally.leftOut(new LeftOut(LeftOut.Unit.FILES, by.get(), filters.get(f).words()), 1);
          isOut = true;
        }
      }
      if (!isOut) {
        out.add(file);
      }
    }
    countPartitions(kept.get(), out);
    return out;
  }

  private void countPartitions(List<DataFile> all, List<DataFile> read) {
    int partitions = partitions(all);
    if (partitions > 1) {
      int those = partitions(read);
      tally.partitions.read.add(those);
      tally.partitions.leftOut.add(partitions - those);
    }
  }

  private int partitions(List<DataFile> files) {
    Set<Pair<Integer, Object>> out = new HashSet<>();
    for (DataFile file : files) {
      if (file.partition().size() > 0) {
        out.add(Pair.of(file.specId(), file.partition()));
      }
    }
    return out.size();
  }

  /**
   * What workers read of a row group: all of it, or ranges where it is in memory.
   *
   * @param rowGroup -1 for all row groups
   */
  private List<ScanSource.Split> splits(DataFile file, int rowGroup) {
    List<ScanSource.Split> out = new ArrayList<>();
    if (rowGroup >= 0) {
      table
          .keptReader(file)
          .filter(reader -> rowGroup < reader.rowGroupCount())
          .ifPresent(
              reader ->
                  reader
                      .ranges(rowGroup, asked.wanted())
                      .forEach(range -> out.add((worker, to) -> read(file, range, to))));
    }
    if (out.isEmpty()) {
      out.add((worker, to) -> read(file, rowGroup, to));
    }
    return out;
  }

  /**
   * Reads one file, or a row group of it, on the calling thread.
   *
   * @param rowGroup -1 for all
   */
  void read(DataFile file, int rowGroup, BatchConsumer out) {
    try (DataFileReader reader = table.reader(file)) {
      int from = rowGroup < 0 ? 0 : rowGroup;
      int to = rowGroup < 0 ? reader.rowGroupCount() : rowGroup + 1;
      for (int g = from; g < to; g++) {
        read(reader, reader.all(g), out);
      }
    } catch (FileFormatException e) {
      throw table.lost(file, e);
    }
  }

  private void read(DataFile file, DataFileReader.RowRange range, BatchConsumer out) {
    try (DataFileReader reader = table.reader(file)) {
      read(reader, range, out);
    } catch (FileFormatException e) {
      throw table.lost(file, e);
    }
  }

  private void read(DataFileReader reader, DataFileReader.RowRange range, BatchConsumer out) {
    reader.readRows(
        range,
        asked,
        passed,
        batch -> {
          tally.rowsIn.add(batch.rowCount());
          out.accept(batch);
        });
  }

  /** Counts for a step. */
  private record Told(StepTally tally) implements Passed {
    @Override
    public void rowGroup(LeftOut.By by, ColumnFilter filter) {
      tally.leftOut(new LeftOut(LeftOut.Unit.ROW_GROUPS, by, filter.words()), 1);
    }

    @Override
    public void pages(long count, ColumnFilter filter) {
      tally.leftOut(new LeftOut(LeftOut.Unit.PAGES, LeftOut.By.PAGE_INDEX, filter.words()), count);
    }

    @Override
    public void read(boolean first, long pages, long unused, long bytes) {
      tally.rowGroups.read.add(first ? 1 : 0);
      tally.pages.read.add(pages);
      tally.leftOut(new LeftOut(LeftOut.Unit.PAGES, LeftOut.By.ROWS, ""), unused);
      tally.bytesRead.add(bytes);
    }
  }
}
