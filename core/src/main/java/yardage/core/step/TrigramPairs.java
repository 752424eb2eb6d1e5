package yardage.core.step;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Parallel;
import yardage.core.expr.Likeness;

/**
 * All pairs of texts whose share of common trigrams is large enough. Trigrams are ordered by how
 * rare they are; two texts that are alike have two of their first, rare ones in common (the
 * extended prefix of Wang, Li and Feng, SIGMOD 2012), so texts are looked up by pairs of those.
 * Pairs are taken in passes, so that the index stays small however many texts there are. Texts that
 * are grouped already are not compared again.
 */
record TrigramPairs(
    String[] texts,
    int[] blockOf,
    double least,
    LikenessStep.Groups groups,
    ExecutionContext context) {

  void find() {
    int n = texts.length;
    // Trigrams as numbers, the rarest first.
    LongNumbers numbers = new LongNumbers();
    int[][] sets = new int[n][];
    long[][] gramsOf = new long[n][];
    Parallel.ranges(
        n,
        context,
        (from, to) -> {
          for (int i = from; i < to; i++) {
            gramsOf[i] = Likeness.trigrams(texts[i]);
          }
        });
    for (int i = 0; i < n; i++) {
      long[] grams = gramsOf[i];
      gramsOf[i] = null;
      sets[i] = new int[grams.length];
      for (int g = 0; g < grams.length; g++) {
        sets[i][g] = numbers.of(grams[g]);
      }
    }
    int[] counts = new int[numbers.count()];
    for (int[] set : sets) {
      for (int g : set) {
        counts[g]++;
      }
    }
    int[] rank = new int[counts.length];
    long[] byCount = new long[counts.length];
    for (int g = 0; g < counts.length; g++) {
      byCount[g] = (long) counts[g] << 32 | g;
    }
    Arrays.sort(byCount);
    for (int r = 0; r < byCount.length; r++) {
      rank[(int) byCount[r]] = r;
    }
    Parallel.ranges(
        n,
        context,
        (from, to) -> {
          for (int i = from; i < to; i++) {
            int[] set = sets[i];
            for (int g = 0; g < set.length; g++) {
              set[g] = rank[set[g]];
            }
            Arrays.sort(set);
          }
        });
    int[] order = byBlockAndSize(sets);
    // From here on texts are called by their place in this order, so that those of a block lie side
    // by side in memory.
    int[][] placed = new int[n][];
    for (int k = 0; k < n; k++) {
      placed[k] = sets[order[k]].clone();
    }
    List<Piece> pieces = new ArrayList<>();
    int from = 0;
    while (from < n) {
      // Small blocks are looked through together, large ones in several passes.
      long entries = 0;
      int to = from;
      while (to < n && (entries < ENTRIES_A_PASS || blockOf[order[to]] == blockOf[order[to - 1]])) {
        long p = prefix(placed[to++].length);
        entries += p * (p - 1) / 2;
      }
      // A power of two, so that a trigram's pass costs no division.
      int passes =
          Integer.highestOneBit((int) Math.max(1, Math.min(256, entries / ENTRIES_A_PASS)));
      for (int pass = 0; pass < passes; pass++) {
        pieces.add(new Piece(from, to, pass, passes));
      }
      from = to;
    }
    // Which lane looks through a piece is fixed, so that scores do not depend on the machine: a
    // lane does not compare again what it has grouped itself.
    Lane[] lanes = new Lane[LANES];
    Parallel.forEach(
        IntStream.range(0, LANES).boxed().toList(),
        context,
        lane -> {
          Lane mine = new Lane(placed, order);
          for (int p = lane; p < pieces.size(); p += LANES) {
            mine.look(pieces.get(p));
          }
          lanes[lane] = mine;
        });
    for (Lane lane : lanes) {
      groups.joinAll(lane.groups, order);
    }
  }

  /** Texts {@code order[from, to)} and the trigrams of one pass. */
  private record Piece(int from, int to, int pass, int passes) {}

  private static final int LANES = 2;

  /**
   * Block by block, and in it shorter texts first: what is too short for one is so for the rest.
   */
  private int[] byBlockAndSize(int[][] sets) {
    int n = sets.length;
    long[] bySize = new long[n];
    int blocks = 0;
    for (int i = 0; i < n; i++) {
      bySize[i] = (long) sets[i].length << 32 | i;
      blocks = Math.max(blocks, blockOf[i] + 1);
    }
    Arrays.sort(bySize);
    int[] at = new int[blocks + 1];
    for (int block : blockOf) {
      at[block + 1]++;
    }
    for (int block = 0; block < blocks; block++) {
      at[block + 1] += at[block];
    }
    int[] out = new int[n];
    for (long sized : bySize) {
      out[at[blockOf[(int) sized]]++] = (int) sized;
    }
    return out;
  }

  /**
   * Few enough that an index of them stays in the processor's own cache: 20 times as many cost half
   * as much again.
   */
  private static final long ENTRIES_A_PASS = 24_000;

  /** So many of a text's first trigrams hold two that it has in common with any text it is like. */
  private int prefix(int size) {
    return Math.min(size, size - Math.max(2, shortest(size)) + 2);
  }

  private int shortest(int size) {
    return (int) Math.ceil(least * size - 1e-9);
  }

  private boolean isTiny(int size) {
    return shortest(size) < 2;
  }

  private static long mixed(long key) {
    key *= 0x9E3779B97F4A7C15L;
    return (key ^ key >>> 29) * 0xBF58476D1CE4E5B9L;
  }

  /** What one thread looks through, with an index and groups of its own. */
  private final class Lane {
    private final int[][] sets;
    private final int[] order;
    private final Index index = new Index(1 << 16);
    private final LikenessStep.Groups groups = new LikenessStep.Groups(texts.length);

    /**
     * @param sets trigrams by place in {@code order}
     */
    Lane(int[][] sets, int[] order) {
      this.sets = sets;
      this.order = order;
    }

    void look(Piece piece) {
      index.clear();
      int passes = piece.passes();
      for (int k = piece.from(); k < piece.to(); k++) {
        if ((k & 1023) == 0) {
          context.cancel().check();
        }
        int[] set = sets[k];
        int p = prefix(set.length);
        // Texts of other blocks are never met; what hashes alike by chance is told apart later.
        long block = blockOf[order[k]] * 0xD1B54A32D192ED03L;
        for (int x = 0; x < p; x++) {
          if ((set[x] & passes - 1) != piece.pass()) {
            continue;
          }
          for (int y = x + 1; y < p; y++) {
            visit(mixed(((long) set[x] << 32 | set[y]) + block), k);
          }
          // Texts with hardly a trigram may have just one in common.
          if (isTiny(set.length)) {
            visit(mixed(set[x] + block), k);
          }
        }
      }
    }

    /** Compares a text with those of the same key before it, and adds it to them. */
    private void visit(long key, int k) {
      int slot = index.slot(key);
      int length = sets[k].length;
      int shortest = shortest(length);
      int mine = groups.of(k);
      for (int e = index.heads[slot] - 1; e >= 0; e = index.next[e] - 1) {
        // Newer entries come first and are longer: behind one that is too short all are.
        if (index.lengths[e] < shortest) {
          break;
        }
        int j = index.items[e];
        if (mine == groups.of(j)) {
          continue;
        }
        double share = share(sets[k], sets[j], least);
        // Keys of two blocks may be the same by chance.
        if (share >= least && blockOf[order[j]] == blockOf[order[k]]) {
          groups.join(k, j, share);
          mine = groups.of(k);
        }
      }
      index.add(slot, key, k, length);
    }
  }

  /** The share, or 0 as soon as it cannot be large enough. */
  static double share(int[] a, int[] b, double least) {
    int needed = (int) Math.ceil(least / (1 + least) * (a.length + b.length) - 1e-9);
    int common = 0;
    for (int i = 0, j = 0; i < a.length && j < b.length; ) {
      if (a[i] == b[j]) {
        common++;
        i++;
        j++;
      } else {
        if (a[i] < b[j]) {
          i++;
        } else {
          j++;
        }
        if (common + Math.min(a.length - i, b.length - j) < needed) {
          return 0;
        }
      }
    }
    return (double) common / (a.length + b.length - common);
  }

  /** Texts by key: open addressing to chains in arrays, no boxes. */
  private static final class Index {
    private long[] keys;
    private int[] heads;
    private int[] next = new int[1 << 16];
    private int[] items = new int[1 << 16];
    private int[] lengths = new int[1 << 16];
    private int size;
    private int used;

    Index(int atLeast) {
      int slots = Integer.highestOneBit(Math.max(1 << 10, atLeast) - 1) << 1;
      keys = new long[slots];
      heads = new int[slots];
    }

    void clear() {
      Arrays.fill(heads, 0);
      size = 0;
      used = 0;
    }

    int slot(long key) {
      int mask = keys.length - 1;
      int at = (int) (key >>> 32) & mask;
      while (heads[at] != 0 && keys[at] != key) {
        at = at + 1 & mask;
      }
      return at;
    }

    void add(int slot, long key, int item, int length) {
      if (size == items.length) {
        next = Arrays.copyOf(next, size * 2);
        items = Arrays.copyOf(items, size * 2);
        lengths = Arrays.copyOf(lengths, size * 2);
      }
      items[size] = item;
      lengths[size] = length;
      next[size] = heads[slot];
      if (heads[slot] == 0) {
        keys[slot] = key;
        used++;
      }
      heads[slot] = ++size;
      if (used * 2 > keys.length) {
        grow();
      }
    }

    private void grow() {
      long[] oldKeys = keys;
      int[] oldHeads = heads;
      keys = new long[oldKeys.length * 2];
      heads = new int[keys.length];
      for (int i = 0; i < oldKeys.length; i++) {
        if (oldHeads[i] != 0) {
          int at = slot(oldKeys[i]);
          keys[at] = oldKeys[i];
          heads[at] = oldHeads[i];
        }
      }
    }
  }

  /** Numbers longs in order of first sight: open addressing, no boxes. */
  private static final class LongNumbers {
    private long[] keys = new long[1 << 12];
    private int[] values = new int[1 << 12];
    private int count;

    int count() {
      return count;
    }

    int of(long key) {
      if (count * 2 > keys.length) {
        grow();
      }
      int at = place(key, keys.length - 1);
      while (values[at] != 0) {
        if (keys[at] == key) {
          return values[at] - 1;
        }
        at = at + 1 & keys.length - 1;
      }
      keys[at] = key;
      values[at] = ++count;
      return count - 1;
    }

    private static int place(long key, int mask) {
      return (int) (key * 0x9E3779B97F4A7C15L >>> 32) & mask;
    }

    private void grow() {
      long[] oldKeys = keys;
      int[] oldValues = values;
      keys = new long[oldKeys.length * 2];
      values = new int[keys.length];
      for (int i = 0; i < oldKeys.length; i++) {
        if (oldValues[i] != 0) {
          int at = place(oldKeys[i], keys.length - 1);
          while (values[at] != 0) {
            at = at + 1 & keys.length - 1;
          }
          keys[at] = oldKeys[i];
          values[at] = oldValues[i];
        }
      }
    }
  }
}
