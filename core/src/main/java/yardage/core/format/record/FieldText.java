package yardage.core.format.record;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import yardage.core.column.Bits;
import yardage.core.column.Type;

/**
 * Finds the value of a field behind blanks, quotes, escapes, null tokens and a style of numbers,
 * and keeps account of which rows have none. One thread at a time.
 */
final class FieldText {
  private final FieldRule rule;
  private final byte quote;
  private final byte escape;
  private final byte[][] nullTokens;
  private final boolean emptyIsNull;
  private final NumberStyle style;
  private final byte[] otherwise;
  private final boolean isText;
  private final boolean trims;
  private final boolean special;
  private byte[] scratch = new byte[256];
  private byte[] buffer;
  private int rows;
  private FieldFailures failures;
  private long[] nulls;

  /** The value found last is {@code bytes[start, end)}; eight more bytes can be read. */
  byte[] bytes;

  int start;
  int end;

  FieldText(FieldRule rule, FieldParser.Quoting quoting) {
    this.rule = rule;
    this.quote = quoting.quote();
    this.escape = quoting.escape();
    this.nullTokens =
        rule.nullTokens().stream()
            .filter(t -> !t.isEmpty())
            .map(FieldText::utf8)
            .toArray(byte[][]::new);
    this.emptyIsNull = rule.nullTokens().contains("");
    this.style = rule.numbers().orElse(null);
    this.isText = rule.type().kind() == Type.Kind.VARCHAR;
    this.trims = rule.trim() || !isText;
    this.otherwise =
        rule.otherwise().map(t -> Arrays.copyOf(utf8(t), utf8(t).length + 8)).orElse(null);
    this.special = escape != 0 || style != null || nullTokens.length > 0;
  }

  private static byte[] utf8(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }

  void begin(FieldSpans spans, FieldFailures failures) {
    this.buffer = spans.buffer;
    this.rows = spans.count;
    this.failures = failures;
    this.nulls = null;
  }

  /** The rows without a value, or null when there is none. */
  long[] nulls() {
    return nulls;
  }

  /** Lets go of what the batch held. */
  void finish() {
    buffer = null;
    bytes = null;
    nulls = null;
  }

  /**
   * Whether a field may be more or less than its value, so that {@link #find} has to look; for
   * nearly all fields of nearly all files it is not.
   */
  boolean mayDiffer(byte[] b, int start, int end) {
    return start >= end || (b[start] - '!' | b[end - 1] - '!') < 0 || b[start] == quote || special;
  }

  /**
   * Finds the value of a field.
   *
   * @param to exclusive; negative when the field is not there
   * @return false when there is none, which is then noted
   */
  boolean find(int row, int from, int to) {
    if (to < 0) {
      return none(row, true);
    }
    byte[] b = buffer;
    boolean quoted = quote != 0 && from < to && b[from] == quote;
    set(b, from, to, trims && !quoted);
    if (!quoted && (start == end ? emptyIsNull || !isText : isNullToken(b, start, end))) {
      return none(row, false);
    }
    if (quoted || escape != 0 && holds(b, start, end, escape)) {
      int length = quoted ? unquote(b, start, end) : unescape(b, start, end);
      set(scratch, 0, length, trims);
      if (!isText && start == end) {
        return none(row, false);
      }
    }
    String plain = style == null ? null : style.plain(bytes, start, end);
    if (plain != null) {
      byte[] utf8 = utf8(plain);
      room(utf8.length);
      System.arraycopy(utf8, 0, scratch, 0, utf8.length);
      set(scratch, 0, utf8.length, false);
    }
    return true;
  }

  private void set(byte[] b, int from, int to, boolean trimmed) {
    int first = from;
    int behind = to;
    while (trimmed && first < behind && b[first] == ' ') {
      first++;
    }
    while (trimmed && behind > first && b[behind - 1] == ' ') {
      behind--;
    }
    bytes = b;
    start = first;
    end = behind;
  }

  private boolean none(int row, boolean absent) {
    if (otherwise != null) {
      set(otherwise, 0, otherwise.length - 8, false);
      return true;
    }
    setNull(row);
    if (rule.required()) {
      failures.add(
          row,
          new RejectedRecord.Failure(
              rule.name(),
              Reason.MISSING_VALUE,
              absent ? "the field is not there and a value is required" : "a value is required"));
    }
    return false;
  }

  void setNull(int row) {
    if (nulls == null) {
      nulls = Bits.allocate(rows);
    }
    Bits.set(nulls, row);
  }

  private boolean isNullToken(byte[] b, int start, int end) {
    for (byte[] token : nullTokens) {
      if (Arrays.equals(b, start, end, token, 0, token.length)) {
        return true;
      }
    }
    return false;
  }

  private static boolean holds(byte[] b, int start, int end, byte what) {
    for (int i = start; i < end; i++) {
      if (b[i] == what) {
        return true;
      }
    }
    return false;
  }

  /**
   * Copies a quoted field without its quotes, doubled and escaped ones as one; gives its length.
   */
  private int unquote(byte[] b, int start, int end) {
    room(end - start);
    int n = 0;
    for (int i = start + 1; i < end - 1; i++) {
      if (escape != 0 && b[i] == escape && i + 1 < end - 1) {
        scratch[n++] = escaped(b[++i]);
        continue;
      }
      scratch[n++] = b[i];
      if (b[i] == quote) {
        i++;
      }
    }
    return n;
  }

  private int unescape(byte[] b, int start, int end) {
    room(end - start);
    int n = 0;
    for (int i = start; i < end; i++) {
      scratch[n++] = b[i] == escape && i + 1 < end ? escaped(b[++i]) : b[i];
    }
    return n;
  }

  private static byte escaped(byte c) {
    return switch (c) {
      case 'n' -> '\n';
      case 'r' -> '\r';
      case 't' -> '\t';
      default -> c;
    };
  }

  private void room(int length) {
    if (scratch.length < length + 8) {
      scratch = new byte[Math.addExact(length, 8) * 2];
    }
  }
}
