package yardage.core.format.record;

import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Locale;
import yardage.core.column.*;

/**
 * Reads one field of many records into a column, as its rule says. One thread at a time; it keeps
 * its scratch arrays.
 */
public final class FieldParser {
  private static final long MAX_EXACT_MANTISSA = 1L << 53;
  private static final double[] EXACT_POWERS = new double[23];

  static {
    double p = 1;
    for (int i = 0; i < EXACT_POWERS.length; i++) {
      EXACT_POWERS[i] = p;
      p *= 10;
    }
  }

  private static final int SHOWN_OF_VALUE = 200;

  /**
   * How a field may be wrapped.
   *
   * @param quote the character around a field, 0 for none; doubled inside it stands for itself
   * @param escape the character that takes the meaning from the next one, 0 for none
   */
  public record Quoting(byte quote, byte escape) {
    public static final Quoting NONE = new Quoting((byte) 0, (byte) 0);
  }

  private final FieldRule rule;
  private final int field;
  private final int ordinal;
  private final byte quote;
  private final byte escape;
  private final byte[][] nullTokens;
  private final boolean emptyIsNull;
  private final TemporalPattern[] patterns;
  private final NumberStyle numbers;
  private final byte[][] yes;
  private final byte[][] no;
  private final byte[] otherwise;
  private final boolean isText;
  private final boolean trims;
  private byte[] scratch = new byte[256];

  /**
   * @param field the place among the fields of a record, or -1 when the file has no such field
   * @param ordinal the place among the rules
   * @throws IllegalArgumentException when a format or the value for nulls does not fit the type
   */
  public FieldParser(FieldRule rule, int field, int ordinal, Quoting quoting) {
    this.rule = rule;
    this.field = field;
    this.ordinal = ordinal;
    this.quote = quoting.quote();
    this.escape = quoting.escape();
    this.nullTokens =
        rule.nullTokens().stream()
            .filter(t -> !t.isEmpty())
            .map(FieldParser::utf8)
            .toArray(byte[][]::new);
    this.emptyIsNull = rule.nullTokens().contains("");
    this.patterns =
        rule.formats().stream()
            .map(p -> TemporalPattern.compile(p, temporal(rule.type())))
            .toArray(TemporalPattern[]::new);
    this.numbers = rule.numbers().orElse(null);
    this.yes = words(rule.truths().map(FieldRule.TruthWords::yes).orElse(List.of("true")));
    this.no = words(rule.truths().map(FieldRule.TruthWords::no).orElse(List.of("false")));
    this.isText = rule.type().kind() == Type.Kind.VARCHAR;
    this.trims = rule.trim() || !isText;
    this.otherwise = rule.otherwise().map(FieldParser::utf8).orElse(null);
  }

  /**
   * Whether a rule is sound in itself: its formats, and its value in the place of nulls.
   *
   * @throws IllegalArgumentException saying what is wrong
   */
  public static boolean check(FieldRule rule) {
    FieldParser parser = new FieldParser(rule, 0, 0, Quoting.NONE);
    if (rule.type().isNested()) {
      if (rule.otherwise().isPresent()) {
        throw new IllegalArgumentException("A nested column has no default");
      }
      return true;
    }
    if (parser.otherwise != null) {
      FieldFailures failures = new FieldFailures();
      parser.parse(text(parser.otherwise), failures);
      if (!failures.isEmpty()) {
        throw new IllegalArgumentException(failures.failure(0).message());
      }
    }
    return true;
  }

  /** Spans of one record with one field. */
  private static FieldSpans text(byte[] value) {
    FieldSpans spans = new FieldSpans();
    spans.buffer = java.util.Arrays.copyOf(value, value.length + Chunk.PADDING);
    spans.rowStarts = new int[1];
    spans.ends = new int[] {value.length};
    spans.width = 1;
    spans.count = 1;
    spans.suspicious = true;
    return spans;
  }

  /** The formats of a nested column are for the dates and times inside it. */
  private static Type temporal(Type type) {
    return type.isNested() ? Type.TIMESTAMP : type;
  }

  private static byte[] utf8(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }

  private static byte[][] words(List<String> words) {
    return words.stream().map(w -> utf8(w.toLowerCase(Locale.ROOT))).toArray(byte[][]::new);
  }

  public FieldRule rule() {
    return rule;
  }

