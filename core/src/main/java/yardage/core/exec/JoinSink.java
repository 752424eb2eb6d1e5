package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.concurrent.atomic.LongAdder;
import yardage.core.column.*;
import yardage.core.exec.PhysicalNode.JoinKind;
import yardage.core.expr.Logic;

/**
 * The hash join. As a sink it gathers the right side; {@link #probe} then gives the operator that
 * passes the left side by, and {@link #unmatchedRight} the rows that a right or full join has left
 * over.
 *
 * <p>Right rows are kept as columns. Rows of one key form a chain: {@code firstOf[key]}, then
 * {@code nextOf[row]}. A pair is two row numbers, so a matched row is copied once, into the batch
 * that leaves.
 */
final class JoinSink implements Sink {
  private static final int MAX_PAIRS = 4 * Batch.TARGET_ROWS;

  private final PhysicalNode.HashJoin node;
  private final ExecutionContext context;
  private final List<BatchStore> stores = new ArrayList<>();
  private final MemoryPool.Reservation tableReservation;
  private List<Column> right;
  private KeyTable table;
  private int[] firstOf;
  private int[] nextOf;
  private boolean unique;
  private byte[] matched;
  private final LongAdder pairsGiven = new LongAdder();

  JoinSink(PhysicalNode.HashJoin node, ExecutionContext context) {
    this.node = node;
    this.context = context;
    this.tableReservation = context.memory().reservation(node.tally(), "the join's look-up table");
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    BatchStore store =
        new BatchStore(
            node.right().schema(),
            context
                .memory()
                .reservation(
                    node.tally(),
                    node.mainIsRight()
                        ? "the main input, which the join holds"
                        : "the join's right side"));
    stores.add(store);
    return store::append;
  }

  @Override
  public void finish() {
    List<List<Column>> parts = stores.stream().map(BatchStore::build).toList();
    right = new ArrayList<>();
    for (int c = 0; c < node.right().schema().size(); c++) {
      int ordinal = c;
      Type type = node.right().schema().field(c).type();
      right.add(
          parts.isEmpty()
              ? ColumnBuilder.of(type).build()
              : ColumnBuilder.concat(type, parts.stream().map(p -> p.get(ordinal)).toList()));
    }
    long total =
        parts.isEmpty()
            ? 0
            : parts.stream().mapToLong(p -> p.isEmpty() ? 0 : p.get(0).size()).sum();
    int rows = Math.toIntExact(total);
    if (!node.mainIsRight()) {
      node.tally().absorbed.add(rows);
    }
    Type[] types = new Type[node.rightKeys().length];
    Column[] keys = new Column[types.length];
    for (int i = 0; i < types.length; i++) {
      keys[i] = right.get(node.rightKeys()[i]);
      types[i] = keys[i].type();
    }
    table = new KeyTable(types);
    firstOf = new int[1024];
    nextOf = new int[rows];
    unique = true;
    int[] numbers = new int[Batch.TARGET_ROWS];
    for (int from = 0; from < rows; from += Batch.TARGET_ROWS) {
      context.cancel().check();
      int to = Math.min(rows, from + Batch.TARGET_ROWS);
      int[] chosen = new int[to - from];
      int n = 0;
      for (int r = from; r < to; r++) {
        chosen[n] = r;
        n += anyNull(keys, r) ? 0 : 1;
      }
      int count = n;
      int before = table.count();
      table.numberOf(
          Arrays.stream(keys).map(k -> k.gather(chosen, count)).toArray(Column[]::new), n, numbers);
      if (table.count() > firstOf.length) {
        firstOf = Arrays.copyOf(firstOf, Math.max(table.count(), firstOf.length * 2));
      }
      Arrays.fill(firstOf, before, table.count(), -1);
      for (int i = 0; i < n; i++) {
        int key = numbers[i];
        unique &= firstOf[key] < 0;
        nextOf[chosen[i]] = firstOf[key];
        firstOf[key] = chosen[i];
      }
      tableReservation.resize(table.sizeBytes() + 4L * firstOf.length + 4L * rows);
    }
    if (node.kind().keepsRight() || node.mainIsRight()) {
      matched = new byte[rows];
    }
  }

  private static boolean anyNull(Column[] keys, int row) {
    for (Column key : keys) {
      if (key.isNull(row)) {
        return true;
      }
    }
    return false;
  }

  @Override
  public void abort() {
    release();
  }

  void release() {
    stores.forEach(BatchStore::release);
    tableReservation.close();
    right = List.of();
    table = null;
    firstOf = nextOf = null;
  }

  Operator probe() {
    return (worker, next) -> new Probe(next);
  }

  ScanSource unmatchedRight() {
    return BatchStore.source(
        () -> {
          int[] rows = new int[matched.length];
          int n = 0;
          for (int r = 0; r < matched.length; r++) {
            rows[n] = r;
            n += 1 - matched[r];
          }
          if (node.mainIsRight()) {
            n = closeAccount(n);
          } else {
            node.tally().added.add(n);
          }
          int count = n;
          List<Column> out = new ArrayList<>();
          for (Schema.Field field : node.left().schema().fields()) {
            out.add(yardage.core.expr.Literal.of(field.type(), null).column(count));
          }
          for (Column column : right) {
            out.add(column.gather(rows, count));
          }
          return out;
        });
  }

  /**
   * Books what only shows once all of the other input has passed by the main one.
   *
   * @param left main rows that nothing matched
   * @return how many of them the join gives
   */
  private int closeAccount(int left) {
    StepTally tally = node.tally();
    int hits = matched.length - left;
    tally.matched.add(hits);
    tally.multiplied.add(pairsGiven.sum() - hits);
    if (node.kind().keepsRight()) {
      return left;
    }
    tally.unmatched.add(left);
    return 0;
  }

