package yardage.core.format.shape;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Column;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.FieldRule;

/** The slots of all columns of some records. One thread at a time; reused from batch to batch. */
public final class RecordShape {
  private final List<Slot> slots = new ArrayList<>();
  private final int[] marks;
  private final int[] at = {0};
  private int rowCount;

  public RecordShape(List<FieldRule> rules) {
    for (int i = 0; i < rules.size(); i++) {
      slots.add(Slot.of(rules.get(i), i));
    }
    marks = new int[slots.stream().mapToInt(Slot::slots).sum()];
  }

  public Slot slot(int column) {
    return slots.get(column);
  }

  public int rowCount() {
    return rowCount;
  }

  /** Begins a record: every column has room for its value, null so far. */
  public void begin() {
    at[0] = 0;
    for (int i = 0; i < slots.size(); i++) {
      Slot slot = slots.get(i);
      slot.mark(marks, at);
      slot.open(rowCount);
    }
    rowCount++;
  }

  /** Takes the record that was begun last away again. */
  public void undo() {
    at[0] = 0;
    for (Slot slot : slots) {
      slot.reset(marks, at);
    }
    rowCount--;
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
    slots.forEach(Slot::clear);
    rowCount = 0;
    return out;
  }
}
