package yardage.core.insight;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.UnaryOperator;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.column.Values;

/**
 * What a join's keys have in common, and what keeps the others apart.
 *
 * @param left the rows of the main input
 * @param right the rows of the other
 * @param worst keys that multiply rows, with how many pairs each gives
 * @param remedies what would make more rows match, the most first
 */
public record JoinDiagnosis(Side left, Side right, List<Worst> worst, List<Remedy> remedies) {
  private static final int MOST_EXAMPLES = 5;
  private static final int MOST_WORST = 5;

  /** A remedy for fewer than this share of the unmatched rows is chance, not a cause. */
  private static final double WORTH_TELLING = 0.02;

  /**
   * One input.
   *
   * @param withNullKey rows that can match nothing, since a key is null
   */
  public record Side(
      long rows, long matched, long unmatched, long withNullKey, List<String> unmatchedExamples) {}

  /** A key that is there several times on both sides, or on the other one. */
  public record Worst(String key, long leftRows, long rightRows, long pairs) {}

  /**
   * Something that would make rows match.
   *
   * @param code stable
   * @param words what is in the way, for people
   * @param wouldMatch left rows that match nothing now and would then
   * @param sides where keys have it: {@code left}, {@code right} or both
   * @param set for each side the columns to set and the SQL to set them to; empty where SQL has no
   *     short way
   */
  public record Remedy(
      String code,
      String words,
      long wouldMatch,
      List<String> sides,
      List<Pair> examples,
      Map<String, Map<String, String>> set) {}

  /** Two keys that would be one. */
  public record Pair(String left, String right) {}

  /**
   * @param leftKeys the key columns of the main input
   * @param leftNames their names
   */
  public static JoinDiagnosis of(
      List<Column> leftKeys,
      List<String> leftNames,
      List<Column> rightKeys,
      List<String> rightNames) {
    return new Work(leftKeys, leftNames, rightKeys, rightNames).diagnosis();
  }

  /** A key's values in a line, as people see them. */
  private static String shown(List<String> key) {
    return String.join(", ", key);
  }

  private static final class Work {
    private final List<String> leftNames;
    private final List<String> rightNames;
    private final Map<List<String>, Long> left;
    private final Map<List<String>, Long> right;
    private final long leftRows;
    private final long rightRows;
    private final boolean[] isText;

    Work(
        List<Column> leftKeys,
        List<String> leftNames,
        List<Column> rightKeys,
        List<String> rightNames) {
      this.leftNames = leftNames;
      this.rightNames = rightNames;
      boolean[] numeric = new boolean[leftKeys.size()];
      isText = new boolean[leftKeys.size()];
      for (int k = 0; k < numeric.length; k++) {
        numeric[k] = leftKeys.get(k).type().isNumeric() && rightKeys.get(k).type().isNumeric();
        isText[k] =
            leftKeys.get(k).type().kind() == Type.Kind.VARCHAR
                && rightKeys.get(k).type().kind() == Type.Kind.VARCHAR;
      }
      left = counts(leftKeys, numeric);
      right = counts(rightKeys, numeric);
      leftRows = leftKeys.get(0).size();
      rightRows = rightKeys.get(0).size();
    }

    /** How many rows each key has; keys with a null are left out. */
    private static Map<List<String>, Long> counts(List<Column> keys, boolean[] numeric) {
      Map<List<String>, Long> out = new LinkedHashMap<>();
      rows:
      for (int r = 0; r < keys.get(0).size(); r++) {
        List<String> key = new ArrayList<>(keys.size());
        for (int k = 0; k < numeric.length; k++) {
          if (keys.get(k).isNull(r)) {
            continue rows;
          }
          String text = Values.text(keys.get(k).value(r));
          // 7 and 7.00 are one number, and so one key.
          key.add(
              numeric[k]
                  ? new java.math.BigDecimal(text).stripTrailingZeros().toPlainString()
                  : text);
        }
        out.merge(key, 1L, Long::sum);
      }
      return out;
    }

    JoinDiagnosis diagnosis() {
      List<Worst> worst = new ArrayList<>();
      left.forEach(
          (key, n) -> {
            long there = right.getOrDefault(key, 0L);
            if (there > 1) {
              worst.add(new Worst(shown(key), n, there, n * there));
            }
          });
      worst.sort((a, b) -> Long.compare(b.pairs(), a.pairs()));
      return new JoinDiagnosis(
          side(left, right, leftRows),
          side(right, left, rightRows),
          List.copyOf(worst.subList(0, Math.min(MOST_WORST, worst.size()))),
          remedies());
    }

