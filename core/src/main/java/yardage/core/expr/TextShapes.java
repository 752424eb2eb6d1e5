package yardage.core.expr;

import java.util.Arrays;
import java.util.Optional;
import yardage.core.column.*;

/** Texts cut, filled up and repeated to a length. Lengths count code points. */
public final class TextShapes {
  private TextShapes() {}

  /** What is done. */
  public enum Shape {
    LEFT,
    RIGHT,
    LPAD,
    RPAD,
    REPEAT
  }

  /**
   * @param fill what LPAD and RPAD fill up with; a blank where absent
   */
  public record Shaped(
      Shape shape, Expression operand, Expression number, Optional<Expression> fill)
      implements Expression {
    private static final byte[] BLANK = {' '};

    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      LongColumn numbers = (LongColumn) Numbers.convert(number.evaluate(batch), Type.BIGINT);
      Optional<TextColumn> fills = fill.map(f -> (TextColumn) f.evaluate(batch));
      TextBuilder out = new TextBuilder();
      for (int r = 0; r < batch.rowCount(); r++) {
        boolean noFill = fills.isPresent() && fills.get().isNull(r);
        if (text.isNull(r) || numbers.isNull(r) || noFill) {
          out.appendNull();
        } else {
          row(text, r, numbers.values()[r], fills, out);
        }
      }
      return out.build();
    }

    private void row(TextColumn text, int r, long n, Optional<TextColumn> fills, TextBuilder out) {
      if (n < 0) {
        throw new ExpressionException(
            "%s wants a length that is not negative, not [%d]".formatted(shape, n));
      }
      byte[] b = text.bytes();
      int from = text.start(r);
      int end = text.end(r);
      if (shape != Shape.LEFT && shape != Shape.RIGHT && from < end) {
        size(n);
      }
      int have = shape == Shape.REPEAT || shape == Shape.LEFT ? 0 : Texts.codePoints(b, from, end);
      switch (shape) {
        case LEFT -> out.append(b, from, Texts.advance(b, from, end, n) - from);
        case RIGHT -> {
          int at = Texts.advance(b, from, end, Math.max(0, have - n));
          out.append(b, at, end - at);
        }
        case REPEAT -> {
          byte[] all = new byte[size((end - from) * n)];
          for (int at = 0; at < all.length; at += end - from) {
            System.arraycopy(b, from, all, at, end - from);
          }
          out.append(all, 0, all.length);
        }
        case LPAD, RPAD -> {
          if (have >= n) {
            out.append(b, from, Texts.advance(b, from, end, n) - from);
            return;
          }
          byte[] with =
              fills.map(f -> Arrays.copyOfRange(f.bytes(), f.start(r), f.end(r))).orElse(BLANK);
          byte[] more = filling(with, n - have);
          byte[] all = new byte[size((long) more.length + end - from)];
          System.arraycopy(more, 0, all, shape == Shape.LPAD ? 0 : end - from, more.length);
          System.arraycopy(b, from, all, shape == Shape.LPAD ? more.length : 0, end - from);
          out.append(all, 0, all.length);
        }
      }
    }

    /** So many code points of a text over and over; none of one without any. */
    private byte[] filling(byte[] with, long count) {
      int each = Texts.codePoints(with, 0, with.length);
      if (each == 0) {
        return with;
      }
      int rest = Texts.advance(with, 0, with.length, count % each);
      byte[] out = new byte[size(count / each * with.length + rest)];
      for (int at = 0; at < out.length; at += with.length) {
        System.arraycopy(with, 0, out, at, Math.min(with.length, out.length - at));
      }
      return out;
    }

    private int size(long bytes) {
      if (bytes > 1 << 26) {
        throw new ExpressionException(
            "%s would give a text of %,d bytes; the limit is %,d".formatted(shape, bytes, 1 << 26));
      }
      return (int) bytes;
    }
  }
}
