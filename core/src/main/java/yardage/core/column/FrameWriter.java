package yardage.core.column;

import com.github.luben.zstd.Zstd;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.util.Arrays;
import java.util.zip.CRC32C;

/**
 * Writes a batch as a frame, which only this version of the engine reads: little-endian, a column
 * after the other, each as one value, as numbers in as few bytes as their range needs, or as it is;
 * then compressed with zstd where that pays, with a CRC-32C in front.
 *
 * <pre>
 * frame  = crc:int32 of all that follows | raw bytes:int32 | stored bytes:int32 | stored
 * stored = the raw bytes, or a zstd frame of them when it is shorter
 * raw    = rows:int32 | input:int32 | sequence:int64 | has places:byte | [places] | column…
 * column = nulls:byte [bitmap] | values
 * ints   = width:byte (0, 1, 2, 4 or 8 bytes) | least:int64 | (value - least) of each row
 * text   = coded:byte | [codes as ints] | entries:int32 | lengths as ints | bytes
 * wide   = high words as ints | low words as ints
 * list   = lengths as ints | elements:column;  struct = column…
 * </pre>
 */
public final class FrameWriter {
  static final int HEADER_BYTES = 12;

  /** Smaller frames are not worth compressing. */
  private static final int LEAST_COMPRESSED_BYTES = 512;

  /** The quickest that still halves most rows: scratch is written once and read once. */
  private static final int LEVEL = -1;

  private byte[] buffer = new byte[1 << 16];
  private ByteBuffer out = ByteBuffer.wrap(buffer).order(ByteOrder.LITTLE_ENDIAN);
  private byte[] packed = new byte[0];

  /** The frame of a batch, in an array of its own. */
  public byte[] write(Batch batch) {
    out.clear();
    room(32);
    out.putInt(batch.rowCount());
    out.putInt(batch.input());
    out.putLong(batch.sequence());
    out.put((byte) (batch.places().isPresent() ? 1 : 0));
    if (batch.places().isPresent()) {
      Places places = batch.places().get();
      ints(places.inputs(), 0, batch.rowCount());
      longs(places.sequences(), batch.rowCount(), null);
      ints(places.rows(), 0, batch.rowCount());
    }
    for (Column column : batch.columns()) {
      column(column);
    }
    return closed();
  }

  private byte[] closed() {
    int raw = out.position();
    byte[] stored = buffer;
    int length = raw;
    if (raw >= LEAST_COMPRESSED_BYTES) {
      int bound = (int) Zstd.compressBound(raw);
      if (packed.length < bound) {
        packed = new byte[bound];
      }
      long n = Zstd.compressByteArray(packed, 0, bound, buffer, 0, raw, LEVEL);
      if (!Zstd.isError(n) && n < raw) {
        stored = packed;
        length = (int) n;
      }
    }
    byte[] frame = new byte[HEADER_BYTES + length];
    ByteBuffer header = ByteBuffer.wrap(frame).order(ByteOrder.LITTLE_ENDIAN);
    header.putInt(4, raw).putInt(8, length);
    System.arraycopy(stored, 0, frame, HEADER_BYTES, length);
    CRC32C crc = new CRC32C();
    crc.update(frame, 4, frame.length - 4);
    header.putInt(0, (int) crc.getValue());
    return frame;
  }

  private void room(long more) {
    long needed = out.position() + more;
    if (needed > buffer.length) {
      if (needed > Integer.MAX_VALUE - 64) {
        throw new ColumnFullException();
      }
      buffer =
          Arrays.copyOf(
              buffer, (int) Math.min(Integer.MAX_VALUE - 64, Math.max(needed, 2L * buffer.length)));
      ByteBuffer grown = ByteBuffer.wrap(buffer).order(ByteOrder.LITTLE_ENDIAN);
      grown.position(out.position());
      out = grown;
    }
  }

  private void column(Column column) {
    int rows = column.size();
    int words = (rows + 63) >>> 6;
    room(1 + 8L * words);
    out.put((byte) (column.hasNulls() ? 1 : 0));
    if (column.hasNulls()) {
      for (int w = 0; w < words; w++) {
        out.putLong(column.nulls()[w]);
      }
    }
    int written =
        switch (column.type().held()) {
          case TRUTHS -> bytes(((BooleanColumn) column).values(), 0, rows);
          case INTS -> ints(((IntColumn) column).values(), 0, rows);
          case LONGS -> longs(((LongColumn) column).values(), rows, column.nulls());
          case WIDES -> wide((WideColumn) column);
          case DOUBLES -> doubles(((DoubleColumn) column).values(), rows);
          case BYTES -> text((TextColumn) column);
          case STRUCTS -> struct((StructColumn) column);
          case LISTS -> list((ListColumn) column);
        };
    assert written == rows;
  }

