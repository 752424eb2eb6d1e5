package yardage.core.star;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import yardage.core.column.Bits;
import yardage.core.column.BooleanColumn;
import yardage.core.column.Column;
import yardage.core.column.LongColumn;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;
import yardage.core.exec.CancelToken;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.KeyNumbers;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.StepTally;
import yardage.core.exec.WholeStep;

/**
 * Brings a dimension up to date: all its rows come out, as they are to be written. Members keep the
 * surrogate keys that they have; an attribute of history that changes closes the version that held
 * and opens another, also where the change comes late; other attributes are overwritten in every
 * version. Two rows stand for the unknown member and for none.
 *
 * <p>A fact's row whose member is not there makes a placeholder: a member with its natural key and
 * nothing else, which is completed when the member comes, and keeps its surrogate key.
 *
 * <p>An input row that changes nothing is counted as merged. Given the same rows again, it gives
 * the same rows.
 *
 * @param now the time of change of rows that name none, in microseconds since 1970
 */
public record DimensionStep(DimensionLayout layout, long now) implements WholeStep {
  /** What the tally counts changes of any kind as. */
  public static final String CHANGES = "changes to the dimension";

  /**
   * The first version of a member holds for all that was before, unless its row says since when.
   */
  static final long EVER = java.time.LocalDate.of(1900, 1, 1).toEpochDay() * 86_400_000_000L;

  /**
   * A member's key in a table, its versions as objects, and what is known of it and of its rows.
   */
  private static final long BYTES_A_ROW = 128;

  @Override
  public List<Column> apply(List<Column> columns, StepTally tally, ExecutionContext context) {
    try (MemoryPool.Reservation claim =
        context.memory().reservation(tally, "the dimension's members")) {
      claim.resize(BYTES_A_ROW * columns.get(0).size());
      return new Update(columns, tally).columns(context.cancel());
    }
  }

  /** A version of a member: since when, and the row that its attributes of history come from. */
  private static final class Version {
    private final long surrogate;
    private long from;
    private int row;
    private Version next;

    Version(long surrogate, long from, int row) {
      this.surrogate = surrogate;
      this.from = from;
      this.row = row;
    }
  }

  private final class Update {
    private final List<Column> columns;
    private final StepTally tally;
    private final int keys = layout.key().size();
    private final int attributes = layout.attributes().size();
    private final boolean[] isHistory = new boolean[attributes];
    private final LongColumn surrogates;
    private final LongColumn since;
    private final LongColumn gone;
    private final BooleanColumn isPlaceholder;
    private final BooleanColumn isEarly;
    private final int rows;
    private final int[] member;
    private final Version[] first;

    /** The row whose attributes a member has now, for those that are overwritten. */
    private final int[] latest;

    private final long[] latestAt;
    private final long[] goneAt;
    private final boolean[] seen;

    /** Members of which no more than the key is known. */
    private final boolean[] placeholder;

    private long nextSurrogate = 1;
    private long opened;
    private long overwritten;
    private long vanished;
    private long returned;
    private long expected;
    private long completed;

    Update(List<Column> columns, StepTally tally) {
      this.columns = columns;
      this.tally = tally;
      rows = columns.get(0).size();
      surrogates = (LongColumn) columns.get(0);
      since = (LongColumn) columns.get(1 + keys + attributes);
      gone = (LongColumn) columns.get(2 + keys + attributes);
      isPlaceholder = (BooleanColumn) columns.get(3 + keys + attributes);
      isEarly = (BooleanColumn) columns.get(4 + keys + attributes);
      Column[] natural = columns.subList(1, 1 + keys).toArray(Column[]::new);
      KeyNumbers numbers =
          new KeyNumbers(Arrays.stream(natural).map(Column::type).toArray(Type[]::new));
      member = Arrays.copyOf(numbers.numberOf(natural, rows), rows);
      int members = numbers.count();
      first = new Version[members];
      latest = new int[members];
      latestAt = new long[members];
      goneAt = new long[members];
      seen = new boolean[members];
      placeholder = new boolean[members];
      for (int i = 0; i < attributes; i++) {
        isHistory[i] = layout.isHistory(layout.attributes().get(i).name());
      }
      Arrays.fill(latest, -1);
      Arrays.fill(latestAt, Long.MIN_VALUE);
      Arrays.fill(goneAt, Long.MIN_VALUE);
    }

