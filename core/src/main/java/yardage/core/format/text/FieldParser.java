package yardage.core.format.text;

import java.nio.charset.StandardCharsets;
import yardage.core.column.*;

/**
 * Reads one column out of split records. Field {@code f} of row {@code r} ends at {@code ends[r *
 * width + f]}; it starts after the separator that ends the field before, or where the record
 * starts. One thread at a time.
 */
final class FieldParser {
  private static final byte[] TRUE = {'t', 'r', 'u', 'e'};
  private static final byte[] FALSE = {'f', 'a', 'l', 's', 'e'};
  private static final long MAX_EXACT_MANTISSA = 1L << 53;
  private static final double[] EXACT_POWERS = new double[23];

  static {
    double p = 1;
    for (int i = 0; i < EXACT_POWERS.length; i++) {
      EXACT_POWERS[i] = p;
      p *= 10;
    }
  }

  /** Rows in which this field does not fit, and why; filled by {@link #parse}. */
  @FunctionalInterface
  interface Failures {
    void add(int row, Reason reason);
  }

  private final FieldRule rule;
  private final int ordinal;
  private final byte quote;
  private final byte[][] nullTokens;
  private final boolean emptyIsNull;
  private final TemporalPattern pattern;
  private final boolean isText;
  private byte[] unquoted = new byte[256];

  FieldParser(FieldRule rule, int ordinal, byte quote) {
    this.rule = rule;
    this.ordinal = ordinal;
    this.quote = quote;
    this.nullTokens =
        rule.nullTokens().stream()
            .filter(t -> !t.isEmpty())
            .map(t -> t.getBytes(StandardCharsets.UTF_8))
            .toArray(byte[][]::new);
    this.emptyIsNull = rule.nullTokens().contains("");
    this.pattern = rule.pattern().map(p -> TemporalPattern.compile(p, rule.type())).orElse(null);
    this.isText = rule.type().kind() == Type.Kind.VARCHAR;
  }

  FieldRule rule() {
    return rule;
  }

  int ordinal() {
    return ordinal;
  }

  /** Where the rows lie: shared by the parsers of one batch. */
  static final class Rows {
    byte[] buffer;
    int[] starts;
    int[] ends;
    int width;
    int separatorLength;
    int count;

    /** Whether the buffer may hold bytes beyond ASCII, or NUL: only then text is looked through. */
    boolean suspicious;
  }

