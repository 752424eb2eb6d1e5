package yardage.core.lake;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.Schema;
import org.apache.iceberg.types.Types;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.LeftOut;
import yardage.core.exec.ScanSource;
import yardage.core.exec.StepTally;
import yardage.core.exec.Worker;
import yardage.core.expr.Literal;
import yardage.core.format.parquet.ColumnFilter;
import yardage.core.format.parquet.DataFileReader;
import yardage.core.plan.FirstReach;
import yardage.core.plan.FirstValues;
import yardage.core.plan.RowCondition;

/**
 * In which order files are read where the first rows of an order are wanted: those that have the
 * foremost values come first, so that soon no other file has any that count. Immutable.
 *
 * @param stored the column that rows are ordered by
 */
record FileOrder(Types.NestedField stored, Type type, ColumnFilter filter, FirstReach reach) {
  /**
   * What a worker reads of a file.
   *
   * @param begins whether it is the first of a row group
   */
  record Part(DataFile file, ScanSource.Split split, boolean begins) {}

  static Optional<FileOrder> of(
      Schema schema, List<RowCondition> counting, DataFileReader.Asked asked) {
    for (RowCondition condition : counting) {
      if (condition instanceof FirstValues first) {
        DataFileReader.Wanted column = asked.wanted().get(first.column());
        boolean ordered =
            switch (column.type().kind()) {
              case INT, BIGINT, DECIMAL, VARCHAR, DATE, TIME, TIMESTAMP, TIMESTAMP_TZ -> true;
              // The library orders UUIDs as numbers with a sign.
              case BOOLEAN, FLOAT, DOUBLE, BINARY, UUID, STRUCT, LIST, MAP -> false;
            };
        if (!ordered) {
          return Optional.empty();
        }
        Types.NestedField stored = schema.findField(column.fieldId());
        ColumnFilter filter = ColumnFilter.of(first.reach(), stored.name(), column);
        return Optional.of(new FileOrder(stored, column.type(), filter, first.reach()));
      }
    }
    return Optional.empty();
  }

  /** The values between which those of a file lie; empty where that is not told. */
  private record Range(Literal smallest, Literal largest, boolean hasNulls) {}

  private Optional<Range> range(DataFile file) {
    Optional<Literal> smallest = ColumnRanges.bound(file.lowerBounds(), stored).map(this::literal);
    Optional<Literal> largest = ColumnRanges.bound(file.upperBounds(), stored).map(this::literal);
    if (smallest.isEmpty() || largest.isEmpty()) {
      return Optional.empty();
    }
    Map<Integer, Long> nulls = file.nullValueCounts();
    boolean hasNulls = nulls == null || nulls.getOrDefault(stored.fieldId(), 1L) > 0;
    return Optional.of(new Range(smallest.get(), largest.get(), hasNulls));
  }

  private Literal literal(Object value) {
    if (value instanceof BigDecimal decimal) {
      return Literal.decimal(type, decimal);
    } else if (value instanceof CharSequence) {
      return Literal.of(type, value.toString());
    }
    return Literal.of(type, value);
  }

  /** The parts in the order in which they are best read; each keeps its place. */
  List<ScanSource.Split> bestFirst(List<Part> parts, StepTally tally) {
    Map<DataFile, OfFile> files = new HashMap<>();
    List<Placed> out = new ArrayList<>();
    for (Part part : parts) {
      OfFile file =
          files.computeIfAbsent(part.file(), f -> new OfFile(range(f), filter.words(), tally));
      file.left++;
      out.add(new Placed(part, out.size(), file));
    }
    Comparator<Placed> byRange =
        (a, b) -> {
          Optional<Column> x = a.foremost();
          Optional<Column> y = b.foremost();
          if (x.isEmpty() || y.isEmpty()) {
            return Boolean.compare(x.isPresent(), y.isPresent());
          }
          int c = Values.compare(x.get(), 0, y.get(), 0);
          return reach.isBefore(c) ? -1 : c == 0 ? 0 : 1;
        };
    // Row groups that are sorted have the largest values in the last of a file.
    Comparator<Placed> byPlace = Comparator.comparingLong(Placed::place);
    out.sort(byRange.thenComparing(reach.descending() ? byPlace.reversed() : byPlace));
    return List.copyOf(out);
  }

  /** What became of a file's parts. */
  private static final class OfFile {
    private final Optional<Range> range;
    private final String words;
    private final StepTally tally;
    private int left;
    private boolean isRead;
    private int passedRowGroups;

    OfFile(Optional<Range> range, String words, StepTally tally) {
      this.range = range;
      this.words = words;
      this.tally = tally;
    }

    synchronized void over(boolean wasRead, boolean begins) {
      isRead |= wasRead;
      passedRowGroups += !wasRead && begins ? 1 : 0;
      if (--left > 0) {
        return;
      }
      if (isRead) {
        told(LeftOut.Unit.ROW_GROUPS, passedRowGroups);
      } else {
        tally.files.read.decrement();
        told(LeftOut.Unit.FILES, 1);
      }
    }

    private void told(LeftOut.Unit unit, int count) {
      tally.leftOut(new LeftOut(unit, LeftOut.By.STATISTICS, words), count);
    }
  }

  /** A part that is not read once it is known that its file has no row that counts. */
  private final class Placed implements ScanSource.Split {
    private final Part part;
    private final long place;
    private final OfFile file;
    private final Optional<Column> foremost;

    Placed(Part part, long place, OfFile file) {
      this.part = part;
      this.place = place;
      this.file = file;
      // Of a file with nulls that come first nothing comes before them.
      this.foremost =
          file.range
              .filter(r -> !r.hasNulls() || !reach.nullsFirst())
              .map(r -> (reach.descending() ? r.largest() : r.smallest()).column(1));
    }

    Optional<Column> foremost() {
      return foremost;
    }

    @Override
    public long place() {
      return place;
    }

    @Override
    public void read(Worker worker, BatchConsumer out) {
      boolean counts =
          file.range.map(r -> filter.mayMeet(r.smallest(), r.largest(), r.hasNulls())).orElse(true);
      try {
        if (counts) {
          part.split().read(worker, out);
        }
      } finally {
        file.over(counts, part.begins());
      }
    }
  }
}
