package yardage.core.pipeline.preview;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.exec.Tally;

/**
 * What a step makes of the rows of its first input, row by row: those that it keeps, with the
 * values that it changed, and those that it takes away. Steps whose rows are others than those that
 * came, as an aggregate's are, have none of this.
 *
 * @param before the columns of the input
 * @param rows the first that change and the first that do not, in the order of the input
 * @param words how many of all rows were kept, changed and taken away; or why that cannot be told
 */
public record BeforeAndAfter(Schema before, List<Row> rows, String words) {
  /** More values than these are not held against each other. */
  private static final long MOST_VALUES = 2_000_000;

  /** So many values of a column that tells rows apart are different ones. */
  private static final double TELLING = 0.9;

  public BeforeAndAfter {
    rows = List.copyOf(rows);
  }

  /**
   * A row of the input.
   *
   * @param number its place in the input, from 1 on
   * @param after its values behind the step; empty for one that the step took away
   * @param changed the names of columns that have another value now
   * @param reason why it is gone, in one word or two
   */
  public record Row(
      long number,
      List<Object> before,
      Optional<List<Object>> after,
      List<String> changed,
      Optional<String> reason) {
    public boolean isTouched() {
      return after.isEmpty() || !changed.isEmpty();
    }
  }

  /** The rows that are told: so many of each sort at most. */
  private static final class Told {
    private final int most;
    private final List<Row> rows = new ArrayList<>();
    private int touched;

    Told(int most) {
      this.most = most;
    }

    void add(Row row) {
      if (row.isTouched() ? touched < most : rows.size() - touched < most) {
        rows.add(row);
        touched += row.isTouched() ? 1 : 0;
      }
    }
  }

  /** How many rows of so many columns, those before a step and behind it together, are compared. */
  static long mostRows(Schema before, Schema after) {
    return MOST_VALUES / Math.max(1, before.size() + after.size());
  }

  static BeforeAndAfter untold(Schema before, String why) {
    return new BeforeAndAfter(before, List.of(), why);
  }

  /**
   * Finds the rows again.
   *
   * @param counts of the step
   * @param most how many rows that change are told, and how many others
   */
  static BeforeAndAfter of(
      Schema before, List<Batch> in, Schema after, List<Batch> out, Tally counts, int most) {
    List<List<Object>> a = Batch.rows(in);
    List<List<Object>> b = Batch.rows(out);
    int[][] common = common(before, after);
    if (common[0].length > 0 && a.size() == b.size() && samePlaces(a, b, common)) {
      return inPlace(before, a, after, b, most);
    } else if (common[0].length > 0 && a.size() - b.size() == taken(counts)) {
      return someOf(before, a, b, common, counts, most);
    }
    return untold(before, "The rows behind this step are others than those before it");
  }

  /** The places of columns that are called and typed alike on both sides. */
  private static int[][] common(Schema before, Schema after) {
    List<int[]> out = new ArrayList<>();
    for (int i = 0; i < before.size(); i++) {
      int at = after.indexOf(before.field(i).name());
      if (at >= 0 && after.field(at).type().equals(before.field(i).type())) {
        out.add(new int[] {i, at});
      }
    }
    return new int[][] {
      out.stream().mapToInt(p -> p[0]).toArray(), out.stream().mapToInt(p -> p[1]).toArray()
    };
  }

  /** Whether some column that tells rows apart has the same value in every row of both. */
  private static boolean samePlaces(List<List<Object>> a, List<List<Object>> b, int[][] common) {
    for (int c = 0; c < common[0].length; c++) {
      Set<Object> values = new HashSet<>();
      boolean same = true;
      for (int r = 0; same && r < a.size(); r++) {
        Object value = a.get(r).get(common[0][c]);
        values.add(value);
        same = Objects.equals(value, b.get(r).get(common[1][c]));
      }
      if (same && values.size() >= TELLING * a.size()) {
        return true;
      }
    }
    return a.isEmpty();
  }

  private static BeforeAndAfter inPlace(
      Schema before, List<List<Object>> a, Schema after, List<List<Object>> b, int most) {
    Told out = new Told(most);
    long touched = 0;
    for (int r = 0; r < a.size(); r++) {
      List<String> changed = new ArrayList<>();
      for (int c = 0; c < before.size(); c++) {
        int at = after.indexOf(before.field(c).name());
        if (at >= 0 && !Objects.equals(a.get(r).get(c), b.get(r).get(at))) {
          changed.add(after.field(at).name());
        }
      }
      touched += changed.isEmpty() ? 0 : 1;
      out.add(new Row(r + 1, a.get(r), Optional.of(b.get(r)), changed, Optional.empty()));
    }
    return new BeforeAndAfter(
        before,
        out.rows,
        "%,d of %,d rows have changed values; none is taken away".formatted(touched, a.size()));
  }

  private static BeforeAndAfter someOf(
      Schema before,
      List<List<Object>> a,
      List<List<Object>> b,
      int[][] common,
      Tally counts,
      int most) {
    Map<List<Object>, Deque<List<Object>>> left = new HashMap<>();
    for (List<Object> row : b) {
      left.computeIfAbsent(pick(row, common[1]), k -> new ArrayDeque<>()).add(row);
    }
    String reason = reason(counts);
    Told out = new Told(most);
    int kept = 0;
    int number = 0;
    for (List<Object> row : a) {
      Deque<List<Object>> same = left.get(pick(row, common[0]));
      Optional<List<Object>> after =
          same == null || same.isEmpty() ? Optional.empty() : Optional.of(same.poll());
      kept += after.isPresent() ? 1 : 0;
      Optional<String> why = after.isPresent() ? Optional.empty() : Optional.of(reason);
      out.add(new Row(++number, row, after, List.of(), why));
    }
    if (kept < b.size()) {
      return untold(before, "The rows behind this step are others than those before it");
    }
    return new BeforeAndAfter(
        before,
        out.rows,
        "%,d of %,d rows are taken away: %s".formatted(a.size() - kept, a.size(), reason));
  }

  private static List<Object> pick(List<Object> row, int[] columns) {
    List<Object> out = new ArrayList<>(columns.length);
    for (int c : columns) {
      out.add(row.get(c));
    }
    return out;
  }

  /** The rows that the step takes away, if it does nothing else with rows. */
  private static long taken(Tally t) {
    boolean others = t.multiplied() > 0 || t.added() > 0 || t.folded() > 0;
    return others ? -1 : t.setAside() + t.merged() + t.filtered() + t.unmatched();
  }

  /** What the step counts of the rows that it takes away. */
  private static String reason(Tally t) {
    List<String> out = new ArrayList<>();
    if (t.setAside() > 0) {
      out.add("set aside");
    }
    if (t.merged() > 0) {
      out.add("merged");
    }
    if (t.filtered() > 0) {
      out.add("filtered");
    }
    if (t.unmatched() > 0) {
      out.add("unmatched");
    }
    return String.join(" or ", out);
  }
}
