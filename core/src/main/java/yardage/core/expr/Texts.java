package yardage.core.expr;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.text.Normalizer;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.function.Consumer;
import yardage.core.column.*;

/** Functions of text. Lengths and positions count code points, from 1, as SQL does. */
public final class Texts {
  /** Eight bytes at a place, the first one as the lowest. */
  static final VarHandle LONG =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);

  private static final long HIGH_BITS = 0x8080808080808080L;

  private Texts() {}

  /**
   * A function from text to text, applied once per dictionary entry where there is a dictionary.
   */
  public record Mapped(TextFunction function, Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      return text.isDictionary() ? text.withEntries(apply(text.entries())) : apply(text);
    }

    private TextColumn apply(TextColumn text) {
      TextBuilder out = new TextBuilder();
      out.reserve(text.size());
      for (int i = 0; i < text.size(); i++) {
        if (text.isNull(i)) {
          out.appendNull();
        } else {
          function.apply(text.bytes(), text.start(i), text.end(i), out);
        }
      }
      return out.build();
    }
  }

  /** Any value written as text; null stays null. */
  public record Written(ValueText written, Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      Column values = operand.evaluate(batch);
      TextBuilder out = new TextBuilder();
      StringBuilder text = new StringBuilder();
      for (int r = 0; r < values.size(); r++) {
        if (values.isNull(r)) {
          out.appendNull();
        } else {
          text.setLength(0);
          written.append(values.value(r), text);
          out.append(text.toString());
        }
      }
      return out.build();
    }
  }

  /** Letters and digits in lower case, without accents; anything else is one blank. */
  public static String plain(String text) {
    String decomposed = Normalizer.normalize(text, Normalizer.Form.NFKD);
    StringBuilder out = new StringBuilder(decomposed.length());
    boolean blank = true;
    for (int i = 0; i < decomposed.length(); i++) {
      char c = decomposed.charAt(i);
      if (Character.getType(c) == Character.NON_SPACING_MARK) {
        continue;
      }
      if (Character.isLetterOrDigit(c) || Character.isSurrogate(c)) {
        out.append(c);
        blank = false;
      } else if (!blank) {
        out.append(' ');
        blank = true;
      }
    }
    return out.toString().strip().toLowerCase(Locale.ROOT);
  }

  /** {@code a || b || …}; null when any part is. */
  public record Concat(List<Expression> parts) implements Expression {
    @Override
    public Type type() {
      return parts.get(0).type();
    }

    @Override
    public Column evaluate(Batch batch) {
      List<TextColumn> columns = parts.stream().map(p -> (TextColumn) p.evaluate(batch)).toList();
      TextBuilder out = new TextBuilder();
      byte[] scratch = new byte[256];
      for (int i = 0; i < batch.rowCount(); i++) {
        int length = 0;
        boolean isNull = false;
        for (TextColumn c : columns) {
          if (c.isNull(i)) {
            isNull = true;
            break;
          }
          int n = c.end(i) - c.start(i);
          if (length + n > scratch.length) {
            scratch = java.util.Arrays.copyOf(scratch, Math.max(length + n, scratch.length * 2));
          }
          System.arraycopy(c.bytes(), c.start(i), scratch, length, n);
          length += n;
        }
        if (isNull) {
          out.appendNull();
        } else {
          out.append(scratch, 0, length);
        }
      }
      return out.build().as(type());
    }
  }

  /** {@code CHAR_LENGTH(text)}. */
  public record Length(Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.INT;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      int[] out = new int[text.size()];
      for (int i = 0; i < out.length; i++) {
        if (!text.isNull(i)) {
          out[i] = codePoints(text.bytes(), text.start(i), text.end(i));
        }
      }
      return new IntColumn(Type.INT, out, text.nulls(), out.length);
    }
  }

  /** {@code SUBSTRING(text FROM from [FOR length])}; {@code length} is absent for "to the end". */
  public record Substring(Expression operand, Expression from, Optional<Expression> length)
      implements Expression {
    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    /** Whether the same places are cut out of each text, without an error. */
    boolean isConstant() {
      return whole(from).isPresent() && length.map(l -> whole(l).orElse(-1) >= 0).orElse(true);
    }

    private static OptionalLong whole(Expression place) {
      return place instanceof Literal literal
              && literal.value().orElse(null) instanceof Number number
              && (literal.type().equals(Type.INT) || literal.type().equals(Type.BIGINT))
          ? OptionalLong.of(number.longValue())
          : OptionalLong.empty();
    }

    /**
     * Of parts of some bytes, what is cut out of each.
     *
     * @param begins are moved
     * @param ends are moved
     */
    void narrow(byte[] bytes, int[] begins, int[] ends) {
      long first = whole(from).orElseThrow();
      for (int i = 0; first > 1 && i < begins.length; i++) {
        begins[i] = begin(bytes, begins[i], ends[i], first);
      }
      if (length.isPresent()) {
        long count = whole(length.get()).orElseThrow();
        for (int i = 0; i < begins.length; i++) {
          ends[i] = end(bytes, begins[i], ends[i], first, count);
        }
      }
    }

    private static int begin(byte[] bytes, int start, int end, long first) {
      return advance(bytes, start, end, first - 1);
    }

    /** The end of what begins at a byte. */
    private static int end(byte[] bytes, int begin, int end, long first, long count) {
      if (count < 0) {
        throw new ExpressionException(
            "Substring length [%d] must not be negative".formatted(count));
      }
      // From the first character there is, which may come behind the first that is asked for.
      long left = first < 1 ? count - 1 + first : count;
      return advance(bytes, begin, end, left);
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      LongColumn first = (LongColumn) Numbers.convert(from.evaluate(batch), Type.BIGINT);
      LongColumn count =
          length
              .map(l -> (LongColumn) Numbers.convert(l.evaluate(batch), Type.BIGINT))
              .orElse(null);
      TextBuilder out = new TextBuilder();
      out.reserve(text.size());
      for (int i = 0; i < text.size(); i++) {
        if (text.isNull(i) || first.isNull(i) || (count != null && count.isNull(i))) {
          out.appendNull();
          continue;
        }
        byte[] bytes = text.bytes();
        int end = text.end(i);
        int from = begin(bytes, text.start(i), end, first.values()[i]);
        int to = count == null ? end : end(bytes, from, end, first.values()[i], count.values()[i]);
        out.append(bytes, from, to - from);
      }
      return out.build();
    }
  }

  /** {@code POSITION(what IN text)}: 0 when it is not there. */
  public record Position(Expression what, Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.INT;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn needle = (TextColumn) what.evaluate(batch);
      TextColumn text = (TextColumn) operand.evaluate(batch);
      int[] out = new int[text.size()];
      for (int i = 0; i < out.length; i++) {
        if (!text.isNull(i) && !needle.isNull(i)) {
          int at =
              indexOf(
                  text.bytes(),
                  text.start(i),
                  text.end(i),
                  needle.bytes(),
                  needle.start(i),
                  needle.end(i));
          out[i] = at < 0 ? 0 : codePoints(text.bytes(), text.start(i), at) + 1;
        }
      }
      return new IntColumn(Type.INT, out, Bits.or(text.nulls(), needle.nulls()), out.length);
    }
  }

  /** {@code text LIKE pattern}: {@code %} is any run, {@code _} one code point. */
  public record Like(Expression operand, byte[] pattern, boolean[] literal) implements Expression {

    /**
     * {@code escape} takes the special meaning from the character after it; 0 when there is none.
     */
    public static Like of(Expression operand, String pattern, char escape) {
      var text = new StringBuilder();
      var quoted = new java.util.BitSet();
      for (int i = 0; i < pattern.length(); i++) {
        char c = pattern.charAt(i);
        if (escape != 0 && c == escape && i + 1 < pattern.length()) {
          quoted.set(Cast.utf8(text.toString()).length);
          c = pattern.charAt(++i);
        }
        text.append(c);
      }
      byte[] bytes = Cast.utf8(text.toString());
      boolean[] literal = new boolean[bytes.length];
      for (int i = 0; i < literal.length; i++) {
        literal[i] = quoted.get(i) || (bytes[i] != '%' && bytes[i] != '_');
      }
      return new Like(operand, bytes, literal);
    }

    @Override
    public Type type() {
      return Type.BOOLEAN;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      byte[] out = new byte[text.size()];
      for (int i = 0; i < out.length; i++) {
        if (!text.isNull(i)) {
          out[i] = (byte) (matches(text.bytes(), text.start(i), text.end(i)) ? 1 : 0);
        }
      }
      return new BooleanColumn(out, text.nulls(), out.length);
    }

    /**
     * Greedy with one point of return: linear in text times runs of literals, never exponential.
     */
    private boolean matches(byte[] text, int at, int end) {
      int p = 0;
      int retryPattern = -1;
      int retryText = 0;
      while (at < end) {
        if (p < pattern.length && literal[p] && pattern[p] == text[at]) {
          p++;
          at++;
        } else if (p < pattern.length && !literal[p] && pattern[p] == '_') {
          p++;
          at = advance(text, at, end, 1);
        } else if (p < pattern.length && !literal[p] && pattern[p] == '%') {
          retryPattern = ++p;
          retryText = at;
        } else if (retryPattern >= 0) {
          p = retryPattern;
          retryText = advance(text, retryText, end, 1);
          at = retryText;
        } else {
          return false;
        }
      }
      while (p < pattern.length && !literal[p] && pattern[p] == '%') {
        p++;
      }
      return p == pattern.length;
    }
  }

  /** {@code text LIKE pattern} where each row has a pattern of its own. */
  public record LikeEach(Expression operand, Expression pattern, char escape)
      implements Expression {
    @Override
    public Type type() {
      return Type.BOOLEAN;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      TextColumn patterns = (TextColumn) pattern.evaluate(batch);
      byte[] out = new byte[text.size()];
      String last = null;
      Like like = null;
      for (int i = 0; i < out.length; i++) {
        if (!text.isNull(i) && !patterns.isNull(i)) {
          String p = patterns.value(i);
          if (!p.equals(last)) {
            like = Like.of(operand, p, escape);
            last = p;
          }
          out[i] = (byte) (like.matches(text.bytes(), text.start(i), text.end(i)) ? 1 : 0);
        }
      }
      return new BooleanColumn(out, Bits.or(text.nulls(), patterns.nulls()), out.length);
    }
  }

  /** {@code OCTET_LENGTH(text)}: the bytes of its UTF-8. */
  public record Octets(Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.INT;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn text = (TextColumn) operand.evaluate(batch);
      int[] out = new int[text.size()];
      for (int i = 0; i < out.length; i++) {
        out[i] = text.isNull(i) ? 0 : text.end(i) - text.start(i);
      }
      return new IntColumn(Type.INT, out, text.nulls(), out.length);
    }
  }

  /** {@code UTF8_BYTES(text)}: the bytes of a text in UTF-8. */
  public record Bytes(Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.BINARY;
    }

    @Override
    public Column evaluate(Batch batch) {
      return operand.evaluate(batch).as(Type.BINARY);
    }
  }

  /** {@code UTF8_TEXT(bytes)}: the text that bytes are in UTF-8; others are an error. */
  public record OfBytes(Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn bytes = (TextColumn) operand.evaluate(batch);
      for (int r = 0; r < bytes.size(); r++) {
        if (!bytes.isNull(r) && !isUtf8(bytes, r)) {
          throw new ExpressionException("[%s] is no text in UTF-8".formatted(bytes.value(r)));
        }
      }
      return bytes.as(Type.VARCHAR);
    }

    private static boolean isUtf8(TextColumn bytes, int row) {
      int start = bytes.start(row);
      try {
        StandardCharsets.UTF_8
            .newDecoder()
            .decode(ByteBuffer.wrap(bytes.bytes(), start, bytes.end(row) - start));
        return true;
      } catch (CharacterCodingException e) {
        return false;
      }
    }
  }

  /** Finds out something once for each entry of a dictionary, and gives it to the rows. */
  static void byEntry(TextColumn text, byte[] out, Consumer<byte[]> find) {
    byte[] byEntry = new byte[text.entryCount()];
    find.accept(byEntry);
    int[] codes = text.codes();
    for (int i = 0; i < out.length; i++) {
      out[i] = byEntry[codes[i]];
    }
  }

  static int codePoints(byte[] bytes, int start, int end) {
    int n = 0;
    for (int i = start; i < end; i++) {
      n += (bytes[i] & 0xC0) != 0x80 ? 1 : 0;
    }
    return n;
  }

  /** The byte offset {@code count} code points after {@code at}, at most {@code end}. */
  static int advance(byte[] bytes, int at, int end, long count) {
    // A few characters of one byte each are seen at once.
    if (count > 0
        && count <= Long.BYTES
        && at + Long.BYTES <= bytes.length
        && ((long) LONG.get(bytes, at) & HIGH_BITS >>> 64 - 8 * count) == 0) {
      return (int) Math.min(at + count, end);
    }
    while (count > 0 && at < end) {
      at++;
      while (at < end && (bytes[at] & 0xC0) == 0x80) {
        at++;
      }
      count--;
    }
    return at;
  }

  static int indexOf(byte[] text, int start, int end, byte[] needle, int from, int to) {
    int length = to - from;
    for (int i = start; i + length <= end; i++) {
      if (java.util.Arrays.equals(text, i, i + length, needle, from, to)) {
        return i;
      }
    }
    return -1;
  }
}
