package yardage.core.lake;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.util.Arrays;

/**
 * How many different values a column has, within some four in a hundred, in at most 16 kB: the
 * smallest hashes that were seen, and the bound below which all were kept (Z. Bar-Yossef et al.,
 * Counting Distinct Elements in a Data Stream, RANDOM 2002). Sketches of parts make one of all.
 *
 * <p>Hashes and bytes are those of the blob type {@code apache-datasketches-theta-v1} that the
 * table format's statistics files have (Puffin specification): 63 bits of MurmurHash3 x64 128 with
 * the seed 9001, in a compact, ordered form. Not thread-safe.
 */
final class ValueSketch {
  /** So many hashes are always kept; twice as many at most. */
  private static final int KEPT = 512;

  private static final long SEED = 9001;

  private static final VarHandle WORDS =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);

  /** What the format derives from the seed, by which mixed seeds are told. */
  private static final short SEED_HASH = (short) 0x93CC;

  private static final int VERSION = 3;
  private static final int COMPACT_FAMILY = 3;
  private static final int READ_ONLY = 2;
  private static final int EMPTY = 4;
  private static final int COMPACT = 8;
  private static final int ORDERED = 16;
  private static final int SINGLE = 32;

  private long theta = Long.MAX_VALUE;
  private int count;

  /** Open addressing; no hash is 0. */
  private long[] slots = new long[64];

  /** Takes a hash of a value; see {@link #hash}. */
  void add(long hash) {
    if (hash == 0 || hash >= theta) {
      return;
    }
    int at = slot(slots, hash);
    if (slots[at] != 0) {
      return;
    }
    slots[at] = hash;
    count++;
    if (count == 2 * KEPT) {
      cut();
    } else if (count > slots.length / 2) {
      long[] now = hashes();
      slots = new long[slots.length * 2];
      put(now, now.length);
    }
  }

  private static int slot(long[] slots, long hash) {
    int at = (int) hash & slots.length - 1;
    while (slots[at] != 0 && slots[at] != hash) {
      at = at + 1 & slots.length - 1;
    }
    return at;
  }

  /** Leaves the smallest hashes only. */
  private void cut() {
    long[] now = hashes();
    theta = now[KEPT];
    Arrays.fill(slots, 0);
    put(now, KEPT);
    count = KEPT;
  }

  private void put(long[] hashes, int n) {
    for (int i = 0; i < n; i++) {
      slots[slot(slots, hashes[i])] = hashes[i];
    }
  }

  /** The hashes that are kept, in order. */
  private long[] hashes() {
    long[] out = new long[count];
    int n = 0;
    for (long hash : slots) {
      if (hash != 0) {
        out[n++] = hash;
      }
    }
    Arrays.sort(out);
    return out;
  }

  void addAll(ValueSketch other) {
    if (other.theta < theta) {
      theta = other.theta;
      long[] now = hashes();
      int below = 0;
      while (below < now.length && now[below] < theta) {
        below++;
      }
      Arrays.fill(slots, 0);
      put(now, below);
      count = below;
    }
    for (long hash : other.slots) {
      add(hash);
    }
  }

  /** About how many different values came. */
  long estimate() {
    return Math.round(count / (theta / (double) Long.MAX_VALUE));
  }

  /** Hashes from this one on are not looked at. */
  long bound() {
    return theta;
  }

  long sizeBytes() {
    return 8L * slots.length;
  }

  byte[] toBytes() {
    boolean whole = theta == Long.MAX_VALUE;
    boolean single = whole && count == 1;
    int longs = whole ? count > 1 ? 2 : 1 : 3;
    ByteBuffer out = ByteBuffer.allocate(8 * (longs + count)).order(ByteOrder.LITTLE_ENDIAN);
    int flags =
        READ_ONLY | COMPACT | ORDERED | (count == 0 && whole ? EMPTY : 0) | (single ? SINGLE : 0);
    out.put((byte) longs).put((byte) VERSION).put((byte) COMPACT_FAMILY).putShort((short) 0);
    out.put((byte) flags).putShort((flags & EMPTY) == 0 ? SEED_HASH : 0);
    if (longs > 1) {
      out.putInt(count).putFloat(1);
    }
    if (longs > 2) {
      out.putLong(theta);
    }
    for (long hash : hashes()) {
      out.putLong(hash);
    }
    return out.array();
  }

  /**
   * @throws IllegalArgumentException when it is no such sketch
   */
  static ValueSketch of(byte[] bytes) {
    ByteBuffer in = ByteBuffer.wrap(bytes).order(ByteOrder.LITTLE_ENDIAN);
    if (bytes.length < 8
        || in.get(1) != VERSION
        || in.get(2) != COMPACT_FAMILY
        || (in.get(5) & EMPTY) == 0 && in.getShort(6) != SEED_HASH) {
      throw new IllegalArgumentException("This is no sketch of values that is known here");
    }
    int longs = in.get(0) & 0x3f;
    boolean isEmpty = (in.get(5) & EMPTY) != 0;
    int count = isEmpty ? 0 : longs == 1 ? 1 : in.getInt(8);
    if (count < 0 || bytes.length < 8L * (longs + count)) {
      throw new IllegalArgumentException("This sketch of values ends early");
    }
    ValueSketch out = new ValueSketch();
    // Another writer may keep more of them: the smallest of these are as good as all of its own.
    out.theta = longs > 2 ? in.getLong(16) : Long.MAX_VALUE;
    for (int i = 0; i < count; i++) {
      out.add(in.getLong(8 * (longs + i)));
    }
    return out;
  }

  /** The hash of a value of eight bytes, as the format writes it. */
  static long hash(long value) {
    long h1 = SEED ^ mixFirst(value);
    return finished(h1, SEED, 8);
  }

  /** The hash of a value of four bytes, as the format writes it. */
  static long hash(int value) {
    return finished(SEED ^ mixFirst(value & 0xffffffffL), SEED, Integer.BYTES);
  }

  /** The hash of an unscaled number, which the format writes in as few bytes as it needs. */
  static long hashUnscaled(long value) {
    int bits = Long.SIZE - Long.numberOfLeadingZeros(value ^ value >> 63);
    int bytes = bits / Byte.SIZE + 1;
    long highestFirst = Long.reverseBytes(value) >>> Long.SIZE - Byte.SIZE * bytes;
    return finished(SEED ^ mixFirst(highestFirst), SEED, bytes);
  }

  /** The hash of a value's bytes, as the format writes it; 0 of none. */
  static long hash(byte[] b, int from, int to) {
    int length = to - from;
    if (length == 0) {
      return 0;
    }
    long h1 = SEED;
    long h2 = SEED;
    int at = from;
    for (; at + 16 <= to; at += 16) {
      h1 ^= mixFirst(word(b, at, 8));
      h1 = (Long.rotateLeft(h1, 27) + h2) * 5 + 0x52dce729L;
      h2 ^= mixSecond(word(b, at + 8, 8));
      h2 = (Long.rotateLeft(h2, 31) + h1) * 5 + 0x38495ab5L;
    }
    int rest = to - at;
    if (rest > 8) {
      h2 ^= mixSecond(word(b, at + 8, rest - 8));
    }
    if (rest > 0) {
      h1 ^= mixFirst(word(b, at, Math.min(rest, 8)));
    }
    return finished(h1, h2, length);
  }

  private static long word(byte[] b, int at, int n) {
    if (at + Long.BYTES <= b.length) {
      return (long) WORDS.get(b, at) & -1L >>> Long.SIZE - Byte.SIZE * n;
    }
    long out = 0;
    for (int i = 0; i < n; i++) {
      out |= (b[at + i] & 0xffL) << 8 * i;
    }
    return out;
  }

  private static long mixFirst(long k) {
    return Long.rotateLeft(k * 0x87c37b91114253d5L, 31) * 0x4cf5ad432745937fL;
  }

  private static long mixSecond(long k) {
    return Long.rotateLeft(k * 0x4cf5ad432745937fL, 33) * 0x87c37b91114253d5L;
  }

  private static long finished(long h1, long h2, int length) {
    h1 ^= length;
    h2 ^= length;
    h1 += h2;
    h2 += h1;
    return (last(h1) + last(h2)) >>> 1;
  }

  private static long last(long h) {
    h = (h ^ h >>> 33) * 0xff51afd7ed558ccdL;
    h = (h ^ h >>> 33) * 0xc4ceb9fe1a85ec53L;
    return h ^ h >>> 33;
  }
}
