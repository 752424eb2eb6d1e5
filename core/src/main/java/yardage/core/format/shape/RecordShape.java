package yardage.core.format.shape;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Column;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.FieldRule;

/** The slots of all columns of some records. One thread at a time; reused from batch to batch. */
public final class RecordShape {
  private final Slot[] slots;
  private int rowCount;

  /**
   * @param paths where in a record the value of each rule is found, for those who read messages
   */
  public RecordShape(List<FieldRule> rules, List<String> paths) {
    slots = new Slot[rules.size()];
    for (int i = 0; i < slots.length; i++) {
      slots[i] = Slot.of(rules.get(i), i, paths.get(i));
    }
  }

  public Slot slot(int column) {
    return slots[column];
  }

  public int rowCount() {
    return rowCount;
  }

  /** Begins a record: every column has room for its value, null so far. */
  public void begin() {
    for (Slot slot : slots) {
      slot.open(rowCount);
    }
    rowCount++;
  }

  /** Takes the record that was begun last away again. */
  public void undo() {
    cut(rowCount - 1);
  }

  private void cut(int rows) {
    rowCount = rows;
    for (Slot slot : slots) {
      slot.cut(rows);
    }
  }

  /**
   * The columns of the records so far, whose texts lie in {@code buffer}; the slots are empty then.
   */
  public List<Column> build(byte[] buffer, FieldFailures failures) {
    List<Column> out = new ArrayList<>();
    for (Slot slot : slots) {
      Column column = slot.build(buffer, failures);
      if (slot.rule.required() && slot.rule.type().isNested()) {
        for (int r = 0; r < rowCount; r++) {
          if (column.isNull(r)) {
            failures.add(
                r,
                new yardage.core.format.record.RejectedRecord.Failure(
                    slot.name(),
                    yardage.core.format.record.Reason.MISSING_VALUE,
                    "a value is required"));
          }
        }
      }
      out.add(column);
    }
    cut(0);
    return out;
  }
}
