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
    long[][] gramsOf = new long[n][];
    Parallel.ranges(
        n,
        context,
        (from, to) -> {
          for (int i = from; i < to; i++) {
            gramsOf[i] = Likeness.trigrams(texts[i]);
          }
        });
    int[] order = byBlockAndSize(gramsOf);
    int[][] sets = new int[n][];
    ranked(gramsOf, order, sets);
    // From here on texts are called by their place in this order, so that those of a block lie side
    // by side in memory.
    List<Piece> pieces = pieces(order, sets);
    // Which lane looks through a piece is fixed, so that scores do not depend on the machine: a
    // lane does not compare again what it has grouped itself.
    Lane[] lanes = new Lane[LANES];
    Parallel.forEach(
        IntStream.range(0, LANES).boxed().toList(),
        context,
        lane -> {
          Lane mine = new Lane(sets, order);
          for (int p = lane; p < pieces.size(); p += LANES) {
            mine.look(pieces.get(p));
          }
          lanes[lane] = mine;
        });
    for (Lane lane : lanes) {
      groups.joinAll(lane.groups, order);
    }
  }

  /**
   * Trigrams as numbers, the rarest of a block first. What else is there makes no difference to a
   * block, so that scores are the same whichever blocks are compared at once.
   *
   * @param sets those of each text in order, by their place
   */
  private void ranked(long[][] gramsOf, int[] order, int[][] sets) {
    int[] starts = blockStarts(order);
    int large = Math.max(WORTH_ALL_WORKERS, order.length / 4);
    List<List<Integer>> together = new ArrayList<>();
    int texts = 0;
    for (int b = 0; b + 1 < starts.length; b++) {
      int size = starts[b + 1] - starts[b];
      if (size >= large) {
        new Ranks(gramsOf, order, starts[b], starts[b + 1]).into(sets, context);
        continue;
      }
      if (texts == 0) {
        together.add(new ArrayList<>());
      }
      together.get(together.size() - 1).add(b);
      texts = texts + size < TEXTS_RANKED_TOGETHER ? texts + size : 0;
    }
    Parallel.forEach(
        together,
        context,
        blocks ->
            blocks.forEach(b -> new Ranks(gramsOf, order, starts[b], starts[b + 1]).into(sets)));
  }

  /** Where each block starts in the order, and the end. */
  private int[] blockStarts(int[] order) {
    return IntStream.concat(
            IntStream.range(0, order.length)
                .filter(k -> k == 0 || blockOf[order[k]] != blockOf[order[k - 1]]),
            IntStream.of(order.length))
        .toArray();
  }

  /** Of one block, how rare its trigrams are. */
  private static final class Ranks {
    private final int[] order;
    private final int from;
    private final int to;
    private final int[][] numbered;
    private final int[] rank;

    Ranks(long[][] gramsOf, int[] order, int from, int to) {
      this.order = order;
      this.from = from;
      this.to = to;
      LongNumbers numbers = new LongNumbers();
      numbered = new int[to - from][];
      for (int k = from; k < to; k++) {
        long[] grams = gramsOf[order[k]];
        gramsOf[order[k]] = null;
        int[] set = new int[grams.length];
        for (int g = 0; g < grams.length; g++) {
          set[g] = numbers.of(grams[g]);
        }
        numbered[k - from] = set;
      }
      int[] counts = new int[numbers.count()];
      for (int[] set : numbered) {
        for (int g : set) {
          counts[g]++;
        }
      }
      long[] byCount = new long[counts.length];
      for (int g = 0; g < counts.length; g++) {
        byCount[g] = (long) counts[g] << 32 | g;
      }
      Arrays.sort(byCount);
      rank = new int[counts.length];
      for (int r = 0; r < byCount.length; r++) {
        rank[(int) byCount[r]] = r;
      }
    }

    void into(int[][] sets, ExecutionContext context) {
      Parallel.ranges(to - from, context, (a, b) -> into(sets, a, b));
    }

    void into(int[][] sets) {
      into(sets, 0, to - from);
    }

    private void into(int[][] sets, int first, int end) {
      for (int k = first; k < end; k++) {
        int[] set = numbered[k];
        for (int g = 0; g < set.length; g++) {
          set[g] = rank[set[g]];
        }
        Arrays.sort(set);
        sets[from + k] = set;
      }
    }
  }

  /** Small blocks are looked through together, large ones in several passes. */
  private List<Piece> pieces(int[] order, int[][] sets) {
    int[] starts = blockStarts(order);
    List<Piece> out = new ArrayList<>();
    int from = 0;
    long waiting = 0;
    for (int b = 0; b + 1 < starts.length; b++) {
      long entries = 0;
      for (int k = starts[b]; k < starts[b + 1]; k++) {
        long p = prefix(sets[k].length);
        entries += p * (p - 1) / 2;
      }
      boolean isLarge = entries >= ENTRIES_A_PASS;
      if (starts[b] > from && (isLarge || waiting + entries >= ENTRIES_A_PASS)) {
        out.add(new Piece(from, starts[b], 0, 1));
        from = starts[b];
        waiting = 0;
      }
      waiting += entries;
      if (isLarge) {
        // A power of two, so that a trigram's pass costs no division.
        int passes = Integer.highestOneBit((int) Math.min(256, entries / ENTRIES_A_PASS));
        for (int pass = 0; pass < passes; pass++) {
          out.add(new Piece(from, starts[b + 1], pass, passes));
        }
        from = starts[b + 1];
        waiting = 0;
      }
    }
    if (from < order.length) {
      out.add(new Piece(from, order.length, 0, 1));
    }
    return out;
  }

  /** Texts {@code order[from, to)} and the trigrams of one pass. */
  private record Piece(int from, int to, int pass, int passes) {}

  private static final int LANES = 2;

  /** A block of fewer texts is ranked sooner by one. */
  private static final int WORTH_ALL_WORKERS = 20_000;

  private static final int TEXTS_RANKED_TOGETHER = 4096;

  /**
   * Block by block, and in it shorter texts first: what is too short for one is so for the rest.
   */
  private int[] byBlockAndSize(long[][] sets) {
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
    private long[] keys = new long[1 << 8];
    private int[] values = new int[1 << 8];
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
