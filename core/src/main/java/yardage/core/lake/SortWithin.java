package yardage.core.lake;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.plan.SortKey;

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
    /** Reads {@code column}, {@code column asc} or {@code column desc}; empty if it is none. */
    public static Optional<Key> read(String text) {
      String[] words = text.trim().split("\\s+");
      boolean descending = words.length == 2 && words[1].equalsIgnoreCase("desc");
      boolean ascending =
          words.length == 1 || words.length == 2 && words[1].equalsIgnoreCase("asc");
      return ascending || descending
          ? Optional.of(new Key(words[0], descending))
          : Optional.empty();
    }

    /**
     * @throws IllegalArgumentException when it is none
     */
    public static Key parse(String text) {
      return read(text)
          .orElseThrow(
              () ->
                  new IllegalArgumentException(
                      "Invalid order [%s]: write a column, or a column and desc".formatted(text)));
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

  List<SortKey> keys(Schema schema) {
    List<SortKey> out = new ArrayList<>();
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
      out.add(SortKey.of(at, key.descending()));
    }
    return out;
  }
}
