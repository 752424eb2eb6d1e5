package yardage.core.format.parquet;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.util.Arrays;
import yardage.core.column.TextColumn;

/** A growing byte array with little-endian writers and the run encodings of Parquet. */
final class PageBuffer {
  private static final VarHandle INT =
      MethodHandles.byteArrayViewVarHandle(int[].class, ByteOrder.LITTLE_ENDIAN);
  private static final VarHandle LONG =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);

  byte[] bytes;
  int length;

  PageBuffer() {
    this(1 << 16);
  }

  PageBuffer(int bytes) {
    this.bytes = new byte[bytes];
  }

  /** What was written. */
  byte[] written() {
    return Arrays.copyOf(bytes, length);
  }

  void clear() {
    length = 0;
  }

  void ensure(int more) {
    if (length + more > bytes.length) {
      bytes = Arrays.copyOf(bytes, Math.max(length + more, bytes.length * 2));
    }
  }

  void putByte(int v) {
    ensure(1);
    bytes[length++] = (byte) v;
  }

  void putInt(int v) {
    ensure(4);
    INT.set(bytes, length, v);
    length += 4;
  }

  void putLong(long v) {
    ensure(8);
    LONG.set(bytes, length, v);
    length += 8;
  }

  void putWide(long high, long low, int count) {
    ensure(count);
    setWide(high, low, bytes, length, count);
    length += count;
  }

  /** The last {@code count} bytes of a number of 128 bits, the most significant one first. */
  static void setWide(long high, long low, byte[] out, int at, int count) {
    for (int i = 0; i < count; i++) {
      int shift = 8 * (count - 1 - i);
      out[at + i] = (byte) (shift < 64 ? low >>> shift : high >>> shift - 64);
    }
  }

  void putBytes(byte[] source, int from, int count) {
    ensure(count);
    System.arraycopy(source, from, bytes, length, count);
    length += count;
  }

  /** The values of some rows. */
  void putInts(int[] values, int[] rows, int count) {
    ensure(count * Integer.BYTES);
    byte[] b = bytes;
    int at = length;
    for (int i = 0; i < count; i++) {
      INT.set(b, at + i * Integer.BYTES, values[rows[i]]);
    }
    length = at + count * Integer.BYTES;
  }

  /** The lower halves of the values of some rows. */
  void putLowInts(long[] values, int[] rows, int count) {
    ensure(count * Integer.BYTES);
    byte[] b = bytes;
    int at = length;
    for (int i = 0; i < count; i++) {
      INT.set(b, at + i * Integer.BYTES, (int) values[rows[i]]);
    }
    length = at + count * Integer.BYTES;
  }

  /** The values of some rows. */
  void putLongs(long[] values, int[] rows, int count) {
    ensure(count * Long.BYTES);
    byte[] b = bytes;
    int at = length;
    for (int i = 0; i < count; i++) {
      LONG.set(b, at + i * Long.BYTES, values[rows[i]]);
    }
    length = at + count * Long.BYTES;
  }

  /** The texts of some rows, each behind its length. */
  void putTexts(TextColumn texts, int[] rows, int count) {
    byte[] theirs = texts.bytes();
    for (int i = 0; i < count; i++) {
      int start = texts.start(rows[i]);
      int size = texts.end(rows[i]) - start;
      ensure(Integer.BYTES + size + Long.BYTES);
      INT.set(bytes, length, size);
      length += Integer.BYTES;
      if (size <= Long.BYTES && start + Long.BYTES <= theirs.length) {
        // What is behind a short text is written over by what comes next.
        LONG.set(bytes, length, (long) LONG.get(theirs, start));
      } else {
        System.arraycopy(theirs, start, bytes, length, size);
      }
      length += size;
    }
  }

  void putVarint(int v) {
    while ((v & ~0x7f) != 0) {
      putByte(v & 0x7f | 0x80);
      v >>>= 7;
    }
    putByte(v);
  }

  void setInt(int at, int v) {
    INT.set(bytes, at, v);
  }

  /** {@code count} times the same value. */
  void putRepeatedRun(int value, int count, int bitWidth) {
    putVarint(count << 1);
    for (int i = 0; i < (bitWidth + 7) / 8; i++) {
      putByte(value >>> 8 * i);
    }
  }

  /** One run of packed values, the last group filled up with zeros. */
  void putPackedRun(int[] values, int from, int count, int bitWidth) {
    int groups = (count + 7) / 8;
    putVarint(groups << 1 | 1);
    ensure(groups * bitWidth + 8);
    long pending = 0;
    int bits = 0;
    int at = length;
    byte[] b = bytes;
    for (int i = from; i < from + count; i++) {
      pending |= (long) values[i] << bits;
      bits += bitWidth;
      if (bits >= 32) {
        INT.set(b, at, (int) pending);
        at += 4;
        pending >>>= 32;
        bits -= 32;
      }
    }
    LONG.set(b, at, pending);
    Arrays.fill(
        b,
        Math.min(b.length, at + 8),
        Math.max(at + 8, Math.min(b.length, length + groups * bitWidth)),
        (byte) 0);
    length += groups * bitWidth;
  }

  static int getInt(byte[] b, int at) {
    return (int) INT.get(b, at);
  }

  static long getLong(byte[] b, int at) {
    return (long) LONG.get(b, at);
  }
}
