package yardage.core.expr;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.nio.charset.StandardCharsets;
import java.util.List;
import yardage.core.column.*;

/** Texts cut into parts, put together, and held against patterns. */
public final class TextParts {
  private TextParts() {}

  /**
   * A text cut at a separator into a list; a text without one is a list of itself.
   *
   * @param most how many parts there are at most; the last one keeps what is left, separators and
   *     all
   */
  public record Split(Expression operand, byte[] separator, int most) implements Expression {
    /**
     * @throws ExpressionException when there is nothing to cut at
     */
    public static Split of(Expression operand, String separator, int most) {
      if (separator.isEmpty() || most < 1) {
        throw new ExpressionException(
            "SPLIT_TEXT wants a separator and at least one part, as in SPLIT_TEXT(roll_id, '-')");
      }
      return new Split(operand, separator.getBytes(StandardCharsets.UTF_8), most);
    }

    @Override
    public Type type() {
      return Type.list(Type.VARCHAR);
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      int[] offsets = new int[text.size() + 1];
      TextBuilder parts = new TextBuilder();
      for (int r = 0; r < text.size(); r++) {
        offsets[r + 1] = offsets[r] + (text.isNull(r) ? 0 : split(text, r, parts));
      }
      return new ListColumn(type(), offsets, parts.build(), text.nulls(), text.size());
    }

    private int split(TextColumn text, int row, TextBuilder out) {
      byte[] bytes = text.bytes();
      int end = text.end(row);
      int from = text.start(row);
      int count = 1;
      for (int i = from; i + separator.length <= end && count < most; ) {
        if (at(bytes, i)) {
          out.append(bytes, from, i - from);
          count++;
          i += separator.length;
          from = i;
        } else {
          i++;
        }
      }
      out.append(bytes, from, end - from);
      return count;
    }

    private boolean at(byte[] bytes, int place) {
      for (int k = 0; k < separator.length; k++) {
        if (bytes[place + k] != separator[k]) {
          return false;
        }
      }
      return true;
    }
  }

  /** Texts, and the texts of lists, with something between them; nulls are skipped. */
  public record Joined(String between, List<Expression> operands) implements Expression {
    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      List<Column> columns = operands.stream().map(o -> o.evaluate(batch)).toList();
      TextBuilder out = new TextBuilder();
      StringBuilder joined = new StringBuilder();
      for (int r = 0; r < batch.rowCount(); r++) {
        joined.setLength(0);
        boolean any = false;
        for (Column c : columns) {
          if (c.isNull(r)) {
            continue;
          }
          List<?> values = c.value(r) instanceof List<?> list ? list : List.of(c.value(r));
          for (Object v : values) {
            if (v != null) {
              joined.append(any ? between : "").append(Values.text(v));
              any = true;
            }
          }
        }
        if (any) {
          out.append(joined.toString());
        } else {
          out.appendNull();
        }
      }
      return out.build();
    }
  }

  /** Whether a pattern is found in a text; in time linear in its length, whatever the pattern. */
  public record Matches(Expression operand, Pattern pattern) implements Expression {
    /**
     * @throws ExpressionException when it is no pattern
     */
    public static Matches of(Expression operand, String pattern) {
      return new Matches(operand, TextParts.pattern(pattern));
    }

    @Override
    public Type type() {
      return Type.BOOLEAN;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      byte[] found = new byte[text.size()];
      for (int r = 0; r < found.length; r++) {
        found[r] = (byte) (!text.isNull(r) && pattern.matcher(text.value(r)).find() ? 1 : 0);
      }
      return new BooleanColumn(found, text.nulls(), found.length);
    }
  }

  /** {@code REGEXP_REPLACE(text, pattern, by)}: every match; {@code $1} is what a group matched. */
  public record Replaced(Expression operand, Pattern pattern, String by) implements Expression {
    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      TextBuilder out = new TextBuilder();
      for (int r = 0; r < text.size(); r++) {
        if (text.isNull(r)) {
          out.appendNull();
        } else {
          try {
            out.append(pattern.matcher(text.value(r)).replaceAll(by));
          } catch (IndexOutOfBoundsException | IllegalArgumentException e) {
            throw new ExpressionException(
                "REGEXP_REPLACE cannot put [%s] there: %s".formatted(by, e.getMessage()));
          }
        }
      }
      return out.build();
    }
  }

  /** {@code REGEXP_EXTRACT(text, pattern, group)}: of the first match; null where there is none. */
  public record Extracted(Expression operand, Pattern pattern, int group) implements Expression {
    /**
     * @throws ExpressionException when the pattern has no such group
     */
    public Extracted {
      if (group < 0 || group > pattern.groupCount()) {
        throw new ExpressionException(
            "Pattern [%s] has %d groups and no group %d"
                .formatted(pattern, pattern.groupCount(), group));
      }
    }

    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      TextBuilder out = new TextBuilder();
      for (int r = 0; r < text.size(); r++) {
        Matcher m = text.isNull(r) ? null : pattern.matcher(text.value(r));
        String found = m != null && m.find() ? m.group(group) : null;
        if (found == null) {
          out.appendNull();
        } else {
          out.append(found);
        }
      }
      return out.build();
    }
  }

  /**
   * @throws ExpressionException when it is no pattern
   */
  public static Pattern pattern(String pattern) {
    try {
      return Pattern.compile(pattern);
    } catch (PatternSyntaxException e) {
      throw new ExpressionException(
          "[%s] is not a valid pattern: %s".formatted(pattern, e.getDescription()));
    }
  }
}