  Column parse(Rows rows, Failures failures) {
    int n = rows.count;
    int[] ints = rule.type().isIntBacked() ? new int[n] : null;
    long[] longs = rule.type().isLongBacked() ? new long[n] : null;
    double[] doubles = rule.type().kind() == Type.Kind.DOUBLE ? new double[n] : null;
    byte[] truths = rule.type().kind() == Type.Kind.BOOLEAN ? new byte[n] : null;
    byte[] text = isText ? new byte[Math.max(16, n * 12)] : null;
    int[] offsets = isText ? new int[n + 1] : null;
    int textEnd = 0;
    long[] nulls = null;
    byte[] source = rows.buffer;
    for (int r = 0; r < n; r++) {
      byte[] b = source;
      int end = rows.ends[r * rows.width + ordinal];
      int start =
          ordinal == 0
              ? rows.starts[r]
              : rows.ends[r * rows.width + ordinal - 1] + rows.separatorLength;
      boolean quoted = quote != 0 && start < end && b[start] == quote;
      if (quoted) {
        end = unquote(b, start, end);
        b = unquoted;
        start = 0;
      }
      if (!isText) {
        while (start < end && b[start] == ' ') {
          start++;
        }
        while (end > start && b[end - 1] == ' ') {
          end--;
        }
      }
      if (!quoted
          && (start == end
              ? emptyIsNull || !isText
              : nullTokens.length > 0 && isNullToken(b, start, end))) {
        if (nulls == null) {
          nulls = Bits.allocate(n);
        }
        Bits.set(nulls, r);
        if (rule.required()) {
          failures.add(r, Reason.MISSING_VALUE);
        }
        if (isText) {
          offsets[r + 1] = textEnd;
        }
        continue;
      }
      Reason reason = null;
      switch (rule.type().kind()) {
        case VARCHAR:
          if (rows.suspicious) {
            reason = Utf8.check(b, start, end);
          }
          int length = end - start;
          if (textEnd + length > text.length) {
            text =
                java.util.Arrays.copyOf(
                    text, Math.max(textEnd + length, text.length + (text.length >> 1)));
          }
          System.arraycopy(b, start, text, textEnd, length);
          textEnd += length;
          offsets[r + 1] = textEnd;
          break;
        case INT:
          long i = parseLong(b, start, end);
          if (failure == null && (int) i != i) {
            failure = Reason.OUT_OF_RANGE;
          }
          ints[r] = (int) i;
          reason = takeFailure();
          break;
        case BIGINT:
          longs[r] = parseLong(b, start, end);
          reason = takeFailure();
          break;
        case DECIMAL:
          longs[r] = parseDecimal(b, start, end);
          reason = takeFailure();
          break;
        case DOUBLE:
          doubles[r] = parseDouble(b, start, end);
          reason = takeFailure();
          break;
        case BOOLEAN:
          if (equalsIgnoreCase(b, start, end, TRUE)) {
            truths[r] = 1;
          } else if (!equalsIgnoreCase(b, start, end, FALSE)) {
            reason = Reason.WRONG_TYPE;
          }
          break;
        case DATE, TIMESTAMP:
          boolean timestamp = longs != null;
          long v =
              pattern != null
                  ? pattern.parse(b, start, end)
                  : TemporalPattern.parseIso(b, start, end, timestamp);
          if (v == TemporalPattern.INVALID) {
            reason = Reason.WRONG_TYPE;
          } else if (timestamp) {
            longs[r] = v;
          } else {
            ints[r] = (int) v;
          }
          break;
      }
      if (reason != null) {
        failures.add(r, reason);
      }
    }
    return switch (rule.type().kind()) {
      case VARCHAR -> TextColumn.plain(text, offsets, nulls, n);
      case INT, DATE -> new IntColumn(rule.type(), ints, nulls, n);
      case BIGINT, DECIMAL, TIMESTAMP -> new LongColumn(rule.type(), longs, nulls, n);
      case DOUBLE -> new DoubleColumn(doubles, nulls, n);
      case BOOLEAN -> new BooleanColumn(truths, nulls, n);
    };
  }

  // Set by the number readers and taken right after: a result object per value would be garbage per
  // value.
  private Reason failure;

  private Reason takeFailure() {
    Reason taken = failure;
    failure = null;
    return taken;
  }

  private long parseLong(byte[] b, int start, int end) {
    boolean negative = start < end && b[start] == '-';
    int at = start + (start < end && (negative || b[start] == '+') ? 1 : 0);
    if (at == end) {
      failure = Reason.WRONG_TYPE;
      return 0;
    }
    long v = 0;
    for (int i = at; i < end; i++) {
      int digit = b[i] - '0';
      if (digit < 0 || digit > 9) {
        failure = Reason.WRONG_TYPE;
        return 0;
      }
      if (i - at >= 18 && (v > Long.MAX_VALUE / 10 || v * 10 + digit < 0)) {
        failure = onlyDigits(b, i, end) ? Reason.OUT_OF_RANGE : Reason.WRONG_TYPE;
        return 0;
      }
      v = v * 10 + digit;
    }
    return negative ? -v : v;
  }