    List<Column> columns(CancelToken cancel) {
      boolean isNew = true;
      for (int r = 0; r < rows; r++) {
        if (!surrogates.isNull(r)) {
          isNew = false;
          there(r);
        }
      }
      cancel.check();
      for (int r = 0; r < rows; r++) {
        if (surrogates.isNull(r) && !early(r)) {
          comes(r);
        }
      }
      for (int r = 0; r < rows; r++) {
        if (early(r)) {
          isExpected(r);
        }
      }
      if (layout.marksGone()) {
        markGone();
      }
      tally.changed("new versions of members", opened);
      tally.changed("members had attributes overwritten", overwritten);
      tally.changed("members vanished", vanished);
      tally.changed("members came back", returned);
      tally.changed("placeholders for members that have not come", expected);
      tally.changed("placeholders completed", completed);
      tally.changed(
          CHANGES,
          opened + overwritten + vanished + returned + expected + completed + (isNew ? 1 : 0));
      return built();
    }

    private boolean early(int row) {
      return !isEarly.isNull(row) && isEarly.values()[row] != 0;
    }

    /** A fact's row: its member must be there, if only as a placeholder. */
    private void isExpected(int row) {
      tally.absorbed.increment();
      int m = member[row];
      if (first[m] != null || noKey(row)) {
        return;
      }
      first[m] = new Version(nextSurrogate++, EVER, row);
      latest[m] = row;
      placeholder[m] = true;
      expected++;
    }

    private boolean noKey(int row) {
      for (int k = 1; k <= keys; k++) {
        if (columns.get(k).isNull(row)) {
          return true;
        }
      }
      return false;
    }

    /** A row of the table as it is. */
    private void there(int row) {
      long surrogate = surrogates.values()[row];
      if (surrogate < 0) {
        return;
      }
      nextSurrogate = Math.max(nextSurrogate, surrogate + 1);
      int m = member[row];
      long from = since.isNull(row) ? EVER : since.values()[row];
      insert(m, new Version(surrogate, from, row));
      if (latest[m] < 0 || from >= latestAt[m]) {
        latest[m] = row;
        latestAt[m] = from;
      }
      if (!gone.isNull(row)) {
        goneAt[m] = gone.values()[row];
      }
      placeholder[m] |= !isPlaceholder.isNull(row) && isPlaceholder.values()[row] != 0;
    }

    private void insert(int m, Version v) {
      if (first[m] == null || v.from < first[m].from) {
        v.next = first[m];
        first[m] = v;
        return;
      }
      Version at = first[m];
      while (at.next != null && at.next.from <= v.from) {
        at = at.next;
      }
      v.next = at.next;
      at.next = v;
    }

    /** A row that comes in. */
    private void comes(int row) {
      int m = member[row];
      if (noKey(row)) {
        tally.filtered.increment();
        tally.changed("rows without a natural key were left out", 1);
        return;
      }
      boolean told = !since.isNull(row);
      long at = told ? since.values()[row] : now;
      boolean changed = false;
      if (!seen[m] && goneAt[m] != Long.MIN_VALUE && layout.marksGone()) {
        goneAt[m] = Long.MIN_VALUE;
        returned++;
        changed = true;
      }
      seen[m] = true;
      if (first[m] == null) {
        first[m] = new Version(nextSurrogate++, told ? at : EVER, row);
        latest[m] = row;
        latestAt[m] = at;
        opened++;
        return;
      }
      if (placeholder[m]) {
        // Whatever comes first completes it, and is taken to hold for all that was before; a
        // change that comes late can then still find its place.
        placeholder[m] = false;
        first[m].row = row;
        if (told && layout.keepsHistory()) {
          first[m].next = new Version(nextSurrogate++, at, row);
        }
        latest[m] = row;
        latestAt[m] = at;
        completed++;
        return;
      }
      changed |= layout.keepsHistory() && version(m, at, row);
      // Of two rows for one member the later change says what overwritten attributes are.
      if (at >= latestAt[m]) {
        if (differs(latest[m], row, false)) {
          overwritten++;
          changed = true;
        }
        latest[m] = row;
        latestAt[m] = at;
      }
      if (!changed) {
        tally.merged.increment();
      }
    }

    /** Puts a change into a member's history; whether it was one. */
    private boolean version(int m, long at, int row) {
      Version v = first[m];
      if (at < v.from) {
        // Before all that is known: it holds until then, if it says something else.
        if (!differs(v.row, row, true)) {
          return false;
        }
        Version earlier = new Version(nextSurrogate++, at, row);
        earlier.next = v;
        first[m] = earlier;
        opened++;
        return true;
      }
      while (v.next != null && v.next.from <= at) {
        v = v.next;
      }
      if (!differs(v.row, row, true)) {
        return false;
      }
      if (v.from == at) {
        v.row = row;
      } else {
        Version later = new Version(nextSurrogate++, at, row);
        later.next = v.next;
        v.next = later;
      }
      opened++;
      return true;
    }

