package yardage.core.step;

import java.util.Arrays;
import java.util.stream.IntStream;
import yardage.core.exec.CancelToken;

/**
 * All pairs of texts whose share of common trigrams is large enough. Trigrams are ordered by how
 * rare they are; two texts that are alike have one of their first, rare ones in common, so only
 * those are looked up. Shorter texts come first, so that lengths rule out most of the rest.
 */
final class TrigramPairs {
  private final String[] texts;
  private final int[] blockOf;
  private final double least;
  private final LikenessStep.Groups groups;
  private final CancelToken cancel;

  TrigramPairs(
      String[] texts, int[] blockOf, double least, LikenessStep.Groups groups, CancelToken cancel) {
    this.texts = texts;
    this.blockOf = blockOf;
    this.least = least;
    this.groups = groups;
    this.cancel = cancel;
  }

  void find() {
    int n = texts.length;
    // Trigrams as numbers, the rarest first.
    LongNumbers numbers = new LongNumbers();
    int[][] sets = new int[n][];
    for (int i = 0; i < n; i++) {
      long[] grams = Likeness.trigrams(texts[i]);
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
    for (int[] set : sets) {
      for (int g = 0; g < set.length; g++) {
        set[g] = rank[set[g]];
      }
      Arrays.sort(set);
    }
    int[] order =
        IntStream.range(0, n)
            .mapToObj(i -> (long) sets[i].length << 32 | i)
            .mapToLong(Long::longValue)
            .sorted()
            .mapToInt(l -> (int) l)
            .toArray();
    Postings[] index = new Postings[counts.length];
    int[] seenBy = new int[n];
    Arrays.fill(seenBy, -1);
    for (int k = 0; k < n; k++) {
      if ((k & 1023) == 0) {
        cancel.check();
      }
      int i = order[k];
      int[] set = sets[i];
      int shortest = (int) Math.ceil(least * set.length - 1e-9);
      int prefix = set.length - shortest + 1;
      for (int g = 0; g < Math.min(prefix, set.length); g++) {
        Postings posting = index[set[g]];
        if (posting == null) {
          index[set[g]] = posting = new Postings();
        }
        posting.dropShorterThan(shortest, sets);
        for (int p = posting.from; p < posting.size; p++) {
          int j = posting.items[p];
          if (seenBy[j] != i && blockOf[j] == blockOf[i]) {
            seenBy[j] = i;
            double share = share(sets[i], sets[j]);
            if (share >= least) {
              groups.join(i, j, share);
            }
          }
        }
        posting.add(i);
      }
    }
  }

  private static double share(int[] a, int[] b) {
    int common = 0;
    for (int i = 0, j = 0; i < a.length && j < b.length; ) {
      if (a[i] == b[j]) {
        common++;
        i++;
        j++;
      } else if (a[i] < b[j]) {
        i++;
      } else {
        j++;
      }
    }
    return (double) common / (a.length + b.length - common);
  }

  /** The texts that have a trigram among their first ones, shorter ones first. */
  private static final class Postings {
    private int[] items = new int[4];
    private int from;
    private int size;

    void add(int item) {
      if (size == items.length) {
        items = Arrays.copyOf(items, size * 2);
      }
      items[size++] = item;
    }

    /** Texts only get longer, so what is too short now stays so. */
    void dropShorterThan(int length, int[][] sets) {
      while (from < size && sets[items[from]].length < length) {
        from++;
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
