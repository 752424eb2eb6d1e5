package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;

/**
 * Cuts rows by the hash of their keys and hands them to the parts of an exchange, in batches of
 * some size. Rows keep their places in the input. One for each worker.
 */
final class Cutter {
  /** Enough that a frame's own bytes do not tell, little enough to hold for every part. */
  private static final int FRAME_ROWS = 1024;

  private static final int LOOK_ROWS = 128;

  /** Wide rows make a frame sooner. */
  private static final long FRAME_BYTES = 1 << 17;

  private static final long ODD = 0x9E3779B97F4A7C15L;

  private final Exchange exchange;
  private final List<Type> types;
  private final int[] keys;
  private final int level;
  private final Waiting[] waiting;
  private int[] partOf = new int[Batch.TARGET_ROWS];
  private final RowsByNumber byPart = new RowsByNumber();

  /** Rows of one part that are not a frame yet. */
  private final class Waiting {
    final ColumnBuilder[] columns = new ColumnBuilder[types.size()];
    int[] inputs = new int[FRAME_ROWS];
    long[] sequences = new long[FRAME_ROWS];
    int[] rows = new int[FRAME_ROWS];
    int count;
    private long textBytes;

    Waiting() {
      renew();
    }

    void renew() {
      for (int c = 0; c < columns.length; c++) {
        columns[c] = ColumnBuilder.of(types.get(c));
        // About as much again as in the frame before.
        columns[c].reserve(count);
        columns[c].reserveBytes(textBytes);
      }
      count = 0;
    }

    /** Now and then, since looking costs more than adding a row. */
    boolean isLookedAt(int added) {
      return count / LOOK_ROWS != (count - added) / LOOK_ROWS;
    }

    long sizeBytes() {
      long sum = 0;
      for (ColumnBuilder column : columns) {
        sum += column.sizeBytes();
      }
      return sum;
    }

    Batch build() {
      textBytes = sizeBytes() / Math.max(1, columns.length);
      Places places =
          new Places(
              Arrays.copyOf(inputs, count),
              Arrays.copyOf(sequences, count),
              Arrays.copyOf(rows, count));
      Batch out =
          new Batch(Arrays.stream(columns).map(ColumnBuilder::build).toList(), count, places);
      renew();
      return out;
    }
  }

  /**
   * @param keys ordinals of the columns to cut by
   * @param level how often the rows were cut before: each time by other bits
   */
  Cutter(Exchange exchange, List<Type> types, int[] keys, int level) {
    this.exchange = exchange;
    this.types = types;
    this.keys = keys;
    this.level = level;
    this.waiting = new Waiting[exchange.parts()];
    for (int p = 0; p < waiting.length; p++) {
      waiting[p] = new Waiting();
    }
  }

  /** The part of a key's hash; independent of the bits by which other levels cut. */
  static int part(int hash, int level, int parts) {
    long h = (hash ^ (level + 1) * ODD) * ODD;
    h = (h ^ h >>> 29) * ODD;
    return (int) ((h >>> 33) * parts >>> 31);
  }

  void accept(Batch batch) {
    TextRoom.accounted(() -> cut(batch));
  }

  private void cut(Batch batch) {
    int rows = batch.rowCount();
    if (partOf.length < rows) {
      partOf = new int[rows];
    }
    Hashing.hash(Arrays.stream(keys).mapToObj(batch::column).toArray(Column[]::new), rows, partOf);
    for (int i = 0; i < rows; i++) {
      partOf[i] = part(partOf[i], level, waiting.length);
    }
    byPart.sort(partOf, rows, waiting.length);
    int[] order = byPart.order();
    Places places = batch.placesOfRows();
    for (int p = 0; p < waiting.length; p++) {
      for (int from = byPart.start(p); from < byPart.start(p + 1); ) {
        Waiting w = waiting[p];
        int to = Math.min(byPart.start(p + 1), from + FRAME_ROWS - w.count);
        for (int c = 0; c < w.columns.length; c++) {
          w.columns[c].append(batch.column(c), order, from, to);
        }
        for (int i = from; i < to; i++) {
          w.inputs[w.count] = places.inputs()[order[i]];
          w.sequences[w.count] = places.sequences()[order[i]];
          w.rows[w.count++] = places.rows()[order[i]];
        }
        from = to;
        if (w.count == FRAME_ROWS || w.isLookedAt(to - from) && w.sizeBytes() > FRAME_BYTES) {
          exchange.add(p, w.build());
        }
      }
    }
  }

  /** Hands on what is waiting. */
  void finish() {
    for (int p = 0; p < waiting.length; p++) {
      if (waiting[p].count > 0) {
        exchange.add(p, waiting[p].build());
      }
    }
  }
}
