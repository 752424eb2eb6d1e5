package yardage.core.format.record;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import yardage.core.column.*;

/**
 * Reads one field of many records into a column, as its rule says. One thread at a time; it keeps
 * its scratch arrays.
 */
public final class FieldParser {
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
  private final FieldText text;
  private final NumberReader numbers;
  private final TemporalPattern[] patterns;
  private final BinaryText binary;
  private final byte[][] yes;
  private final byte[][] no;
  private final LocalZone.Converter zone;
  private FieldSpans spans;
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
    this.text = new FieldText(rule, quoting);
    this.numbers =
        new NumberReader(
            rule.type(), rule.numbers().filter(NumberStyle::takesNotFinite).isPresent());
    this.zone = rule.zone().map(LocalZone.Converter::new).orElse(null);
    boolean binary = rule.type().kind() == Type.Kind.BINARY;
    this.binary = binary ? BinaryText.of(rule.formats()) : BinaryText.HEX;
    this.patterns =
        binary
            ? new TemporalPattern[0]
            : rule.formats().stream()
                .map(p -> TemporalPattern.compile(p, temporal(rule.type())))
                .toArray(TemporalPattern[]::new);
    boolean needsZone = rule.type().kind() == Type.Kind.TIMESTAMP_TZ && zone == null;
    for (int p = 0; needsZone && p < patterns.length; p++) {
      if (!patterns[p].saysZone()) {
        throw new IllegalArgumentException(
            "Pattern [%s] has no offset (X), so that nothing says which time it is: add [zone:], or make the column a timestamp"
                .formatted(rule.formats().get(p)));
      }
    }
    this.yes = words(rule.truths().map(FieldRule.TruthWords::yes).orElse(List.of("true")));
    this.no = words(rule.truths().map(FieldRule.TruthWords::no).orElse(List.of("false")));
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
    if (rule.otherwise().isPresent()) {
      FieldFailures failures = new FieldFailures();
      parser.parse(FieldSpans.ofOne(rule.otherwise().map(FieldParser::utf8)), failures);
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
   * <p>A short loop for each kind of value, which asks {@link FieldText} only for a field that may
   * differ from its value.
   */
  public Column parse(FieldSpans spans, FieldFailures failures) {
    this.spans = spans;
    this.failures = failures;
    text.begin(spans, failures);
    int n = spans.count;
    Column out =
        switch (rule.type().kind()) {
          case VARCHAR -> texts(n);
          case INT -> ints(n);
          case BIGINT -> longs(n);
          case DECIMAL -> decimals(n);
          case FLOAT, DOUBLE -> doubles(n);
          case BOOLEAN -> truths(n);
          case DATE -> dates(n);
          case TIME, TIMESTAMP, TIMESTAMP_TZ -> times(n);
          case UUID -> uuids(n);
          case BINARY -> binaries(n);
          case STRUCT, LIST, MAP -> throw new IllegalStateException("Parts are read one by one");
        };
    text.finish();
    this.spans = null;
    return out;
  }

  private Column texts(int n) {
    final boolean suspicious = spans.suspicious;
    int[] offsets = new int[n + 1];
    byte[] out = new byte[Math.max(16, n * 12)];
    int at = 0;
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          offsets[r + 1] = at;
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      int length = end - start;
      if (at + length + 8 > out.length) {
        out = Arrays.copyOf(out, Math.max(at + length + 8, out.length + (out.length >> 1)));
      }
      if (length > Swar.SHORT_BYTES) {
        System.arraycopy(from, start, out, at, length);
      } else {
        Swar.copy(from, start, out, at, length);
      }
      if (suspicious) {
        Reason reason = Utf8.check(from, start, end);
        if (reason != null) {
          wrong(r, reason, from, start, end);
        }
      }
      at += length;
      offsets[r + 1] = at;
    }
    return TextColumn.plain(out, offsets, text.nulls(), n);
  }