    private boolean differs(int a, int b, boolean history) {
      for (int i = 0; i < attributes; i++) {
        if (isHistory[i] == history) {
          Column c = columns.get(1 + keys + i);
          if (!Objects.equals(c.value(a), c.value(b))) {
            return true;
          }
        }
      }
      return false;
    }

    private void markGone() {
      for (int m = 0; m < first.length; m++) {
        if (first[m] != null && !seen[m] && !placeholder[m] && goneAt[m] == Long.MIN_VALUE) {
          goneAt[m] = now;
          vanished++;
        }
      }
    }

    private List<Column> built() {
      List<Version> versions = new ArrayList<>();
      List<Integer> members = new ArrayList<>();
      for (int m = 0; m < first.length; m++) {
        for (Version v = first[m]; v != null; v = v.next) {
          versions.add(v);
          members.add(m);
        }
      }
      int n = versions.size();
      long[] surrogate = new long[n + 2];
      int[] historyRow = new int[n + 2];
      int[] latestRow = new int[n + 2];
      long[] from = new long[n + 2];
      long[] to = new long[n + 2];
      long[] toNulls = Bits.allocate(n + 2);
      byte[] current = new byte[n + 2];
      byte[] awaited = new byte[n + 2];
      long[] goneNow = new long[n + 2];
      long[] goneNulls = Bits.allocate(n + 2);
      special(0, DimensionLayout.UNKNOWN, surrogate, historyRow, latestRow, from, current);
      special(1, DimensionLayout.NOT_APPLICABLE, surrogate, historyRow, latestRow, from, current);
      for (int i = 0; i < n + 2; i++) {
        Version v = i < 2 ? null : versions.get(i - 2);
        int m = i < 2 ? -1 : members.get(i - 2);
        if (v != null) {
          surrogate[i] = v.surrogate;
          historyRow[i] = v.row;
          latestRow[i] = latest[m];
          from[i] = v.from;
          current[i] = (byte) (v.next == null ? 1 : 0);
          awaited[i] = (byte) (placeholder[m] ? 1 : 0);
        }
        if (v == null || v.next == null) {
          Bits.set(toNulls, i);
        } else {
          to[i] = v.next.from;
        }
        if (m < 0 || goneAt[m] == Long.MIN_VALUE) {
          Bits.set(goneNulls, i);
        } else {
          goneNow[i] = goneAt[m];
        }
      }
      // An update is told of by its changes; the rows that come out besides were there before.
      long came = 0;
      for (int r = 0; r < rows; r++) {
        came += surrogates.isNull(r) && !early(r) ? 1 : 0;
      }
      long left = tally.merged.sum() + tally.filtered.sum();
      tally.added.add(Math.max(0, n + 2 - (came - left)));
      tally.merged.add(Math.max(0, came - left - (n + 2)));
      List<Column> out = new ArrayList<>();
      out.add(new LongColumn(Type.BIGINT, surrogate, null, n + 2));
      for (int k = 1; k <= keys; k++) {
        out.add(columns.get(k).gather(historyRow, n + 2));
      }
      for (int i = 0; i < attributes; i++) {
        int[] which = isHistory[i] ? historyRow : latestRow;
        out.add(named(columns.get(1 + keys + i).gather(which, n + 2)));
      }
      if (layout.keepsHistory()) {
        out.add(new LongColumn(Type.TIMESTAMP, from, null, n + 2));
        out.add(new LongColumn(Type.TIMESTAMP, to, toNulls, n + 2));
        out.add(new BooleanColumn(current, null, n + 2));
      }
      if (layout.marksGone()) {
        out.add(new LongColumn(Type.TIMESTAMP, goneNow, goneNulls, n + 2));
      }
      if (layout.placeholders()) {
        out.add(new BooleanColumn(awaited, null, n + 2));
      }
      return out;
    }

    private static void special(
        int at,
        long key,
        long[] surrogate,
        int[] historyRow,
        int[] latestRow,
        long[] from,
        byte[] current) {
      surrogate[at] = key;
      historyRow[at] = -1;
      latestRow[at] = -1;
      from[at] = EVER;
      current[at] = 1;
    }

    /** Gives the two rows for no member a text to show, where an attribute is one. */
    private static Column named(Column values) {
      if (values.type().kind() != Type.Kind.VARCHAR) {
        return values;
      }
      TextBuilder out = new TextBuilder();
      out.append("unknown");
      out.append("not applicable");
      int[] rest = new int[values.size() - 2];
      for (int i = 0; i < rest.length; i++) {
        rest[i] = i + 2;
      }
      out.append(values, rest, 0, rest.length);
      return out.build();
    }
  }
}
