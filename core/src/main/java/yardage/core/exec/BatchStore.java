package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.Supplier;
import yardage.core.column.*;

/**
 * Rows kept by a sink, copied out of their batches so that they hold no more than their own bytes.
 * Memory is reserved before it grows. One thread at a time.
 */
final class BatchStore {
  private final ColumnBuilder[] builders;
  private final MemoryPool.Reservation reservation;
  private int rowCount;
  private long reservedBytes;

  BatchStore(Schema schema, MemoryPool.Reservation reservation) {
    this.reservation = reservation;
    builders = ColumnBuilder.of(schema);
  }

  int rowCount() {
    return rowCount;
  }

  void append(Batch batch) {
    if ((long) rowCount + batch.rowCount() > Integer.MAX_VALUE - 64) {
      throw new MemoryExceededException(
          "More than %,d rows to keep in one worker of a step".formatted(Integer.MAX_VALUE));
    }
    reserveFor(batch);
    for (int i = 0; i < builders.length; i++) {
      builders[i].appendAll(batch.column(i));
    }
    rowCount += batch.rowCount();
    reservedBytes = sizeBytes();
    reservation.resize(reservedBytes);
  }

  private void reserveFor(Batch batch) {
    // Builders grow by half: ask for that much before they do.
    long ahead = reservedBytes + reservedBytes / 2 + 64L * batch.rowCount();
    if (reservedBytes > 1 << 20) {
      reservation.resize(
          Math.max(reservedBytes, Math.min(ahead, reservedBytes + (reservedBytes >> 1))));
    }
  }

  private long sizeBytes() {
    long sum = 0;
    for (ColumnBuilder builder : builders) {
      sum += builder.sizeBytes();
    }
    return sum;
  }

  /** All rows as columns. The store is spent; the reservation stays. */
  List<Column> build() {
    List<Column> out = new ArrayList<>();
    for (ColumnBuilder builder : builders) {
      out.add(builder.build());
    }
    return out;
  }

  void release() {
    reservation.close();
  }

  /** Rows {@code [from, to)} of columns that may be large, as a batch that shares their text. */
  static Batch slice(List<Column> columns, int from, int to, long sequence) {
    int[] rows = new int[to - from];
    for (int i = 0; i < rows.length; i++) {
      rows[i] = from + i;
    }
    return new Batch(
        columns.stream().map(c -> c.gather(rows, rows.length)).toList(), rows.length, sequence);
  }

  /** Reads finished columns in blocks of about 16 batches. */
  static ScanSource source(Supplier<List<Column>> columns) {
    return () -> {
      List<Column> all = columns.get();
      int rows = all.isEmpty() ? 0 : all.get(0).size();
      return splits(rows, (from, to, sequence) -> slice(all, from, to, sequence));
    };
  }

  /** Reads some rows of finished columns, in another order than they have there. */
  static ScanSource source(List<Column> columns, int[] rows) {
    return () ->
        splits(
            rows.length,
            (from, to, sequence) -> {
              int[] some = Arrays.copyOfRange(rows, from, to);
              return new Batch(
                  columns.stream().map(c -> c.gather(some, some.length)).toList(),
                  some.length,
                  sequence);
            });
  }

  private interface Slices {
    Batch slice(int from, int to, long sequence);
  }

  private static List<ScanSource.Split> splits(int rows, Slices slices) {
    List<ScanSource.Split> splits = new ArrayList<>();
    int step = Batch.TARGET_ROWS * 16;
    for (int start = 0; start < rows; start += step) {
      int from = start;
      int to = (int) Math.min(rows, (long) start + step);
      splits.add(
          (worker, out) -> {
            for (int at = from; at < to; at += Batch.TARGET_ROWS) {
              int end = Math.min(to, at + Batch.TARGET_ROWS);
              out.accept(slices.slice(at, end, at / Batch.TARGET_ROWS));
            }
          });
    }
    return splits;
  }
}
