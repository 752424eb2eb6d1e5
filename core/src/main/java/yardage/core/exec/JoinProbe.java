package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import yardage.core.column.*;
import yardage.core.expr.Literal;
import yardage.core.expr.Logic;
import yardage.core.plan.ExpressionInputs;
import yardage.core.plan.JoinSpec;

/**
 * Passes left rows by the right ones. A pair is two row numbers, so a matched row is copied once,
 * into the batch that leaves. One for each worker.
 */
final class JoinProbe implements BatchConsumer {
  private static final int MAX_PAIRS = 4 * Batch.TARGET_ROWS;

  private final JoinSpec spec;
  private final StepTally tally;
  private final ExecutionContext context;
  private final JoinTable table;
  private final BatchConsumer next;
  private final boolean existence;

  /** Whether right rows are marked, and no pairs come out. */
  private final boolean marksOnly;

  /** For each right column the left one that need not be fetched once more, or -1. */
  private final int[] sameOnLeft;

  private final Optional<BitSet> read;
  private final Map<Type, Column> unread = new HashMap<>();
  private final KeyTable.Scratch scratch = new KeyTable.Scratch();
  private int[] numbers = new int[0];
  private int[] leftRows = new int[Batch.TARGET_ROWS];
  private int[] rightRows = new int[Batch.TARGET_ROWS];
  private boolean[] hit = new boolean[0];
  private int pairs;

  /**
   * @param read what is read of the pairs' columns; empty for all
   */
  JoinProbe(
      JoinSpec spec,
      StepTally tally,
      JoinTable table,
      ExecutionContext context,
      BatchConsumer next,
      Optional<BitSet> read) {
    this.spec = spec;
    this.tally = tally;
    this.table = table;
    this.context = context;
    this.next = next;
    this.read =
        read.map(
            r -> {
              BitSet all = (BitSet) r.clone();
              spec.residual().ifPresent(e -> ExpressionInputs.add(e, all));
              return all;
            });
    this.sameOnLeft = sameOnLeft(spec);
    this.existence = !spec.kind().givesRight();
    this.marksOnly = !spec.kind().givesLeft();
  }

  @Override
  public void accept(Batch batch) {
    int rows = batch.rowCount();
    if (hit.length < rows) {
      hit = new boolean[rows];
    }
    Arrays.fill(hit, 0, rows, false);
    close(batch, hit, match(batch, hit));
  }

  /**
   * Gives the pairs of some rows.
   *
   * @param hit is set where a row has matched
   * @return how many pairs there were
   */
  long match(Batch batch, boolean[] hit) {
    int rows = batch.rowCount();
    if (numbers.length < rows) {
      numbers = new int[rows];
    }
    Column[] keys = Arrays.stream(spec.leftKeys()).mapToObj(batch::column).toArray(Column[]::new);
    table.find(keys, rows, numbers, scratch);
    pairs = 0;
    long given = 0;
    boolean firstOnly = table.isUnique() || (existence && spec.residual().isEmpty());
    if (firstOnly) {
      firstOfEach(rows);
      return flush(batch, hit);
    }
    for (int i = 0; i < rows; i++) {
      if (numbers[i] < 0) {
        continue;
      }
      int r = table.first(numbers[i]);
      while (r >= 0) {
        if (!marksOnly || table.matched[r] == 0) {
          add(i, r);
        }
        r = table.next(r);
        if (pairs == MAX_PAIRS) {
          given += flush(batch, hit);
        }
      }
    }
    return given + flush(batch, hit);
  }

  /** Pairs each row with the one right row that counts, without a branch that depends on rows. */
  private void firstOfEach(int rows) {
    room(rows);
    // In locals: fields would be written back for each row.
    int[] keys = numbers;
    int[] left = leftRows;
    int[] right = rightRows;
    int n = 0;
    boolean asTheyAre = table.numbersAreRows();
    for (int i = 0; i < rows; i++) {
      int r = asTheyAre || keys[i] < 0 ? keys[i] : table.first(keys[i]);
      left[n] = i;
      right[n] = r;
      n += r >>> 31 ^ 1;
    }
    pairs = n;
  }

  private void room(int rows) {
    if (rows > leftRows.length) {
      int length = Math.max(rows, leftRows.length * 2);
      leftRows = Arrays.copyOf(leftRows, length);
      rightRows = Arrays.copyOf(rightRows, length);
    }
  }

  /**
   * Books some rows once they were held against all right ones, and gives those that go out as they
   * are.
   *
   * @param pairs how many there were of them
   */
  void close(Batch batch, boolean[] hit, long pairs) {
    int rows = batch.rowCount();
    int hits = 0;
    for (int i = 0; i < rows; i++) {
      hits += hit[i] ? 1 : 0;
    }
    if (spec.mainIsRight()) {
      // These rows are looked up; what became of the main ones shows at the end.
      tally.absorbed.add(rows);
      return;
    }
    tally.matched.add(hits);
    switch (spec.kind()) {
      case SEMI -> {
        tally.unmatched.add(rows - hits);
        emitLeft(batch, hit, true, hits);
      }
      case ANTI -> {
        tally.filtered.add(hits);
        emitLeft(batch, hit, false, rows - hits);
      }
      case RIGHT_SEMI, RIGHT_ANTI -> throw new IllegalStateException("Their main input is right");
      case INNER, LEFT, RIGHT, FULL -> {
        tally.multiplied.add(pairs - hits);
        if (!spec.kind().keepsLeft()) {
          tally.unmatched.add(rows - hits);
        } else if (hits < rows) {
          emitLeft(batch, hit, false, rows - hits);
        }
      }
    }
  }