  private long parseDecimal(byte[] b, int start, int end) {
    boolean negative = start < end && b[start] == '-';
    int at = start + (start < end && (negative || b[start] == '+') ? 1 : 0);
    long v = 0;
    int digits = 0;
    int significant = 0;
    int fraction = -1;
    int scale = rule.type().scale();
    for (int i = at; i < end; i++) {
      if (b[i] == '.' && fraction < 0) {
        fraction = 0;
        continue;
      }
      int digit = b[i] - '0';
      if (digit < 0 || digit > 9) {
        failure = Reason.WRONG_TYPE;
        return 0;
      }
      digits++;
      if (fraction >= scale) {
        // Zeros beyond the scale say nothing new; other digits would be lost.
        if (digit != 0) {
          failure = Reason.OUT_OF_RANGE;
        }
        continue;
      }
      fraction += fraction >= 0 ? 1 : 0;
      significant += v != 0 || digit != 0 ? 1 : 0;
      if (significant > 18) {
        failure = Reason.OUT_OF_RANGE;
        continue;
      }
      v = v * 10 + digit;
    }
    if (digits == 0) {
      failure = Reason.WRONG_TYPE;
      return 0;
    }
    if (failure != null) {
      return 0;
    }
    int missing = scale - Math.max(fraction, 0);
    if (significant + (v == 0 ? 0 : missing) > rule.type().precision()) {
      failure = Reason.OUT_OF_RANGE;
      return 0;
    }
    v *= Values.powerOfTen(missing);
    return negative ? -v : v;
  }

  /**
   * Exact for up to 15 digits and small exponents, as Clinger's fast path has it; the library does
   * the rest.
   */
  private double parseDouble(byte[] b, int start, int end) {
    boolean negative = start < end && b[start] == '-';
    int at = start + (start < end && (negative || b[start] == '+') ? 1 : 0);
    long mantissa = 0;
    int digits = 0;
    int fraction = -1;
    for (int i = at; i < end; i++) {
      if (b[i] == '.' && fraction < 0) {
        fraction = 0;
        continue;
      }
      int digit = b[i] - '0';
      if (digit < 0 || digit > 9 || digits == 17) {
        return parseDoubleSlowly(b, start, end);
      }
      mantissa = mantissa * 10 + digit;
      digits++;
      fraction += fraction >= 0 ? 1 : 0;
    }
    if (digits == 0 || mantissa >= MAX_EXACT_MANTISSA) {
      return parseDoubleSlowly(b, start, end);
    }
    double v = fraction > 0 ? mantissa / EXACT_POWERS[fraction] : mantissa;
    return negative ? -v : v;
  }

  private double parseDoubleSlowly(byte[] b, int start, int end) {
    // Only digits, sign, point and exponent: the library would also take "1f", "0x1p3" and "NaN".
    for (int i = start; i < end; i++) {
      if ((b[i] < '0' || b[i] > '9')
          && b[i] != '.'
          && b[i] != '-'
          && b[i] != '+'
          && b[i] != 'e'
          && b[i] != 'E') {
        failure = Reason.WRONG_TYPE;
        return 0;
      }
    }
    try {
      double v = Double.parseDouble(new String(b, start, end - start, StandardCharsets.US_ASCII));
      if (Double.isInfinite(v)) {
        failure = Reason.OUT_OF_RANGE;
      }
      return v;
    } catch (NumberFormatException e) {
      failure = Reason.WRONG_TYPE;
      return 0;
    }
  }

  private static boolean onlyDigits(byte[] b, int start, int end) {
    for (int i = start; i < end; i++) {
      if (b[i] < '0' || b[i] > '9') {
        return false;
      }
    }
    return true;
  }

  private boolean isNullToken(byte[] b, int start, int end) {
    for (byte[] token : nullTokens) {
      if (java.util.Arrays.equals(b, start, end, token, 0, token.length)) {
        return true;
      }
    }
    return false;
  }

  private static boolean equalsIgnoreCase(byte[] b, int start, int end, byte[] lower) {
    if (end - start != lower.length) {
      return false;
    }
    for (int i = 0; i < lower.length; i++) {
      if ((b[start + i] | 0x20) != lower[i]) {
        return false;
      }
    }
    return true;
  }

  /** Copies a quoted field without its quotes, doubled ones halved; returns its length. */
  private int unquote(byte[] b, int start, int end) {
    if (unquoted.length < end - start) {
      unquoted = new byte[(end - start) * 2];
    }
    int n = 0;
    for (int i = start + 1; i < end - 1; i++) {
      unquoted[n++] = b[i];
      if (b[i] == quote) {
        i++;
      }
    }
    return n;
  }
}
