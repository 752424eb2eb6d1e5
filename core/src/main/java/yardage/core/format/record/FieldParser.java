package yardage.core.format.record;

import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
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
  private int scratchEnd;
  private int[] starts = new int[0];
  private int[] ends = new int[0];
  private long[] nulls;
  private byte[] source;
  private FieldFailures failures;

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
      parser.parse(FieldSpans.ofOne(Optional.of(parser.otherwise)), failures);
      if (!failures.isEmpty()) {
        throw new IllegalArgumentException(failures.failure(0).message());
      }
    }
    return true;
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

  /**
   * One value per record; rows that fail have a value of no meaning.
   *
   * <p>Two passes: the first finds each value behind blanks, quotes and null tokens; the second is
   * a short loop for each kind of value. One loop for everything took a third longer, since the
   * compiler kept none of it in registers.
   */
  public Column parse(FieldSpans spans, FieldFailures failures) {
    int n = spans.count;
    locate(spans, failures);
    this.failures = failures;
    source = spans.buffer;
    Column out =
        switch (rule.type().kind()) {
          case VARCHAR -> texts(n, spans.suspicious);
          case INT -> ints(n);
          case BIGINT -> longs(n);
          case DECIMAL -> decimals(n);
          case DOUBLE -> doubles(n);
          case BOOLEAN -> truths(n);
          case DATE -> dates(n);
          case TIMESTAMP -> times(n);
          case STRUCT, LIST, MAP -> throw new IllegalStateException("Parts are read one by one");
        };
    nulls = null;
    source = null;
    return out;
  }

  /**
   * Notes where each value lies: in the buffer, or, unwrapped, in the scratch (a negative start).
   */
  private void locate(FieldSpans spans, FieldFailures failures) {
    int n = spans.count;
    if (starts.length < n) {
      starts = new int[n];
      ends = new int[n];
    }
    nulls = null;
    scratchEnd = 0;
    byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = field < 0 ? -1 : spans.ends[r * spans.width + field];
      int start = end < 0 ? -1 : spans.start(r, field);
      if (start < end
          && (b[start] == quote && quote != 0
              || escape != 0 && holds(b, start, end, escape)
              || numbers != null)) {
        unwrap(b, start, end, r, n, failures);
        continue;
      }
      if (trims) {
        while (start < end && b[start] == ' ') {
          start++;
        }
        while (end > start && b[end - 1] == ' ') {
          end--;
        }
      }
      if (end < 0
          || (start == end
              ? emptyIsNull || !isText
              : nullTokens.length > 0 && isNullToken(b, start, end))) {
        none(r, n, end < 0, failures);
      } else {
        starts[r] = start;
        ends[r] = end;
      }
    }
  }

  /** A value in quotes, with escapes, or written in a style of its own. */
  private void unwrap(byte[] b, int from, int to, int row, int rows, FieldFailures failures) {
    int start = from;
    int end = to;
    boolean quoted = quote != 0 && b[start] == quote;
    if (trims && !quoted) {
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
      none(row, rows, false, failures);
      return;
    }
    int at = scratchEnd;
    if (quoted || escape != 0) {
      end = at + (quoted ? unquote(b, start, end) : unescape(b, start, end));
      start = at;
      b = scratch;
      while (trims && start < end && b[start] == ' ') {
        start++;
      }
      while (trims && end > start && b[end - 1] == ' ') {
        end--;
      }
      if (!isText && start == end) {
        none(row, rows, false, failures);
        return;
      }
      scratchEnd = end;
    }
    if (numbers != null) {
      String plain = numbers.plain(b, start, end);
      if (plain != null) {
        byte[] utf8 = utf8(plain);
        room(utf8.length);
        start = scratchEnd;
        System.arraycopy(utf8, 0, scratch, start, utf8.length);
        end = start + utf8.length;
        scratchEnd = end;
        b = scratch;
      }
    }
    starts[row] = b == scratch ? -1 - start : start;
    ends[row] = end;
  }

  private void none(int row, int rows, boolean absent, FieldFailures failures) {
    if (otherwise != null) {
      room(otherwise.length);
      System.arraycopy(otherwise, 0, scratch, scratchEnd, otherwise.length);
      starts[row] = -1 - scratchEnd;
      scratchEnd += otherwise.length;
      ends[row] = scratchEnd;
      return;
    }
    if (nulls == null) {
      nulls = Bits.allocate(rows);
    }
    Bits.set(nulls, row);
    if (rule.required()) {
      failures.add(
          row,
          new RejectedRecord.Failure(
              rule.name(),
              Reason.MISSING_VALUE,
              absent ? "the field is not there and a value is required" : "a value is required"));
    }
  }

  private void wrong(int row, int rows, Reason reason) {
    if (rule.nullIfWrong() && !rule.required()) {
      if (nulls == null) {
        nulls = Bits.allocate(rows);
      }
      Bits.set(nulls, row);
      failures.nulled(ordinal);
      return;
    }
    int start = starts[row];
    failures.add(
        row,
        start < 0
            ? describe(reason, scratch, -1 - start, ends[row])
            : describe(reason, source, start, ends[row]));
  }

  private Column texts(int n, boolean suspicious) {
    int[] offsets = new int[n + 1];
    byte[] text = new byte[Math.max(16, n * 12)];
    int textEnd = 0;
    long[] none = nulls;
    for (int r = 0; r < n; r++) {
      if (none == null || !Bits.get(none, r)) {
        int start = starts[r];
        byte[] b = source;
        if (start < 0) {
          b = scratch;
          start = -1 - start;
        }
        int length = ends[r] - start;
        if (textEnd + length > text.length) {
          text =
              java.util.Arrays.copyOf(
                  text, Math.max(textEnd + length, text.length + (text.length >> 1)));
        }
        System.arraycopy(b, start, text, textEnd, length);
        if (suspicious) {
          Reason reason = Utf8.check(b, start, ends[r]);
          if (reason != null) {
            wrong(r, n, reason);
          }
        }
        textEnd += length;
      }
      offsets[r + 1] = textEnd;
    }
    return TextColumn.plain(text, offsets, nulls, n);
  }

  private Column ints(int n) {
    int[] out = new int[n];
    long[] none = nulls;
    for (int r = 0; r < n; r++) {
      if (none != null && Bits.get(none, r)) {
        continue;
      }
      int start = starts[r];
      long v =
          start < 0 ? parseLong(scratch, -1 - start, ends[r]) : parseLong(source, start, ends[r]);
      if (failure == null && (int) v != v) {
        failure = Reason.OUT_OF_RANGE;
      }
      out[r] = (int) v;
      if (failure != null) {
        wrong(r, n, takeFailure());
      }
    }
    return new IntColumn(rule.type(), out, nulls, n);
  }

  private Column longs(int n) {
    long[] out = new long[n];
    long[] none = nulls;
    for (int r = 0; r < n; r++) {
      if (none != null && Bits.get(none, r)) {
        continue;
      }
      int start = starts[r];
      out[r] =
          start < 0 ? parseLong(scratch, -1 - start, ends[r]) : parseLong(source, start, ends[r]);
      if (failure != null) {
        wrong(r, n, takeFailure());
      }
    }
    return new LongColumn(rule.type(), out, nulls, n);
  }

  private Column decimals(int n) {
    long[] out = new long[n];
    long[] none = nulls;
    for (int r = 0; r < n; r++) {
      if (none != null && Bits.get(none, r)) {
        continue;
      }
      int start = starts[r];
      out[r] =
          start < 0
              ? parseDecimal(scratch, -1 - start, ends[r])
              : parseDecimal(source, start, ends[r]);
      if (failure != null) {
        wrong(r, n, takeFailure());
      }
    }
    return new LongColumn(rule.type(), out, nulls, n);
  }

  private Column doubles(int n) {
    double[] out = new double[n];
    long[] none = nulls;
    for (int r = 0; r < n; r++) {
      if (none != null && Bits.get(none, r)) {
        continue;
      }
      int start = starts[r];
      out[r] =
          start < 0
              ? parseDouble(scratch, -1 - start, ends[r])
              : parseDouble(source, start, ends[r]);
      if (failure != null) {
        wrong(r, n, takeFailure());
      }
    }
    return new DoubleColumn(out, nulls, n);
  }

  private Column truths(int n) {
    byte[] out = new byte[n];
    long[] none = nulls;
    for (int r = 0; r < n; r++) {
      if (none != null && Bits.get(none, r)) {
        continue;
      }
      byte[] b = starts[r] < 0 ? scratch : source;
      int start = starts[r] < 0 ? -1 - starts[r] : starts[r];
      if (isWord(yes, b, start, ends[r])) {
        out[r] = 1;
      } else if (!isWord(no, b, start, ends[r])) {
        wrong(r, n, Reason.WRONG_TYPE);
      }
    }
    return new BooleanColumn(out, nulls, n);
  }

  private Column dates(int n) {
    int[] out = new int[n];
    long[] none = nulls;
    for (int r = 0; r < n; r++) {
      if (none != null && Bits.get(none, r)) {
        continue;
      }
      int start = starts[r];
      long v =
          start < 0
              ? temporal(scratch, -1 - start, ends[r], false)
              : temporal(source, start, ends[r], false);
      out[r] = (int) v;
      if (v == TemporalPattern.INVALID) {
        wrong(r, n, Reason.WRONG_TYPE);
      }
    }
    return new IntColumn(rule.type(), out, nulls, n);
  }

  private Column times(int n) {
    long[] out = new long[n];
    long[] none = nulls;
    for (int r = 0; r < n; r++) {
      if (none != null && Bits.get(none, r)) {
        continue;
      }
      int start = starts[r];
      out[r] =
          start < 0
              ? temporal(scratch, -1 - start, ends[r], true)
              : temporal(source, start, ends[r], true);
      if (out[r] == TemporalPattern.INVALID) {
        wrong(r, n, Reason.WRONG_TYPE);
      }
    }
    return new LongColumn(rule.type(), out, nulls, n);
  }

  private long temporal(byte[] b, int start, int end, boolean timestamp) {
    if (patterns.length == 0) {
      return TemporalPattern.parseIso(b, start, end, timestamp);
    }
    long v = TemporalPattern.INVALID;
    for (int p = 0; p < patterns.length && v == TemporalPattern.INVALID; p++) {
      v = patterns[p].parse(b, start, end);
    }
    return v;
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

  /**
   * Appends a quoted field without its quotes, doubled and escaped ones as one; gives its length.
   */
  private int unquote(byte[] b, int start, int end) {
    room(end - start);
    int n = scratchEnd;
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
    return n - scratchEnd;
  }

  private int unescape(byte[] b, int start, int end) {
    room(end - start);
    int n = scratchEnd;
    for (int i = start; i < end; i++) {
      scratch[n++] = b[i] == escape && i + 1 < end ? escaped(b[++i]) : b[i];
    }
    return n - scratchEnd;
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
    if (scratch.length - scratchEnd < bytes) {
      scratch = java.util.Arrays.copyOf(scratch, Math.addExact(scratchEnd, bytes) * 2);
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
