package yardage.core.column;

import com.github.luben.zstd.Zstd;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.zip.CRC32C;

/** Reads what {@link FrameWriter} wrote. */
public final class FrameReader {
  private FrameReader() {}

  /**
   * @param types of the columns that were written
   * @throws IllegalStateException when the frame is not as it was written
   */
  public static Batch read(byte[] frame, List<Type> types) {
    ByteBuffer header = ByteBuffer.wrap(frame).order(ByteOrder.LITTLE_ENDIAN);
    CRC32C crc = new CRC32C();
    crc.update(frame, 4, frame.length - 4);
    if (header.getInt(0) != (int) crc.getValue()
        || header.getInt(8) != frame.length - FrameWriter.HEADER_BYTES) {
      throw new IllegalStateException("rows came back other than they were written");
    }
    int raw = header.getInt(4);
    int stored = header.getInt(8);
    ByteBuffer in;
    if (stored == raw) {
      in = ByteBuffer.wrap(frame, FrameWriter.HEADER_BYTES, raw).slice();
    } else {
      byte[] bytes = new byte[raw];
      Zstd.decompressByteArray(bytes, 0, raw, frame, FrameWriter.HEADER_BYTES, stored);
      in = ByteBuffer.wrap(bytes);
    }
    in.order(ByteOrder.LITTLE_ENDIAN);
    int rows = in.getInt();
    int input = in.getInt();
    long sequence = in.getLong();
    Optional<Places> places =
        in.get() == 0
            ? Optional.empty()
            : Optional.of(new Places(ints(in, rows), longs(in, rows), ints(in, rows)));
    List<Column> columns = new ArrayList<>(types.size());
    for (Type type : types) {
      columns.add(column(in, type, rows));
    }
    return new Batch(columns, rows, input, sequence, places);
  }

  private static Column column(ByteBuffer in, Type type, int rows) {
    long[] nulls = null;
    if (in.get() != 0) {
      nulls = Bits.allocate(rows);
      in.asLongBuffer().get(nulls);
      in.position(in.position() + 8 * nulls.length);
    }
    return switch (type.held()) {
      case TRUTHS -> {
        byte[] values = new byte[rows];
        in.get(values);
        yield new BooleanColumn(values, nulls, rows);
      }
      case INTS -> new IntColumn(type, ints(in, rows), nulls, rows);
      case LONGS -> new LongColumn(type, longs(in, rows), nulls, rows);
      case WIDES -> new WideColumn(type, longs(in, rows), longs(in, rows), nulls, rows);
      case DOUBLES -> {
        double[] values = new double[rows];
        in.asDoubleBuffer().get(values);
        in.position(in.position() + 8 * rows);
        yield new DoubleColumn(type, values, nulls, rows);
      }
      case BYTES -> text(in, nulls, rows).as(type);
      case STRUCTS -> {
        List<Column> fields = new ArrayList<>();
        for (Type.Part part : type.parts()) {
          fields.add(column(in, part.type(), rows));
        }
        yield new StructColumn(type, fields, nulls, rows);
      }
      case LISTS -> {
        int[] offsets = offsets(ints(in, rows), rows);
        Type element = type.kind() == Type.Kind.MAP ? type.entry() : type.element();
        yield new ListColumn(type, offsets, column(in, element, offsets[rows]), nulls, rows);
      }
    };
  }

  private static int[] offsets(int[] lengths, int count) {
    int[] out = new int[count + 1];
    for (int i = 0; i < count; i++) {
      out[i + 1] = out[i] + lengths[i];
    }
    return out;
  }

  private static TextColumn text(ByteBuffer in, long[] nulls, int rows) {
    boolean coded = in.get() != 0;
    int[] codes = coded ? ints(in, rows) : null;
    int entries = in.getInt();
    int[] offsets = offsets(ints(in, entries), entries);
    byte[] bytes = new byte[offsets[entries]];
    in.get(bytes);
    return coded
        ? TextColumn.coded(bytes, offsets, entries, codes, nulls, rows)
        : TextColumn.plain(bytes, offsets, nulls, rows);
  }

  private static int[] ints(ByteBuffer in, int count) {
    int[] out = new int[count];
    int width = in.get();
    int least = (int) in.getLong();
    for (int i = 0; i < count; i++) {
      out[i] =
          least
              + switch (width) {
                case 0 -> 0;
                case 1 -> in.get() & 0xFF;
                case 2 -> in.getShort() & 0xFFFF;
                default -> in.getInt();
              };
    }
    return out;
  }

  private static long[] longs(ByteBuffer in, int count) {
    long[] out = new long[count];
    int width = in.get();
    long least = in.getLong();
    for (int i = 0; i < count; i++) {
      out[i] =
          least
              + switch (width) {
                case 0 -> 0;
                case 1 -> in.get() & 0xFF;
                case 2 -> in.getShort() & 0xFFFF;
                case 4 -> in.getInt() & 0xFFFFFFFFL;
                default -> in.getLong();
              };
    }
    return out;
  }
}