  private Column ints(int n) {
    int[] out = new int[n];
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      long v = numbers.parseLong(from, start, end);
      out[r] = (int) v;
      if ((int) v != v && !numbers.failed()) {
        numbers.outOfRange();
      }
      if (numbers.failed()) {
        wrong(r, numbers.takeFailure(), from, start, end);
      }
    }
    return new IntColumn(rule.type(), out, text.nulls(), n);
  }

  private Column longs(int n) {
    long[] out = new long[n];
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      out[r] = numbers.parseLong(from, start, end);
      if (numbers.failed()) {
        wrong(r, numbers.takeFailure(), from, start, end);
      }
    }
    return new LongColumn(rule.type(), out, text.nulls(), n);
  }

  private Column decimals(int n) {
    long[] out = new long[n];
    long[] high = rule.type().isWide() ? new long[n] : null;
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      out[r] = numbers.parseDecimal(from, start, end);
      if (high != null) {
        high[r] = numbers.high();
      }
      if (numbers.failed()) {
        wrong(r, numbers.takeFailure(), from, start, end);
      }
    }
    return high == null
        ? new LongColumn(rule.type(), out, text.nulls(), n)
        : new WideColumn(rule.type(), high, out, text.nulls(), n);
  }

  private Column doubles(int n) {
    double[] out = new double[n];
    boolean isFloat = rule.type().kind() == Type.Kind.FLOAT;
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      out[r] = numbers.parseDouble(from, start, end);
      if (numbers.failed()) {
        wrong(r, numbers.takeFailure(), from, start, end);
      } else if (isFloat) {
        out[r] = numbers.rounded(out[r], from, start, end);
        if (numbers.failed()) {
          wrong(r, numbers.takeFailure(), from, start, end);
        }
      }
    }
    return new DoubleColumn(rule.type(), out, text.nulls(), n);
  }

  private Column truths(int n) {
    byte[] out = new byte[n];
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      if (isWord(yes, from, start, end)) {
        out[r] = 1;
      } else if (!isWord(no, from, start, end)) {
        wrong(r, Reason.WRONG_TYPE, from, start, end);
      }
    }
    return new BooleanColumn(out, text.nulls(), n);
  }

  private Column dates(int n) {
    final boolean iso = patterns.length == 0;
    int[] out = new int[n];
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      long v = iso ? IsoTime.parseDate(from, start, end) : byPattern(from, start, end);
      out[r] = (int) v;
      if (v == IsoTime.INVALID) {
        wrong(r, Reason.WRONG_TYPE, from, start, end);
      }
    }
    return new IntColumn(rule.type(), out, text.nulls(), n);
  }

  private Column times(int n) {
    final boolean iso = patterns.length == 0;
    final boolean epoch = rule.formats().contains("epoch-seconds");
    final boolean ofDay = rule.type().kind() == Type.Kind.TIME;
    final boolean saysZone = rule.type().kind() == Type.Kind.TIMESTAMP_TZ && zone == null && iso;
    final int lengthWithMicros =
        ofDay ? IsoTime.LENGTH_WITH_MICROS - 11 : IsoTime.LENGTH_WITH_MICROS;
    long[] out = new long[n];
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      out[r] =
          !iso
              ? byPattern(from, start, end)
              : ofDay
                  ? IsoTime.parseTimeOfDay(from, start, end)
                  : IsoTime.parseTime(from, start, end);
      if (out[r] == IsoTime.INVALID || saysZone && !IsoTime.saysOffset(from, start, end)) {
        wrong(r, Reason.WRONG_TYPE, from, start, end);
      } else if ((end - start > lengthWithMicros || epoch)
          && IsoTime.hasDigitsBeyondMicros(from, start, end)) {
        failures.cut(ordinal);
      }
      if (zone != null && out[r] != IsoTime.INVALID && !IsoTime.saysOffset(from, start, end)) {
        out[r] = utc(r, out[r], from, start, end);
      }
    }
    return new LongColumn(rule.type(), out, text.nulls(), n);
  }

  private Column uuids(int n) {
    long[] high = new long[n];
    long[] low = new long[n];
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      if (!BinaryText.uuid(from, start, end, high, low, r)) {
        wrong(r, Reason.WRONG_TYPE, from, start, end);
      }
    }
    return new WideColumn(rule.type(), high, low, text.nulls(), n);
  }

  private Column binaries(int n) {
    int[] offsets = new int[n + 1];
    byte[] out = new byte[Math.max(16, n * 12)];
    int at = 0;
    final byte[] b = spans.buffer;
    for (int r = 0; r < n; r++) {
      int end = spans.end(r, field);
      int start = end < 0 ? 0 : spans.start(r, field);
      byte[] from = b;
      if (text.mayDiffer(b, start, end)) {
        if (!text.find(r, start, end)) {
          offsets[r + 1] = at;
          continue;
        }
        from = text.bytes;
        start = text.start;
        end = text.end;
      }
      if (at + end - start > out.length) {
        out = Arrays.copyOf(out, Math.max(at + end - start, out.length + (out.length >> 1)));
      }
      int length = binary.read(from, start, end, out, at);
      if (length < 0) {
        wrong(r, Reason.WRONG_TYPE, from, start, end);
      }
      at += Math.max(0, length);
      offsets[r + 1] = at;
    }
    return TextColumn.plain(out, offsets, text.nulls(), n).as(rule.type());
  }

  /** A time of the column's zone as UTC; one that does not exist there fails. */
  private long utc(int row, long local, byte[] b, int start, int end) {
    long v = zone.utc(local);
    if (v == LocalZone.NONE) {
      if (rule.nullIfWrong() && !rule.required()) {
        text.setNull(row);
        failures.nulled(ordinal);
      } else {
        String value = new String(b, start, end - start, StandardCharsets.UTF_8);
        failures.add(
            row,
            new RejectedRecord.Failure(
                rule.name(), Reason.WRONG_TYPE, "[%s] %s".formatted(value, zone.why(local))));
      }
    }
    return v;
  }

  private void wrong(int row, Reason reason, byte[] b, int start, int end) {
    if (rule.nullIfWrong() && !rule.required()) {
      text.setNull(row);
      failures.nulled(ordinal);
    } else {
      failures.add(row, describe(reason, b, start, end));
    }
  }

  /** By the first of the feed's own patterns that fits. */
  private long byPattern(byte[] b, int start, int end) {
    long v = IsoTime.INVALID;
    for (int p = 0; p < patterns.length && v == IsoTime.INVALID; p++) {
      v = patterns[p].parse(b, start, end);
    }
    return v;
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

  private RejectedRecord.Failure describe(Reason reason, byte[] b, int start, int end) {
    String value =
        new String(b, start, Math.min(end - start, SHOWN_OF_VALUE), StandardCharsets.UTF_8);
    String message =
        switch (reason) {
          case OUT_OF_RANGE -> "[%s] does not fit %s".formatted(value, rule.type());
          case BAD_ENCODING -> "the text is not in the encoding that the feed names";
          case NUL_CHARACTER -> "the text holds a NUL character";
          default -> "[%s] is not a valid %s%s".formatted(value, rule.type(), written());
        };
    return new RejectedRecord.Failure(rule.name(), reason, message);
  }

  private String written() {
    if (!rule.formats().isEmpty()) {
      return " written " + String.join(" or ", rule.formats());
    }
    if (rule.type().kind() == Type.Kind.TIMESTAMP_TZ && zone == null) {
      return ": it must end with an offset such as Z or +01:00, unless the column has a zone";
    }
    if (rule.type().kind() == Type.Kind.BINARY) {
      return " written in hexadecimal digits; the column's format may be base64";
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
