package yardage.core.column;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** Structs as one column for each field, all of the struct's size. */
public final class StructColumn extends Column {
  private final List<Column> fields;

  /**
   * @param fields in the order of the type's parts; rows of a null struct are unspecified in them
   */
  public StructColumn(Type type, List<Column> fields, long[] nulls, int size) {
    super(type, size, nulls);
    this.fields = List.copyOf(fields);
  }

  public List<Column> fields() {
    return fields;
  }

  @Override
  public StructColumn gather(int[] rows, int count) {
    List<Column> out = new ArrayList<>(fields.size());
    for (Column field : fields) {
      out.add(field.gather(rows, count));
    }
    return new StructColumn(type(), out, gatherNulls(rows, count), count);
  }

  @Override
  public long sizeBytes() {
    long sum = nullBytes();
    for (Column field : fields) {
      sum += field.sizeBytes();
    }
    return sum;
  }

  @Override
  public StructColumn as(Type type) {
    return new StructColumn(type, fields, nulls(), size());
  }

  /** A map from the names of the fields to their values. */
  @Override
  public Map<String, Object> value(int row) {
    if (isNull(row)) {
      return null;
    }
    Map<String, Object> out = new LinkedHashMap<>();
    for (int f = 0; f < fields.size(); f++) {
      out.put(type().parts().get(f).name(), fields.get(f).value(row));
    }
    return out;
  }
}
