package yardage.core.expr;

import java.util.Arrays;
import yardage.core.column.Batch;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.DoubleColumn;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;

/**
 * How alike two texts are, from 0 to 1. Texts are compared without accents, case, punctuation and
 * runs of blanks, since that is what people mean by the same name.
 */
public final class Likeness {
  private Likeness() {}

  /**
   * The distinct trigrams of a text, sorted, with two blanks before it and one behind, so that
   * beginnings weigh more.
   */
  public static long[] trigrams(String plain) {
    String padded = "  " + plain + " ";
    long[] out = new long[Math.max(0, padded.length() - 2)];
    for (int i = 0; i < out.length; i++) {
      out[i] =
          (long) padded.charAt(i) << 32 | (long) padded.charAt(i + 1) << 16 | padded.charAt(i + 2);
    }
    Arrays.sort(out);
    int n = 0;
    for (int i = 0; i < out.length; i++) {
      if (i == 0 || out[i] != out[i - 1]) {
        out[n++] = out[i];
      }
    }
    return Arrays.copyOf(out, n);
  }

  /** The share of trigrams that both have, of those that either has. */
  public static double trigramShare(long[] a, long[] b) {
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

  /** One less the edits (insert, delete, replace) from one to the other by the longer's length. */
  public static double editShare(String a, String b) {
    int longest = Math.max(a.length(), b.length());
    return longest == 0 ? 1 : 1 - (double) edits(a, b, longest) / longest;
  }

  /** The edit distance (Levenshtein), or more than {@code most} as soon as it is that. */
  public static int edits(String a, String b, int most) {
    if (Math.abs(a.length() - b.length()) > most) {
      return most + 1;
    }
    int[] before = new int[b.length() + 1];
    int[] now = new int[b.length() + 1];
    for (int j = 0; j < before.length; j++) {
      before[j] = j;
    }
    for (int i = 1; i <= a.length(); i++) {
      now[0] = i;
      int least = i;
      for (int j = 1; j <= b.length(); j++) {
        int change = a.charAt(i - 1) == b.charAt(j - 1) ? 0 : 1;
        now[j] = Math.min(before[j - 1] + change, Math.min(before[j], now[j - 1]) + 1);
        least = Math.min(least, now[j]);
      }
      if (least > most) {
        return most + 1;
      }
      int[] swap = before;
      before = now;
      now = swap;
    }
    return before[b.length()];
  }

  private static final String SOUNDS = "01230120022455012623010202";

  /**
   * The phonetic code of each word (American Soundex, as the United States census uses it), so that
   * texts whose words sound alike have equal codes.
   */
  public static String sound(String plain) {
    StringBuilder out = new StringBuilder();
    for (String word : plain.split(" ")) {
      if (word.isEmpty()) {
        continue;
      }
      out.append(out.length() > 0 ? " " : "");
      char first = word.charAt(0);
      if (first < 'a' || first > 'z') {
        out.append(word);
        continue;
      }
      out.append(first);
      int digits = 0;
      char last = SOUNDS.charAt(first - 'a');
      for (int i = 1; i < word.length() && digits < 3; i++) {
        char c = word.charAt(i);
        if (c < 'a' || c > 'z') {
          continue;
        }
        char code = SOUNDS.charAt(c - 'a');
        if (code != '0' && code != last) {
          out.append(code);
          digits++;
        }
        // h and w do not part equal codes; vowels do.
        if (c != 'h' && c != 'w') {
          last = code;
        }
      }
      out.append("000", digits, 3);
    }
    return out.toString();
  }

  /** The share of trigrams that two texts have in common, as a column. */
  public record Of(Expression left, Expression right) implements Expression {
    @Override
    public Type type() {
      return Type.DOUBLE;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn a = (TextColumn) left.evaluate(batch);
      TextColumn b = (TextColumn) right.evaluate(batch);
      double[] out = new double[a.size()];
      long[] nulls = null;
      for (int r = 0; r < out.length; r++) {
        if (a.isNull(r) || b.isNull(r)) {
          nulls = nulls == null ? Bits.allocate(out.length) : nulls;
          Bits.set(nulls, r);
        } else {
          out[r] = trigramShare(trigrams(plain(a, r)), trigrams(plain(b, r)));
        }
      }
      return new DoubleColumn(out, nulls, out.length);
    }

    private static String plain(TextColumn column, int row) {
      return Texts.plain(column.value(row));
    }
  }
}
