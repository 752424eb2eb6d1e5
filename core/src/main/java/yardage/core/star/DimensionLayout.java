package yardage.core.star;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/**
 * The columns of a dimension's table: its surrogate key, its natural key, its attributes, and what
 * tells of history.
 *
 * @param key the natural key's columns
 * @param history attributes whose changes make a new version; the others are overwritten
 * @param marksGone whether members that vanish from the input are marked
 * @param placeholders whether members may be there before they come, for facts that have them
 */
public record DimensionLayout(
    String surrogate,
    List<Schema.Field> key,
    List<Schema.Field> attributes,
    List<String> history,
    boolean marksGone,
    boolean placeholders) {
  /** The surrogate key of facts whose member is not known. */
  public static final long UNKNOWN = -1;

  /** The surrogate key of facts that have no such member. */
  public static final long NOT_APPLICABLE = -2;

  public static final String VALID_FROM = "valid_from";
  public static final String VALID_TO = "valid_to";
  public static final String IS_CURRENT = "is_current";
  public static final String GONE_AT = "gone_at";
  public static final String IS_PLACEHOLDER = "is_placeholder";

  /** The column that tells rows of facts from those of the dimension in {@link #input}. */
  private static final String EARLY = "early";

  public DimensionLayout {
    key = List.copyOf(key);
    attributes = List.copyOf(attributes);
    history = List.copyOf(history);
  }

  public boolean keepsHistory() {
    return !history.isEmpty();
  }

  boolean isHistory(String attribute) {
    return history.stream().anyMatch(h -> h.equalsIgnoreCase(attribute));
  }

  /** The table's columns. */
  public Schema schema() {
    List<Schema.Field> out = new ArrayList<>();
    out.add(new Schema.Field(surrogate, Type.BIGINT, false));
    key.forEach(k -> out.add(new Schema.Field(k.name(), k.type(), true)));
    attributes.forEach(a -> out.add(new Schema.Field(a.name(), a.type(), true)));
    if (keepsHistory()) {
      out.add(new Schema.Field(VALID_FROM, Type.TIMESTAMP, true));
      out.add(new Schema.Field(VALID_TO, Type.TIMESTAMP, true));
      out.add(new Schema.Field(IS_CURRENT, Type.BOOLEAN, false));
    }
    if (marksGone) {
      out.add(new Schema.Field(GONE_AT, Type.TIMESTAMP, true));
    }
    if (placeholders) {
      out.add(new Schema.Field(IS_PLACEHOLDER, Type.BOOLEAN, true));
    }
    return new Schema(out);
  }

  /**
   * What {@link DimensionStep} takes: rows of the table that is there, then rows that come in, told
   * apart by whether they have a surrogate key; {@code valid_from} is the time of change for the
   * latter. Rows of facts have {@code early} set, and nothing but a natural key.
   */
  public Schema input() {
    List<Schema.Field> out = new ArrayList<>();
    out.add(new Schema.Field(surrogate, Type.BIGINT, true));
    out.addAll(key);
    out.addAll(attributes);
    out.add(new Schema.Field(VALID_FROM, Type.TIMESTAMP, true));
    out.add(new Schema.Field(GONE_AT, Type.TIMESTAMP, true));
    out.add(new Schema.Field(IS_PLACEHOLDER, Type.BOOLEAN, true));
    out.add(new Schema.Field(EARLY, Type.BOOLEAN, true));
    return new Schema(out);
  }

  /** What is wrong with a table that is there, if it is no table of this dimension. */
  public Optional<String> complaint(Schema table) {
    for (Schema.Field f : schema().fields()) {
      int at = table.indexOf(f.name());
      boolean comesLater =
          f.name().equals(GONE_AT)
              || f.name().equals(IS_PLACEHOLDER)
              || attributes.stream().anyMatch(a -> a.name().equalsIgnoreCase(f.name()));
      if (at < 0 && !comesLater) {
        return Optional.of("it has no column [%s]".formatted(f.name()));
      }
      if (at >= 0 && !table.field(at).type().equals(f.type())) {
        return Optional.of(
            "[%s] is %s there and %s here".formatted(f.name(), table.field(at).type(), f.type()));
      }
    }
    return Optional.empty();
  }
}
