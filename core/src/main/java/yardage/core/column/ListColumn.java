package yardage.core.column;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * Lists: row {@code r} holds {@code elements[offsets[r], offsets[r + 1])}, nothing where it is
 * null. A map is a list of structs of a key and a value.
 */
public final class ListColumn extends Column {
  private final int[] offsets;
  private final Column elements;

  /**
   * @param offsets at least {@code size + 1}, ascending
   */
  public ListColumn(Type type, int[] offsets, Column elements, long[] nulls, int size) {
    super(type, size, nulls);
    this.offsets = offsets;
    this.elements = elements;
  }

  public int[] offsets() {
    return offsets;
  }

  public Column elements() {
    return elements;
  }

  public int length(int row) {
    return offsets[row + 1] - offsets[row];
  }

  @Override
  public ListColumn gather(int[] rows, int count) {
    int[] out = new int[count + 1];
    for (int i = 0; i < count; i++) {
      int row = rows[i];
      out[i + 1] = Math.addExact(out[i], row < 0 || isNull(row) ? 0 : length(row));
    }
    int[] taken = new int[out[count]];
    for (int i = 0; i < count; i++) {
      for (int k = out[i], from = k < out[i + 1] ? offsets[rows[i]] : 0; k < out[i + 1]; k++) {
        taken[k] = from++;
      }
    }
    return new ListColumn(
        type(), out, elements.gather(taken, taken.length), gatherNulls(rows, count), count);
  }

  @Override
  public long sizeBytes() {
    return 4L * offsets.length + elements.sizeBytes() + nullBytes();
  }

  @Override
  public ListColumn as(Type type) {
    return new ListColumn(type, offsets, elements, nulls(), size());
  }

  /** A list, or for a map a map from keys to values; of equal keys the last one counts. */
  @Override
  public Object value(int row) {
    if (isNull(row)) {
      return null;
    }
    if (type().kind() == Type.Kind.MAP) {
      StructColumn entries = (StructColumn) elements;
      Map<Object, Object> out = new LinkedHashMap<>();
      for (int i = offsets[row]; i < offsets[row + 1]; i++) {
        out.put(entries.fields().get(0).value(i), entries.fields().get(1).value(i));
      }
      return out;
    }
    List<Object> out = new ArrayList<>();
    for (int i = offsets[row]; i < offsets[row + 1]; i++) {
      out.add(elements.value(i));
    }
    return out;
  }
}
