package yardage.core.lake;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.PhysicalNode;

/**
 * How rows are sorted inside each block of a file (up to a million rows), so that readers can pass
 * over blocks and pages that cannot hold what they look for. The table remembers it, and keeps it
 * when its files are put together.
 */
public record SortWithin(List<Key> columns) {
  /** Where a table keeps it. */
  static final String PROPERTY = "yardage.sort";

  public static final SortWithin NONE = new SortWithin(List.of());

  /** One column. */
  public record Key(String column, boolean descending) {
    /** Reads {@code column} or {@code column desc}. */
    public static Key parse(String text) {
      String[] words = text.trim().split("\\s+");
      boolean direction =
          words.length == 2
              && (words[1].equalsIgnoreCase("desc") || words[1].equalsIgnoreCase("asc"));
      if (words.length != 1 && !direction) {
        throw new IllegalArgumentException(
            "Invalid order [%s]: write a column, or a column and desc".formatted(text));
      }
      return new Key(words[0], words.length == 2 && words[1].equalsIgnoreCase("desc"));
    }

    @Override
    public String toString() {
      return descending ? column + " desc" : column;
    }
  }

  public SortWithin {
    columns = List.copyOf(columns);
  }

  /**
   * @throws IllegalArgumentException naming what is no column
   */
  public static SortWithin parse(List<String> texts) {
    return new SortWithin(texts.stream().map(Key::parse).toList());
  }

  static SortWithin ofProperty(String text) {
    return text == null || text.isBlank() ? NONE : parse(Arrays.asList(text.split(",")));
  }

  String property() {
    return String.join(", ", columns.stream().map(Key::toString).toList());
  }

  public boolean isEmpty() {
    return columns.isEmpty();
  }

  /**
   * @throws LakeException when a column is not there, or has no order
   */
  public void check(Schema schema) {
    keys(schema);
  }

  /** Nulls first, or last when descending, as everywhere. */
  List<PhysicalNode.SortKey> keys(Schema schema) {
    List<PhysicalNode.SortKey> out = new ArrayList<>();
    for (Key key : columns) {
      int at = schema.indexOf(key.column());
      if (at < 0) {
        throw new LakeException(
            "Rows cannot be sorted by [%s]: no such column is written; columns are %s"
                .formatted(key.column(), schema.names()));
      }
      Type type = schema.field(at).type();
      if (type.isNested()) {
        throw new LakeException(
            "Rows cannot be sorted by [%s], which is %s".formatted(key.column(), type));
      }
      out.add(new PhysicalNode.SortKey(at, key.descending(), !key.descending()));
    }
    return out;
  }
}