  private int struct(StructColumn c) {
    c.fields().forEach(this::column);
    return c.size();
  }

  private int wide(WideColumn c) {
    longs(c.high(), c.size(), c.nulls());
    return longs(c.low(), c.size(), c.nulls());
  }

  private int bytes(byte[] values, int from, int count) {
    room(count);
    out.put(values, from, count);
    return count;
  }

  private int doubles(double[] values, int rows) {
    room(8L * rows);
    out.asDoubleBuffer().put(values, 0, rows);
    out.position(out.position() + 8 * rows);
    return rows;
  }

  private int ints(int[] values, int from, int count) {
    int least = count == 0 ? 0 : Integer.MAX_VALUE;
    int most = count == 0 ? 0 : Integer.MIN_VALUE;
    for (int i = from; i < from + count; i++) {
      least = Math.min(least, values[i]);
      most = Math.max(most, values[i]);
    }
    int width = width((long) most - least);
    head(width, least, count);
    switch (width) {
      case 0 -> {}
      case 1 -> {
        for (int i = from; i < from + count; i++) {
          out.put((byte) (values[i] - least));
        }
      }
      case 2 -> {
        for (int i = from; i < from + count; i++) {
          out.putShort((short) (values[i] - least));
        }
      }
      default -> {
        for (int i = from; i < from + count; i++) {
          out.putInt(values[i] - least);
        }
      }
    }
    return count;
  }

  /** Null rows may hold anything and count for nothing in the range. */
  private int longs(long[] values, int rows, long[] nulls) {
    long least = Long.MAX_VALUE;
    long most = Long.MIN_VALUE;
    for (int i = 0; i < rows; i++) {
      if (nulls == null || !Bits.get(nulls, i)) {
        least = Math.min(least, values[i]);
        most = Math.max(most, values[i]);
      }
    }
    if (least > most) {
      least = most = 0;
    }
    long range = most - least;
    int width = range < 0 ? 8 : width(range);
    head(width, least, rows);
    for (int i = 0; width > 0 && i < rows; i++) {
      long v = values[i] - least;
      switch (width) {
        case 1 -> out.put((byte) v);
        case 2 -> out.putShort((short) v);
        case 4 -> out.putInt((int) v);
        default -> out.putLong(v);
      }
    }
    return rows;
  }

  private void head(int width, long least, int count) {
    room(9 + (long) width * count);
    out.put((byte) width);
    out.putLong(least);
  }

  private static int width(long range) {
    return range == 0 ? 0 : range < 1 << 8 ? 1 : range < 1 << 16 ? 2 : range < 1L << 32 ? 4 : 8;
  }

  private int text(TextColumn c) {
    int rows = c.size();
    boolean coded = c.isDictionary();
    room(5);
    out.put((byte) (coded ? 1 : 0));
    int entries = coded ? c.entryCount() : rows;
    if (coded) {
      ints(c.codes(), 0, rows);
    }
    room(4);
    out.putInt(entries);
    int[] lengths = new int[entries];
    long total = 0;
    for (int e = 0; e < entries; e++) {
      lengths[e] = coded ? c.offsets()[e + 1] - c.offsets()[e] : c.end(e) - c.start(e);
      total += lengths[e];
    }
    ints(lengths, 0, entries);
    room(total);
    if (coded || c.codes() == null) {
      if (entries > 0) {
        bytes(c.bytes(), c.offsets()[0], (int) total);
      }
    } else {
      for (int r = 0; r < rows; r++) {
        out.put(c.bytes(), c.start(r), lengths[r]);
      }
    }
    return rows;
  }

  private int list(ListColumn c) {
    int rows = c.size();
    int[] lengths = new int[rows];
    for (int r = 0; r < rows; r++) {
      lengths[r] = c.isNull(r) ? 0 : c.length(r);
    }
    ints(lengths, 0, rows);
    column(elements(c, lengths));
    return rows;
  }

  /** The elements that rows have, side by side; nothing between them is written. */
  private static Column elements(ListColumn c, int[] lengths) {
    int total = 0;
    boolean dense = true;
    for (int r = 0; r < lengths.length; r++) {
      dense &= lengths[r] == 0 || c.offsets()[r] == total;
      total = Math.addExact(total, lengths[r]);
    }
    if (dense && c.elements().size() == total) {
      return c.elements();
    }
    int[] taken = new int[total];
    int n = 0;
    for (int r = 0; r < lengths.length; r++) {
      for (int i = 0; i < lengths[r]; i++) {
        taken[n++] = c.offsets()[r] + i;
      }
    }
    return c.elements().gather(taken, n);
  }
}