    private static Side side(
        Map<List<String>, Long> mine, Map<List<String>, Long> other, long rows) {
      long matched = 0;
      long keyed = 0;
      List<String> examples = new ArrayList<>();
      for (Map.Entry<List<String>, Long> e : mine.entrySet()) {
        keyed += e.getValue();
        if (other.containsKey(e.getKey())) {
          matched += e.getValue();
        } else if (examples.size() < MOST_EXAMPLES) {
          examples.add(shown(e.getKey()));
        }
      }
      return new Side(rows, matched, keyed - matched, rows - keyed, examples);
    }

    private List<Remedy> remedies() {
      long unmatched =
          left.entrySet().stream()
              .filter(e -> !right.containsKey(e.getKey()))
              .mapToLong(Map.Entry::getValue)
              .sum();
      List<Remedy> out = new ArrayList<>();
      for (KeyRepair repair : KeyRepair.ALL) {
        remedy(repair)
            .filter(r -> r.wouldMatch() >= Math.max(1, WORTH_TELLING * unmatched))
            .ifPresent(out::add);
      }
      // One that does no more than a plainer one before it says nothing new.
      List<Remedy> telling = new ArrayList<>();
      for (Remedy r : out) {
        if (telling.stream().noneMatch(t -> t.wouldMatch() >= r.wouldMatch())) {
          telling.removeIf(t -> t.wouldMatch() * 20 < r.wouldMatch());
          telling.add(r);
        }
      }
      telling.sort((a, b) -> Long.compare(b.wouldMatch(), a.wouldMatch()));
      return telling;
    }

    private Optional<Remedy> remedy(KeyRepair repair) {
      Map<List<String>, List<String>> repairedRight = new HashMap<>();
      right.keySet().forEach(key -> repairedRight.putIfAbsent(applied(key, repair.apply()), key));
      long wouldMatch = 0;
      List<Pair> examples = new ArrayList<>();
      boolean[] onLeft = new boolean[isText.length];
      boolean[] onRight = new boolean[isText.length];
      Set<List<String>> pairsSeen = new java.util.HashSet<>();
      for (Map.Entry<List<String>, Long> e : left.entrySet()) {
        List<String> key = e.getKey();
        if (right.containsKey(key)) {
          continue;
        }
        List<String> found = repairedRight.get(applied(key, repair.apply()));
        if (found == null) {
          continue;
        }
        // L7 and P7 are two things; L7 and 7 may be one.
        boolean chance =
            repair.code().equals("prefix")
                && !applied(key, repair.apply()).equals(key)
                && !applied(found, repair.apply()).equals(found);
        if (chance) {
          continue;
        }
        wouldMatch += e.getValue();
        for (int k = 0; k < isText.length; k++) {
          onLeft[k] |= isText[k] && !repair.apply().apply(key.get(k)).equals(key.get(k));
          onRight[k] |= isText[k] && !repair.apply().apply(found.get(k)).equals(found.get(k));
        }
        if (examples.size() < MOST_EXAMPLES && pairsSeen.add(found)) {
          examples.add(new Pair(shown(key), shown(found)));
        }
      }
      if (wouldMatch == 0) {
        return Optional.empty();
      }
      List<String> sides = new ArrayList<>();
      Map<String, Map<String, String>> set = new LinkedHashMap<>();
      for (int k = 0; k < isText.length; k++) {
        boolean any = onLeft[k] || onRight[k];
        if (onLeft[k] && !sides.contains("left")) {
          sides.add("left");
        }
        if (onRight[k] && !sides.contains("right")) {
          sides.add("right");
        }
        onLeft[k] |= repair.both() && any;
        onRight[k] |= repair.both() && any;
      }
      addSet(set, "left", onLeft, leftNames, repair);
      addSet(set, "right", onRight, rightNames, repair);
      return Optional.of(
          new Remedy(repair.code(), repair.words(), wouldMatch, sides, examples, set));
    }

    private static void addSet(
        Map<String, Map<String, String>> out,
        String side,
        boolean[] on,
        List<String> names,
        KeyRepair repair) {
      Map<String, String> columns = new LinkedHashMap<>();
      boolean any = false;
      for (int k = 0; k < on.length; k++) {
        if (on[k]) {
          any = true;
          String name = names.get(k);
          repair.sql().ifPresent(sql -> columns.put(name, sql.formatted(name)));
        }
      }
      if (any) {
        out.put(side, columns);
      }
    }

    private List<String> applied(List<String> key, UnaryOperator<String> repair) {
      List<String> out = new ArrayList<>(key);
      for (int k = 0; k < out.size(); k++) {
        if (isText[k]) {
          out.set(k, repair.apply(out.get(k)));
        }
      }
      return out;
    }
  }
}