  private void add(int left, int rightRow) {
    room(pairs + 1);
    leftRows[pairs] = left;
    rightRows[pairs++] = rightRow;
  }

  /**
   * Puts the pairs to the residual condition, marks who matched, and sends the pairs on; returns
   * how many matched.
   */
  private int flush(Batch batch, boolean[] hit) {
    int n = pairs;
    pairs = 0;
    if (n == 0) {
      return 0;
    }
    context.cancel().check();
    Batch joined = null;
    if (spec.residual().isPresent()) {
      joined = pair(batch, n);
      int[] chosen = new int[n];
      int kept = Logic.select((BooleanColumn) spec.residual().get().evaluate(joined), chosen);
      if (kept < n) {
        for (int i = 0; i < kept; i++) {
          leftRows[i] = leftRows[chosen[i]];
          rightRows[i] = rightRows[chosen[i]];
        }
        n = kept;
        joined = null;
      }
    }
    if (spec.keepsKeys() && givesPairs()) {
      noteMultiplied(batch, hit, n);
    }
    for (int i = 0; i < n; i++) {
      hit[leftRows[i]] = true;
    }
    if (table.matched != null) {
      for (int i = 0; i < n; i++) {
        table.matched[rightRows[i]] = 1;
      }
      table.pairsGiven.add(n);
    }
    if (givesPairs() && n > 0) {
      next.accept(joined != null ? joined : pair(batch, n));
    }
    return n;
  }

  /** Tells the tally of rows that match again, within these pairs or after earlier ones. */
  private void noteMultiplied(Batch batch, boolean[] hit, int n) {
    for (int i = 0; i < n; i++) {
      int row = leftRows[i];
      if (hit[row]) {
        tally.multipliedKey(() -> keyText(batch, row));
      }
      hit[row] = true;
    }
  }

  private String keyText(Batch batch, int row) {
    return Arrays.stream(spec.leftKeys())
        .mapToObj(k -> Values.text(batch.column(k).value(row)))
        .collect(Collectors.joining(", "));
  }

  private boolean givesPairs() {
    return !existence && !marksOnly;
  }

  private boolean isRead(int column) {
    return read.isEmpty() || read.get().get(column);
  }

  /** A column that nobody reads; one for each type while batches are of one size. */
  private Column unread(Type type, int rows) {
    Column last = unread.get(type);
    if (last == null || last.size() != rows) {
      last = Literal.of(type, null).column(rows);
      unread.put(type, last);
    }
    return last;
  }

  private Batch pair(Batch batch, int n) {
    List<Column> out = new ArrayList<>();
    boolean identity = n == batch.rowCount();
    for (int i = 0; identity && i < n; i++) {
      identity = leftRows[i] == i;
    }
    for (Column column : batch.columns()) {
      out.add(
          identity
              ? column
              : isRead(out.size()) ? column.gather(leftRows, n) : unread(column.type(), n));
    }
    for (int c = 0; c < table.columns.size(); c++) {
      Column column = table.columns.get(c);
      if (!isRead(out.size())) {
        out.add(unread(column.type(), n));
      } else if (sameOnLeft[c] >= 0 && isRead(sameOnLeft[c])) {
        out.add(out.get(sameOnLeft[c]));
      } else {
        out.add(column.gather(rightRows, n));
      }
    }
    return batch.derived(out, leftRows, n);
  }

  /** For each right column the left key that is the same number in a pair, or -1. */
  private static int[] sameOnLeft(JoinSpec spec) {
    int[] out = new int[spec.right().size()];
    Arrays.fill(out, -1);
    for (int k = 0; k < spec.rightKeys().length; k++) {
      Type type = spec.right().field(spec.rightKeys()[k]).type();
      if (WholeKeys.isWhole(type) && type.equals(spec.left().field(spec.leftKeys()[k]).type())) {
        out[spec.rightKeys()[k]] = spec.leftKeys()[k];
      }
    }
    return out;
  }

  /**
   * Sends left rows that matched, or that did not; kinds that give right columns get nulls there.
   */
  private void emitLeft(Batch batch, boolean[] hit, boolean wanted, int count) {
    if (count == 0) {
      return;
    }
    int[] rows = new int[count];
    int n = 0;
    for (int i = 0; i < batch.rowCount(); i++) {
      if (hit[i] == wanted) {
        rows[n++] = i;
      }
    }
    Batch out = count == batch.rowCount() ? batch : batch.gather(rows, n);
    if (spec.kind().keepsLeft()) {
      List<Column> columns = new ArrayList<>(out.columns());
      for (Schema.Field field : spec.right().fields()) {
        columns.add(Literal.of(field.type(), null).column(n));
      }
      out = out.withColumns(columns);
    }
    next.accept(out);
  }
}
