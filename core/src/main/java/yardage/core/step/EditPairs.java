package yardage.core.step;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import yardage.core.exec.CancelToken;
import yardage.core.expr.Likeness;

/**
 * All pairs of texts with few enough edits between them. If two texts are {@code k} edits apart and
 * one is cut into {@code k + 1} pieces, one piece stands whole in the other, no further than {@code
 * k} from its place (Wu and Manber, 1992): pieces are looked up, and only what shares one is
 * compared.
 */
record EditPairs(
    String[] texts, int[] blockOf, double least, LikenessStep.Groups groups, CancelToken cancel) {

  /** A piece, its text, its entry in the index and a list of one. */
  static final int PIECE_BYTES = 224;

  /** A piece of a text of some length, at some place. */
  private record Piece(int block, int length, int place, String text) {}

  void find() {
    Integer[] order = IntStream.range(0, texts.length).boxed().toArray(Integer[]::new);
    Arrays.sort(order, Comparator.comparingInt(i -> texts[i].length()));
    Map<Piece, List<Integer>> index = new HashMap<>();
    int[] seenBy = new int[texts.length];
    Arrays.fill(seenBy, -1);
    for (int k = 0; k < order.length; k++) {
      if ((k & 255) == 0) {
        cancel.check();
      }
      int i = order[k];
      String text = texts[i];
      // The longer of a pair says how many edits are allowed, and here that is this one.
      int most = most(text.length(), least);
      for (int length = Math.max(0, text.length() - most); length <= text.length(); length++) {
        int pieces = pieces(length, least);
        for (int p = 0; p < pieces; p++) {
          int start = start(length, pieces, p);
          int end = start(length, pieces, p + 1);
          int from = Math.max(0, start - most);
          int to = Math.min(text.length() - (end - start), start + most);
          for (int at = from; at <= to; at++) {
            for (int j :
                index.getOrDefault(
                    new Piece(blockOf[i], length, p, text.substring(at, at + end - start)),
                    List.of())) {
              if (seenBy[j] != i) {
                seenBy[j] = i;
                compare(i, j, most);
              }
            }
          }
        }
      }
      int pieces = pieces(text.length(), least);
      for (int p = 0; p < pieces; p++) {
        index
            .computeIfAbsent(
                new Piece(
                    blockOf[i],
                    text.length(),
                    p,
                    text.substring(
                        start(text.length(), pieces, p), start(text.length(), pieces, p + 1))),
                x -> new ArrayList<>())
            .add(i);
      }
    }
  }

  private static int most(int length, double least) {
    return (int) Math.floor((1 - least) * length + 1e-9);
  }

  /**
   * Into how many pieces a text is cut: one more than the edits that any text allows whose partner
   * it can be, which is at most {@code 1 / least} times as long.
   */
  static int pieces(int length, double least) {
    return most((int) Math.floor(length / least + 1e-9), least) + 1;
  }

  private static int start(int length, int pieces, int piece) {
    return (int) ((long) length * piece / pieces);
  }

  private void compare(int i, int j, int most) {
    int edits = Likeness.edits(texts[i], texts[j], most);
    int longest = Math.max(texts[i].length(), texts[j].length());
    double share = longest == 0 ? 1 : 1 - (double) edits / longest;
    if (edits <= most && share >= least - 1e-12) {
      groups.join(i, j, share);
    }
  }
}
