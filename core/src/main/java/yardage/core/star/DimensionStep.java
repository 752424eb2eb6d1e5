package yardage.core.star;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.concurrent.atomic.LongAccumulator;
import java.util.concurrent.atomic.LongAdder;
import java.util.stream.IntStream;
import yardage.core.column.Batch;
import yardage.core.column.Bits;
import yardage.core.column.BooleanColumn;
import yardage.core.column.Column;
import yardage.core.column.LongColumn;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;
import yardage.core.exec.CancelToken;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.GroupedStep;
import yardage.core.exec.RowOrder;
import yardage.core.exec.StepTally;
import yardage.core.expr.Literal;

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
 * the same rows. New surrogate keys are given in the order of natural keys and times, so that they
 * do not depend on the order in which workers read the rows.
 *
 * @param now the time of change of rows that name none, in microseconds since 1970
 */
public record DimensionStep(DimensionLayout layout, long now) implements GroupedStep {
  /** What the tally counts changes of any kind as. */
  public static final String CHANGES = "changes to the dimension";

  /**
   * The first version of a member holds for all that was before, unless its row says since when.
   */
  static final long EVER = java.time.LocalDate.of(1900, 1, 1).toEpochDay() * 86_400_000_000L;

  /** A member's versions as objects, and what is known of it and of its rows. */
  private static final long BYTES_A_ROW = 128;

  /** The surrogate key of a version that is new in this update, until it is given one. */
  private static final long NOT_GIVEN = 0;

  @Override
  public int[] groupedBy() {
    return IntStream.rangeClosed(1, layout.key().size()).toArray();
  }

  @Override
  public long bytesPerRow() {
    return BYTES_A_ROW;
  }

