package yardage.core.sampler;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.document.DocumentValue.TextValue;

/**
 * A part of a sampler's page.
 *
 * @param title empty when the document gives none
 * @param width in twelfths of the page
 */
public record Block(String name, TextValue place, String title, int width, Content content) {
  public static final int WHOLE_WIDTH = 12;

  public Block {
    if (width < 1 || width > WHOLE_WIDTH) {
      throw new IllegalArgumentException("A width is from 1 to 12, not " + width);
    }
  }

  /** What a block shows. */
  public sealed interface Content {}

  /** A text in Markdown. */
  public record Words(String markdown) implements Content {}

  /**
   * An answer.
   *
   * @param kind the kind of chart; empty for the other forms
   * @param unit what numbers are counted in; empty when nothing is said
   */
  public record Answer(Form form, String kind, String unit, Question question) implements Content {}

  /** How an answer is shown. */
  public enum Form {
    NUMBER,
    CHART,
    TABLE,
    ROWS
  }

  /** The kinds of charts. */
  public static final List<String> KINDS =
      List.of("line", "area", "bar", "stacked bar", "scatter", "histogram", "heat map", "share");

  /** What a block asks. */
  public sealed interface Question {}

  /**
   * Aggregates of groups.
   *
   * @param over a table, or a fact of a star
   * @param by columns, or paths in place of which one of their columns stands
   * @param of the aggregates by the names of their columns
   * @param where a condition of the block's own
   */
  public record Grouped(
      TextValue over,
      List<TextValue> by,
      Map<TextValue, TextValue> of,
      Optional<TextValue> where,
      List<TextValue> order,
      int most)
      implements Question {}

  /** Rows as they are. */
  public record Listed(
      TextValue over,
      List<TextValue> columns,
      Optional<TextValue> where,
      List<TextValue> order,
      int most)
      implements Question {}

  /** A query of the block's own; {@code :column} in it is what was chosen of a column, or null. */
  public record Own(TextValue sql, int most) implements Question {}
}