  private final class Probe implements BatchConsumer {
    private final BatchConsumer next;
    private final KeyTable.Scratch scratch = new KeyTable.Scratch();
    private int[] numbers = new int[0];
    private int[] leftRows = new int[Batch.TARGET_ROWS];
    private int[] rightRows = new int[Batch.TARGET_ROWS];
    private boolean[] hit = new boolean[0];
    private int pairs;

    Probe(BatchConsumer next) {
      this.next = next;
    }

    @Override
    public void accept(Batch batch) {
      int rows = batch.rowCount();
      if (numbers.length < rows) {
        numbers = new int[rows];
        hit = new boolean[rows];
      }
      Column[] keys = Arrays.stream(node.leftKeys()).mapToObj(batch::column).toArray(Column[]::new);
      table.find(keys, rows, numbers, scratch);
      for (Column key : keys) {
        if (key.hasNulls()) {
          for (int i = 0; i < rows; i++) {
            numbers[i] = key.isNull(i) ? -1 : numbers[i];
          }
        }
      }
      Arrays.fill(hit, 0, rows, false);
      pairs = 0;
      long emittedPairs = 0;
      boolean existence = node.kind() == JoinKind.SEMI || node.kind() == JoinKind.ANTI;
      for (int i = 0; i < rows; i++) {
        int key = numbers[i];
        if (key < 0) {
          continue;
        }
        int r = firstOf[key];
        while (r >= 0) {
          add(i, r);
          r = unique || (existence && node.residual().isEmpty()) ? -1 : nextOf[r];
          if (pairs == MAX_PAIRS) {
            emittedPairs += flush(batch, existence);
          }
        }
      }
      emittedPairs += flush(batch, existence);
      int hits = 0;
      for (int i = 0; i < rows; i++) {
        hits += hit[i] ? 1 : 0;
      }
      StepTally tally = node.tally();
      if (node.mainIsRight()) {
        // These rows are looked up; what became of the main ones shows at the end.
        tally.absorbed.add(rows);
        pairsGiven.add(emittedPairs);
        return;
      }
      tally.matched.add(hits);
      switch (node.kind()) {
        case SEMI -> {
          tally.unmatched.add(rows - hits);
          emitLeft(batch, true, hits);
        }
        case ANTI -> {
          tally.filtered.add(hits);
          emitLeft(batch, false, rows - hits);
        }
        default -> {
          tally.multiplied.add(emittedPairs - hits);
          if (!node.kind().keepsLeft()) {
            tally.unmatched.add(rows - hits);
          } else if (hits < rows) {
            emitLeft(batch, false, rows - hits);
          }
        }
      }
    }

    private void add(int left, int rightRow) {
      if (pairs == leftRows.length) {
        leftRows = Arrays.copyOf(leftRows, pairs * 2);
        rightRows = Arrays.copyOf(rightRows, pairs * 2);
      }
      leftRows[pairs] = left;
      rightRows[pairs++] = rightRow;
    }

    /**
     * Puts the pairs to the residual condition, marks who matched, and sends the pairs on; returns
     * how many matched.
     */
    private int flush(Batch batch, boolean existence) {
      int n = pairs;
      pairs = 0;
      if (n == 0) {
        return 0;
      }
      context.cancel().check();
      Batch joined = null;
      if (node.residual().isPresent()) {
        joined = pair(batch, n);
        int[] chosen = new int[n];
        int kept = Logic.select((BooleanColumn) node.residual().get().evaluate(joined), chosen);
        if (kept < n) {
          for (int i = 0; i < kept; i++) {
            leftRows[i] = leftRows[chosen[i]];
            rightRows[i] = rightRows[chosen[i]];
          }
          n = kept;
          joined = null;
        }
      }
      if (node.tally().keepsMultipliedKeys() && !existence) {
        noteMultiplied(batch, n);
      }
      for (int i = 0; i < n; i++) {
        hit[leftRows[i]] = true;
      }
      if (matched != null) {
        for (int i = 0; i < n; i++) {
          matched[rightRows[i]] = 1;
        }
      }
      if (!existence && n > 0) {
        next.accept(joined != null ? joined : pair(batch, n));
      }
      return n;
    }

    /** Tells the tally of rows that match again, within these pairs or after earlier ones. */
    private void noteMultiplied(Batch batch, int n) {
      for (int i = 0; i < n; i++) {
        int row = leftRows[i];
        if (hit[row]) {
          node.tally().multipliedKey(() -> keyText(batch, row));
        }
        hit[row] = true;
      }
    }

    private String keyText(Batch batch, int row) {
      return Arrays.stream(node.leftKeys())
          .mapToObj(k -> Values.text(batch.column(k).value(row)))
          .collect(java.util.stream.Collectors.joining(", "));
    }

    private Batch pair(Batch batch, int n) {
      List<Column> out = new ArrayList<>();
      boolean identity = n == batch.rowCount();
      for (int i = 0; identity && i < n; i++) {
        identity = leftRows[i] == i;
      }
      for (Column column : batch.columns()) {
        out.add(identity ? column : column.gather(leftRows, n));
      }
      for (Column column : right) {
        out.add(column.gather(rightRows, n));
      }
      return new Batch(out, n, batch.sequence());
    }

    /**
     * Sends left rows that matched, or that did not; kinds that give right columns get nulls there.
     */
    private void emitLeft(Batch batch, boolean wanted, int count) {
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
      if (node.kind().keepsLeft()) {
        List<Column> columns = new ArrayList<>(out.columns());
        for (Schema.Field field : node.right().schema().fields()) {
          columns.add(yardage.core.expr.Literal.of(field.type(), null).column(n));
        }
        out = out.withColumns(columns);
      }
      next.accept(out);
    }
  }
}
