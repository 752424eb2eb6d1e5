package yardage.core.step;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import yardage.core.column.Batch;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.DoubleColumn;
import yardage.core.column.IntColumn;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.exec.BlockStep;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.KeyNumbers;
import yardage.core.exec.Parallel;
import yardage.core.expr.Likeness;
import yardage.core.expr.Texts;

/**
 * Groups rows that are equal in some columns and alike in a text: whoever is like a member is a
 * member. Appends the group's number, counted from 1 in the order of the input, and how alike the
 * row is to the member that it was grouped by (1 where it is alone, null without a text).
 *
 * <p>No pair that is alike is missed: candidates come from prefix filters (Chaudhuri, Ganti and
 * Kaushik, ICDE 2006; Bayardo, Ma and Srikant, WWW 2007), which rule out only what cannot reach the
 * share. Equal texts are compared once.
 */
public record LikenessStep(int[] exact, int text, Measure measure, double least)
    implements BlockStep {

  /** Two texts and an entry of a map as objects, with what is known of the text. */
  private static final long BYTES_A_TEXT = 240;

  /** How likeness is measured. */
  public enum Measure {
    TRIGRAMS,
    EDITS,
    SOUND
  }

  @Override
  public int[] blocks() {
    return exact;
  }

  /**
   * What comparing takes at most, when all texts differ: the text and its key as objects, numbers
   * of its block and group, and its trigrams or pieces as they are found and as they are looked up.
   */
  @Override
  public long bytesFor(Batch rows) {
    TextColumn texts = (TextColumn) rows.column(text);
    long parts = 0;
    for (int r = 0; r < rows.rowCount(); r++) {
      int length = texts.end(r) - texts.start(r);
      parts +=
          switch (measure) {
            case TRIGRAMS -> 16L * length;
            case EDITS -> (long) EditPairs.PIECE_BYTES * EditPairs.pieces(length, least);
            case SOUND -> 0;
          };
    }
    return BYTES_A_TEXT * rows.rowCount() + 4 * texts.sizeBytes() + parts;
  }

  @Override
  public List<Column> apply(List<Column> columns, ExecutionContext context) {
    int rows = columns.get(0).size();
    TextColumn texts = (TextColumn) columns.get(text);
    int[] block = new int[rows];
    if (exact.length > 0) {
      Column[] keys = Arrays.stream(exact).mapToObj(columns::get).toArray(Column[]::new);
      block =
          new KeyNumbers(Arrays.stream(keys).map(Column::type).toArray(Type[]::new))
              .numberOf(keys, rows);
    }
    // Distinct texts by block; rows without a text stay alone.
    Map<String, Integer> numbers = new HashMap<>();
    List<String> plain = new ArrayList<>();
    List<Integer> blocks = new ArrayList<>();
    String[] plainOf = new String[rows];
    Parallel.ranges(
        rows,
        context,
        (from, to) -> {
          for (int r = from; r < to; r++) {
            plainOf[r] = texts.isNull(r) ? null : Texts.plain(texts.value(r));
          }
        });
    int[] textOf = new int[rows];
    for (int r = 0; r < rows; r++) {
      if (texts.isNull(r)) {
        textOf[r] = -1;
        continue;
      }
      String p = plainOf[r];
      int b = block[r];
      textOf[r] =
          numbers.computeIfAbsent(
              b + "\u0000" + p,
              k -> {
                plain.add(p);
                blocks.add(b);
                return plain.size() - 1;
              });
    }
    Groups groups = new Groups(plain.size());
    int[] blockOf = blocks.stream().mapToInt(Integer::intValue).toArray();
    String[] all = plain.toArray(String[]::new);
    switch (measure) {
      case TRIGRAMS -> new TrigramPairs(all, blockOf, least, groups, context).find();
      case EDITS -> new EditPairs(all, blockOf, least, groups, context.cancel()).find();
      case SOUND -> bySound(all, blockOf, groups);
    }
    return numbered(columns, textOf, groups);
  }

  private static void bySound(String[] texts, int[] blockOf, Groups groups) {
    Map<String, Integer> first = new HashMap<>();
    for (int i = 0; i < texts.length; i++) {
      Integer other = first.putIfAbsent(blockOf[i] + "\u0000" + Likeness.sound(texts[i]), i);
      if (other != null) {
        groups.join(i, other, 1);
      }
    }
  }

  private static List<Column> numbered(List<Column> columns, int[] textOf, Groups groups) {
    int rows = textOf.length;
    int[] number = new int[rows];
    double[] score = new double[rows];
    long[] nulls = Bits.allocate(Math.max(1, rows));
    Map<Integer, Integer> numberOf = new HashMap<>();
    int next = 0;
    for (int r = 0; r < rows; r++) {
      if (textOf[r] < 0) {
        number[r] = ++next;
        Bits.set(nulls, r);
        continue;
      }
      Integer known = numberOf.get(groups.of(textOf[r]));
      if (known == null) {
        known = ++next;
        numberOf.put(groups.of(textOf[r]), known);
      }
      number[r] = known;
      score[r] = groups.best[textOf[r]] == 0 ? 1 : groups.best[textOf[r]];
    }
    List<Column> out = new ArrayList<>(columns);
    out.add(new IntColumn(Type.INT, number, null, rows));
    out.add(
        new DoubleColumn(score, Arrays.stream(nulls).anyMatch(w -> w != 0) ? nulls : null, rows));
    return out;
  }

  /** Texts that belong together (union by size, with path halving). */
  static final class Groups {
    private final int[] parent;
    private final int[] size;

    /** The best likeness of each text to another of its group. */
    private final double[] best;

    Groups(int n) {
      parent = new int[n];
      size = new int[n];
      best = new double[n];
      for (int i = 0; i < n; i++) {
        parent[i] = i;
        size[i] = 1;
      }
    }

    int of(int i) {
      while (parent[i] != i) {
        parent[i] = parent[parent[i]];
        i = parent[i];
      }
      return i;
    }

    /**
     * Takes over what others have grouped.
     *
     * @param called what they call each text here
     */
    void joinAll(Groups other, int[] called) {
      for (int i = 0; i < parent.length; i++) {
        if (other.best[i] > 0) {
          join(called[i], called[other.of(i)], 0);
          best[called[i]] = Math.max(best[called[i]], other.best[i]);
        }
      }
    }

    void join(int a, int b, double likeness) {
      best[a] = Math.max(best[a], likeness);
      best[b] = Math.max(best[b], likeness);
      int x = of(a);
      int y = of(b);
      if (x != y) {
        int large = size[x] >= size[y] ? x : y;
        int small = large == x ? y : x;
        parent[small] = large;
        size[large] += size[small];
      }
    }
  }
}