  @Override
  public Pass pass(StepTally tally, ExecutionContext context) {
    return new Members(tally, context.cancel());
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

  /** All members of one update of the table. */
  private final class Members implements Pass {
    private final StepTally tally;
    private final CancelToken cancel;
    private final RowOrder natural = new RowOrder(order());

    /** The largest surrogate key that is there. */
    private final LongAccumulator largest = new LongAccumulator(Math::max, 0);

    private final LongAdder rowsThere = new LongAdder();
    private final LongAdder rowsThatCame = new LongAdder();
    private long rowsOut;
    private long merged;
    private long withoutKey;
    private long given;
    private long opened;
    private long overwritten;
    private long vanished;
    private long returned;
    private long expected;
    private long completed;

    Members(StepTally tally, CancelToken cancel) {
      this.tally = tally;
      this.cancel = cancel;
    }

    @Override
    public void see(Batch rows) {
      LongColumn surrogates = (LongColumn) rows.column(0);
      Column early = rows.column(rows.columns().size() - 1);
      long there = 0;
      long came = 0;
      long most = 0;
      for (int r = 0; r < rows.rowCount(); r++) {
        if (!surrogates.isNull(r)) {
          there++;
          most = Math.max(most, surrogates.values()[r]);
        } else if (!isTrue(early, r)) {
          came++;
        }
      }
      largest.accumulate(most);
      rowsThere.add(there);
      rowsThatCame.add(came);
    }

    /** The unknown member and none. */
    @Override
    public List<Column> start() {
      rowsOut += 2;
      List<Column> out = new ArrayList<>();
      out.add(
          new LongColumn(
              Type.BIGINT,
              new long[] {DimensionLayout.UNKNOWN, DimensionLayout.NOT_APPLICABLE},
              null,
              2));
      layout.key().forEach(k -> out.add(Literal.of(k.type(), null).column(2)));
      layout.attributes().forEach(a -> out.add(named(a.type())));
      if (layout.keepsHistory()) {
        out.add(new LongColumn(Type.TIMESTAMP, new long[] {EVER, EVER}, null, 2));
        out.add(Literal.of(Type.TIMESTAMP, null).column(2));
        out.add(Literal.of(Type.BOOLEAN, true).column(2));
      }
      if (layout.marksGone()) {
        out.add(Literal.of(Type.TIMESTAMP, null).column(2));
      }
      if (layout.placeholders()) {
        out.add(Literal.of(Type.BOOLEAN, false).column(2));
      }
      return out;
    }

    /** What the two rows for no member show: a text where an attribute is one. */
    private static Column named(Type type) {
      if (type.kind() != Type.Kind.VARCHAR) {
        return Literal.of(type, null).column(2);
      }
      TextBuilder out = new TextBuilder();
      out.append("unknown");
      out.append("not applicable");
      return out.build();
    }

    @Override
    public List<Column> groups(List<Column> columns) {
      return new Update(this, columns).columns();
    }

    long nextSurrogate() {
      return largest.get() + ++given;
    }

    @Override
    public void end() {
      tally.merged.add(merged);
      tally.filtered.add(withoutKey);
      tally.changed("rows without a natural key were left out", withoutKey);
      tally.changed("new versions of members", opened);
      tally.changed("members had attributes overwritten", overwritten);
      tally.changed("members vanished", vanished);
      tally.changed("members came back", returned);
      tally.changed("placeholders for members that have not come", expected);
      tally.changed("placeholders completed", completed);
      boolean isNew = rowsThere.sum() == 0;
      tally.changed(
          CHANGES,
          opened + overwritten + vanished + returned + expected + completed + (isNew ? 1 : 0));
      // An update is told of by its changes; the rows that come out besides were there before.
      long more = rowsOut - (rowsThatCame.sum() - merged - withoutKey);
      tally.added.add(Math.max(0, more));
      tally.merged.add(Math.max(0, -more));
    }
  }

  private static boolean isTrue(Column column, int row) {
    return !column.isNull(row) && ((BooleanColumn) column).values()[row] != 0;
  }

  /** Some whole members: their rows follow each other. */
  private final class Update {
    private final Members all;
    private final List<Column> columns;
    private final int keys = layout.key().size();
    private final int attributes = layout.attributes().size();
    private final boolean[] isHistory = new boolean[attributes];
    private final LongColumn surrogates;
    private final LongColumn since;
    private final LongColumn gone;
    private final Column isPlaceholder;
    private final Column isEarly;
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

    Update(Members all, List<Column> columns) {
      this.all = all;
      this.columns = columns;
      rows = columns.get(0).size();
      surrogates = (LongColumn) columns.get(0);
      since = (LongColumn) columns.get(1 + keys + attributes);
      gone = (LongColumn) columns.get(2 + keys + attributes);
      isPlaceholder = columns.get(3 + keys + attributes);
      isEarly = columns.get(4 + keys + attributes);
      member = new int[rows];
      int members = numberMembers();
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

    private int numberMembers() {
      int number = 0;
      for (int r = 1; r < rows; r++) {
        number += all.natural.compare(columns, r - 1, columns, r) == 0 ? 0 : 1;
        member[r] = number;
      }
      return rows == 0 ? 0 : number + 1;
    }

    List<Column> columns() {
      for (int r = 0; r < rows; r++) {
        if (!surrogates.isNull(r)) {
          there(r);
        }
      }
      all.cancel.check();
      for (int r = 0; r < rows; r++) {
        if (surrogates.isNull(r) && !isTrue(isEarly, r)) {
          comes(r);
        }
      }
      for (int r = 0; r < rows; r++) {
        if (isTrue(isEarly, r)) {
          isExpected(r);
        }
      }
      if (layout.marksGone()) {
        markGone();
      }
      all.cancel.check();
      return built();
    }

    /** A fact's row: its member must be there, if only as a placeholder. */
    private void isExpected(int row) {
      all.tally.absorbed.increment();
      int m = member[row];
      if (first[m] != null || noKey(row)) {
        return;
      }
      first[m] = new Version(NOT_GIVEN, EVER, row);
      latest[m] = row;
      placeholder[m] = true;
      all.expected++;
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
      placeholder[m] |= isTrue(isPlaceholder, row);
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
        all.withoutKey++;
        return;
      }
      boolean told = !since.isNull(row);
      long at = told ? since.values()[row] : now;
      boolean changed = false;
      if (!seen[m] && goneAt[m] != Long.MIN_VALUE && layout.marksGone()) {
        goneAt[m] = Long.MIN_VALUE;
        all.returned++;
        changed = true;
      }
      seen[m] = true;
      if (first[m] == null) {
        first[m] = new Version(NOT_GIVEN, told ? at : EVER, row);
        latest[m] = row;
        latestAt[m] = at;
        all.opened++;
        return;
      }
      if (placeholder[m]) {
        // Whatever comes first completes it, and is taken to hold for all that was before; a
        // change that comes late can then still find its place.
        placeholder[m] = false;
        first[m].row = row;
        if (told && layout.keepsHistory()) {
          first[m].next = new Version(NOT_GIVEN, at, row);
        }
        latest[m] = row;
        latestAt[m] = at;
        all.completed++;
        return;
      }
      changed |= layout.keepsHistory() && version(m, at, row);
      // Of two rows for one member the later change says what overwritten attributes are.
      if (at >= latestAt[m]) {
        if (differs(latest[m], row, false)) {
          all.overwritten++;
          changed = true;
        }
        latest[m] = row;
        latestAt[m] = at;
      }
      if (!changed) {
        all.merged++;
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
        Version earlier = new Version(NOT_GIVEN, at, row);
        earlier.next = v;
        first[m] = earlier;
        all.opened++;
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
        Version later = new Version(NOT_GIVEN, at, row);
        later.next = v.next;
        v.next = later;
      }
      all.opened++;
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
          all.vanished++;
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
      all.rowsOut += n;
      long[] surrogate = new long[n];
      int[] historyRow = new int[n];
      int[] latestRow = new int[n];
      long[] from = new long[n];
      long[] to = new long[n];
      long[] toNulls = Bits.allocate(n);
      byte[] current = new byte[n];
      byte[] awaited = new byte[n];
      long[] goneNow = new long[n];
      long[] goneNulls = Bits.allocate(n);
      for (int i = 0; i < n; i++) {
        Version v = versions.get(i);
        int m = members.get(i);
        surrogate[i] = v.surrogate == NOT_GIVEN ? all.nextSurrogate() : v.surrogate;
        historyRow[i] = v.row;
        latestRow[i] = latest[m];
        from[i] = v.from;
        current[i] = (byte) (v.next == null ? 1 : 0);
        awaited[i] = (byte) (placeholder[m] ? 1 : 0);
        if (v.next == null) {
          Bits.set(toNulls, i);
        } else {
          to[i] = v.next.from;
        }
        if (goneAt[m] == Long.MIN_VALUE) {
          Bits.set(goneNulls, i);
        } else {
          goneNow[i] = goneAt[m];
        }
      }
      List<Column> out = new ArrayList<>();
      out.add(new LongColumn(Type.BIGINT, surrogate, null, n));
      for (int k = 1; k <= keys; k++) {
        out.add(columns.get(k).gather(historyRow, n));
      }
      for (int i = 0; i < attributes; i++) {
        out.add(columns.get(1 + keys + i).gather(isHistory[i] ? historyRow : latestRow, n));
      }
      if (layout.keepsHistory()) {
        out.add(new LongColumn(Type.TIMESTAMP, from, null, n));
        out.add(new LongColumn(Type.TIMESTAMP, to, toNulls, n));
        out.add(new BooleanColumn(current, null, n));
      }
      if (layout.marksGone()) {
        out.add(new LongColumn(Type.TIMESTAMP, goneNow, goneNulls, n));
      }
      if (layout.placeholders()) {
        out.add(new BooleanColumn(awaited, null, n));
      }
      return out;
    }
  }
}
