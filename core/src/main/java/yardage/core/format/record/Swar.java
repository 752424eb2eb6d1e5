package yardage.core.format.record;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;

/**
 * Looking at eight bytes at once in a long, the first byte in its lowest bits (SIMD within a
 * register; see Warren, Hacker's Delight, chapter 6).
 */
public final class Swar {
  public static final VarHandle LONG =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
  public static final long LOW = 0x0101010101010101L;
  public static final long HIGH = 0x8080808080808080L;

  /** For texts up to this length, calling the platform's copy costs more than {@link #copy}. */
  public static final int SHORT_BYTES = 64;

  private Swar() {}

  /** Eight times the same byte. */
  public static long pattern(int b) {
    return (b & 0xffL) * LOW;
  }

  /** The high bit of each byte that is the pattern's. */
  public static long match(long word, long pattern) {
    long x = word ^ pattern;
    return ~(((x & ~HIGH) + ~HIGH) | x) & HIGH;
  }

  /**
   * As {@link #match}, in fewer steps: the lowest bit is right, and so is "none"; above a match,
   * bytes that differ from the pattern's in their last bit alone may be told as well. Bits other
   * than the high ones have no meaning.
   */
  public static long roughMatch(long word, long pattern) {
    long x = word ^ pattern;
    return (x - LOW) & ~x;
  }

  /** All bits of the first so many bytes of a word; of eight when there are more. */
  public static long first(int bytes) {
    return bytes >= 8 ? -1 : (1L << (bytes << 3)) - 1;
  }

  /** The first {@code what} in {@code b[from, to)}, or {@code to}. */
  public static int indexOf(byte[] b, int from, int to, int what) {
    long pattern = pattern(what);
    int at = from;
    for (; at + 8 <= to; at += 8) {
      long hits = roughMatch((long) LONG.get(b, at), pattern) & HIGH;
      if (hits != 0) {
        return at + (Long.numberOfTrailingZeros(hits) >>> 3);
      }
    }
    while (at < to && b[at] != (byte) what) {
      at++;
    }
    return at;
  }

  /** How many bytes of {@code b[from, to)} are {@code what}. */
  public static int count(byte[] b, int from, int to, int what) {
    long pattern = pattern(what);
    int count = 0;
    int at = from;
    for (; at + 8 <= to; at += 8) {
      count += Long.bitCount(match((long) LONG.get(b, at), pattern));
    }
    for (; at < to; at++) {
      count += b[at] == what ? 1 : 0;
    }
    return count;
  }

  /**
   * Copies a short text in words; up to seven bytes behind it are read and written, and mean
   * nothing.
   */
  public static void copy(byte[] from, int start, byte[] to, int at, int length) {
    for (int i = 0; i < length; i += 8) {
      LONG.set(to, at + i, (long) LONG.get(from, start + i));
    }
  }
}