  /** One value per record; rows that fail have a value of no meaning. */
  public Column parse(FieldSpans spans, FieldFailures failures) {
    int n = spans.count;
    int[] ints = rule.type().isIntBacked() ? new int[n] : null;
    long[] longs = rule.type().isLongBacked() ? new long[n] : null;
    double[] doubles = rule.type().kind() == Type.Kind.DOUBLE ? new double[n] : null;
    byte[] truths = rule.type().kind() == Type.Kind.BOOLEAN ? new byte[n] : null;
    byte[] text = isText ? new byte[Math.max(16, n * 12)] : null;
    int[] offsets = isText ? new int[n + 1] : null;
    int textEnd = 0;
    long[] nulls = null;
    byte[] source = spans.buffer;
    for (int r = 0; r < n; r++) {
      byte[] b = source;
      int end = field < 0 ? -1 : spans.ends[r * spans.width + field];
      int start = end < 0 ? -1 : spans.start(r, field);
      boolean quoted = quote != 0 && start < end && b[start] == quote;
      boolean wrapped = quoted || (escape != 0 && start < end && holds(b, start, end, escape));
      if (trims && !quoted) {
        while (start < end && b[start] == ' ') {
          start++;
        }
        while (end > start && b[end - 1] == ' ') {
          end--;
        }
      }
      boolean isNull =
          end < 0
              || (!quoted
                  && (start == end
                      ? emptyIsNull || !isText
                      : nullTokens.length > 0 && isNullToken(b, start, end)));
      if (isNull && otherwise != null) {
        b = otherwise;
        start = 0;
        end = otherwise.length;
        isNull = false;
      } else if (wrapped && !isNull) {
        end = quoted ? unquote(b, start, end) : unescape(b, start, end);
        b = scratch;
        start = 0;
        if (trims) {
          while (start < end && b[start] == ' ') {
            start++;
          }
          while (end > start && b[end - 1] == ' ') {
            end--;
          }
          isNull = !isText && start == end;
        }
      }
      if (isNull) {
        if (nulls == null) {
          nulls = Bits.allocate(n);
        }
        Bits.set(nulls, r);
        if (rule.required()) {
          failures.add(
              r,
              new RejectedRecord.Failure(
                  rule.name(),
                  Reason.MISSING_VALUE,
                  end < 0
                      ? "the field is not there and a value is required"
                      : "a value is required"));
        }
        if (isText) {
          offsets[r + 1] = textEnd;
        }
        continue;
      }
      int valueStart = start;
      int valueEnd = end;
      byte[] value = b;
      if (numbers != null) {
        String plain = numbers.plain(b, start, end);
        if (plain == null) {
          failure = Reason.WRONG_TYPE;
          start = end;
        } else {
          b = utf8(plain);
          start = 0;
          end = b.length;
        }
      }
      Reason reason = null;
      switch (rule.type().kind()) {
        case STRUCT, LIST, MAP:
          throw new IllegalStateException("Parts are read one by one");
        case VARCHAR:
          if (spans.suspicious) {
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
          if (isWord(yes, b, start, end)) {
            truths[r] = 1;
          } else if (!isWord(no, b, start, end)) {
            reason = Reason.WRONG_TYPE;
          }
          break;
        case DATE, TIMESTAMP:
          boolean timestamp = longs != null;
          long v = TemporalPattern.INVALID;
          if (patterns.length == 0) {
            v = TemporalPattern.parseIso(b, start, end, timestamp);
          }
          for (int p = 0; p < patterns.length && v == TemporalPattern.INVALID; p++) {
            v = patterns[p].parse(b, start, end);
          }
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
        if (rule.nullIfWrong() && !rule.required()) {
          if (nulls == null) {
            nulls = Bits.allocate(n);
          }
          Bits.set(nulls, r);
          failures.nulled(ordinal);
        } else {
          failures.add(r, describe(reason, value, valueStart, valueEnd));
        }
      }
    }
    return switch (rule.type().kind()) {
      case VARCHAR -> TextColumn.plain(text, offsets, nulls, n);
      case INT, DATE -> new IntColumn(rule.type(), ints, nulls, n);
      case BIGINT, DECIMAL, TIMESTAMP -> new LongColumn(rule.type(), longs, nulls, n);
      case DOUBLE -> new DoubleColumn(doubles, nulls, n);
      case BOOLEAN -> new BooleanColumn(truths, nulls, n);
      case STRUCT, LIST, MAP -> throw new IllegalStateException("Parts are read one by one");
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

  private static boolean isWord(byte[][] words, byte[] b, int start, int end) {
    for (byte[] word : words) {
      if (equalsIgnoreCase(b, start, end, word)) {
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
      byte c = b[start + i];
      if ((c >= 'A' && c <= 'Z' ? c | 0x20 : c) != lower[i]) {
        return false;
      }
    }
    return true;
  }

  private static boolean holds(byte[] b, int start, int end, byte what) {
    for (int i = start; i < end; i++) {
      if (b[i] == what) {
        return true;
      }
    }
    return false;
  }

  /** Copies a quoted field without its quotes, doubled and escaped ones as one. */
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

  private void room(int bytes) {
    if (scratch.length < bytes) {
      scratch = new byte[bytes * 2];
    }
  }

  private RejectedRecord.Failure describe(Reason reason, byte[] b, int start, int end) {
    String value =
        new String(b, start, Math.min(end - start, SHOWN_OF_VALUE), StandardCharsets.UTF_8);
    String message =
        switch (reason) {
          case OUT_OF_RANGE -> "[%s] does not fit %s".formatted(value, rule.type());
          case BAD_ENCODING -> "the text is not in the encoding that the feed names";
          case NUL_CHARACTER -> "the text holds a NUL character";
          default -> "[%s] is no %s%s".formatted(value, rule.type(), written());
        };
    return new RejectedRecord.Failure(rule.name(), reason, message);
  }

  private String written() {
    if (!rule.formats().isEmpty()) {
      return " written " + String.join(" or ", rule.formats());
    }
    return rule.truths()
        .map(
            t ->
                ": its words are "
                    + String.join(", ", t.yes())
                    + " and "
                    + String.join(", ", t.no()))
        .orElse("");
  }
}
