package yardage.core.format.record;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.math.RoundingMode;
import java.nio.ByteBuffer;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.time.DateTimeException;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.time.format.ResolverStyle;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.function.Function;
import java.util.function.Supplier;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.column.Column;
import yardage.core.column.Type;

/**
 * Values of every type as the platform's own parsers read them. Texts lie at any place between
 * other bytes, since readers look at eight characters at once and must not see what stands around.
 */
class FieldValuesTest {
  private static final long SEED = Long.getLong("yardage.seed", 11);
  private static final int ROUNDS = 60;
  private static final int ROWS = 500;

  /** What a text is: a value, or the reasons why it is none, of which one is told. */
  private record Read(Object value, List<Reason> reasons) {
    static Read of(Object value) {
      return new Read(value, List.of());
    }

    static Read not(Reason... reasons) {
      return new Read(null, List.of(reasons));
    }
  }

  private final SplittableRandom random = new SplittableRandom(SEED);

  /** Blanks around what is no text are no part of it, and nothing at all is a null. */
  private void agrees(Type type, Supplier<String> texts, Function<String, Read> expected) {
    agreesOnBytes(
        type,
        () -> texts.get().getBytes(StandardCharsets.US_ASCII),
        b -> {
          String text = new String(b, StandardCharsets.US_ASCII).replaceAll("^ +| +$", "");
          return text.isEmpty() ? Read.of(null) : expected.apply(text);
        });
  }

  private void agreesOnBytes(Type type, Supplier<byte[]> texts, Function<byte[], Read> expected) {
    FieldRule rule = new FieldRule("f", type, false, List.of(), Optional.empty());
    FieldParser parser = new FieldParser(rule, 0, 0, FieldParser.Quoting.NONE);
    for (int round = 0; round < ROUNDS; round++) {
      List<byte[]> all = new ArrayList<>();
      FieldSpans spans = new FieldSpans();
      ByteArrayOutputStream buffer = new ByteArrayOutputStream();
      spans.starts = new int[ROWS];
      spans.ends = new int[ROWS];
      spans.width = 1;
      spans.count = ROWS;
      spans.suspicious = true;
      for (int r = 0; r < ROWS; r++) {
        noise(buffer);
        byte[] text = texts.get();
        spans.starts[r] = buffer.size();
        buffer.writeBytes(text);
        spans.ends[r] = buffer.size();
        all.add(text);
      }
      noise(buffer);
      buffer.writeBytes(new byte[Chunk.PADDING]);
      spans.buffer = buffer.toByteArray();
      FieldFailures failures = new FieldFailures();

      Column column = parser.parse(spans, failures);

      for (int r = 0; r < ROWS; r++) {
        Read want = expected.apply(all.get(r));
        List<RejectedRecord.Failure> failed = failures.of(r);
        String shown =
            "[%s] as %s, seed %d"
                .formatted(new String(all.get(r), StandardCharsets.UTF_8), type, SEED);
        if (want.reasons().isEmpty()) {
          assertTrue(failed.isEmpty(), () -> shown + " failed: " + failed);
          assertEquals(want.value(), column.value(r), shown);
        } else {
          assertEquals(1, failed.size(), shown + " was read as " + column.value(r));
          assertTrue(want.reasons().contains(failed.get(0).reason()), () -> shown + ": " + failed);
        }
      }
    }
  }

  /** Bytes that would make a value of what is none, or another value. */
  private void noise(ByteArrayOutputStream out) {
    for (int i = random.nextInt(4); i > 0; i--) {
      out.write("0123456789.-+:e".charAt(random.nextInt(15)));
    }
  }

  private String digits(int most) {
    StringBuilder out = new StringBuilder();
    for (int i = random.nextInt(most + 1); i > 0; i--) {
      out.append(random.nextInt(4) == 0 ? '0' : (char) ('0' + random.nextInt(10)));
    }
    return out.toString();
  }

  private String sign() {
    return switch (random.nextInt(6)) {
      case 0 -> "-";
      case 1 -> "+";
      default -> "";
    };
  }

  /** The text with a character changed, put in or taken out, one time in some. */
  private String mutated(String text, String characters) {
    if (random.nextInt(5) > 0) {
      return text;
    }
    int at = random.nextInt(text.length() + 1);
    String character = "" + characters.charAt(random.nextInt(characters.length()));
    return switch (random.nextInt(3)) {
      case 0 -> text.substring(0, at) + character + text.substring(at);
      case 1 -> at == text.length() ? text : text.substring(0, at) + text.substring(at + 1);
      default ->
          at == text.length() ? text : text.substring(0, at) + character + text.substring(at + 1);
    };
  }

  private static Read whole(String text, BigInteger least, BigInteger most, boolean isInt) {
    if (!text.matches("[+-]?[0-9]+")) {
      return Read.not(Reason.WRONG_TYPE);
    }
    BigInteger v = new BigInteger(text);
    return v.compareTo(least) < 0 || v.compareTo(most) > 0
        ? Read.not(Reason.OUT_OF_RANGE)
        : isInt ? Read.of(v.intValueExact()) : Read.of(v.longValueExact());
  }

  @Test
  void wholeNumbersAreThoseOfBigInteger() {
    agrees(
        Type.INT,
        () -> mutated(sign() + digits(12), "0123456789.-+ eE"),
        text ->
            whole(
                text,
                BigInteger.valueOf(Integer.MIN_VALUE),
                BigInteger.valueOf(Integer.MAX_VALUE),
                true));
    agrees(
        Type.BIGINT,
        () -> mutated(sign() + digits(21), "0123456789.-+ "),
        text ->
            whole(
                text,
                BigInteger.valueOf(Long.MIN_VALUE),
                BigInteger.valueOf(Long.MAX_VALUE),
                false));
  }

  @Test
  void theEndsOfTheRangesAreInside() {
    List<String> ends =
        List.of(
            "9223372036854775807",
            "-9223372036854775808",
            "9223372036854775808",
            "-9223372036854775809",
            "000000000000000000000009223372036854775807",
            "18446744073709551616",
            "-0");
    agrees(
        Type.BIGINT,
        () -> ends.get(random.nextInt(ends.size())),
        text ->
            whole(
                text,
                BigInteger.valueOf(Long.MIN_VALUE),
                BigInteger.valueOf(Long.MAX_VALUE),
                false));
  }

  private static final Pattern PLAIN = Pattern.compile("[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)");

  private static Read decimal(String text, int precision, int scale) {
    if (!PLAIN.matcher(text).matches()) {
      return Read.not(Reason.WRONG_TYPE);
    }
    BigDecimal v = new BigDecimal(text);
    BigDecimal fitted = v.setScale(scale, RoundingMode.DOWN);
    return fitted.compareTo(v) != 0 || fitted.unscaledValue().abs().toString().length() > precision
        ? Read.not(Reason.OUT_OF_RANGE)
        : Read.of(fitted);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"9,2", "18,0", "18,18", "5,4", "1,0", "12,6", "19,0", "27,4", "38,38", "38,6"})
  void decimalsAreThoseOfBigDecimal(String of) {
    int precision = Integer.parseInt(of.split(",")[0]);
    int scale = Integer.parseInt(of.split(",")[1]);
    agrees(
        Type.decimal(precision, scale),
        () -> {
          String text = sign() + digits(precision - scale + 1);
          if (random.nextInt(3) > 0) {
            text += "." + digits(scale + 1) + (random.nextInt(4) == 0 ? "000" : "");
          }
          return mutated(text, "0123456789.,-+ ");
        },
        text -> decimal(text, precision, scale));
  }

  @Test
  void doublesAreThoseOfThePlatformToTheLastBit() {
    Pattern number = Pattern.compile("[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][+-]?[0-9]+)?");
    Supplier<String> texts =
        () -> {
          String text =
              random.nextInt(4) == 0
                  ? Double.toString(Double.longBitsToDouble(random.nextLong()))
                  : sign() + digits(11) + (random.nextBoolean() ? "." + digits(10) : "");
          if (random.nextInt(4) == 0) {
            text += "e" + sign() + digits(3);
          }
          return mutated(text, "0123456789.-+eEdfx ");
        };
    agrees(
        Type.DOUBLE,
        texts,
        text -> {
          if (!number.matcher(text).matches()) {
            return Read.not(Reason.WRONG_TYPE);
          }
          double v = Double.parseDouble(text);
          boolean isZero = text.replaceFirst("[eE].*", "").matches("[^1-9]*");
          return Double.isInfinite(v) || v == 0 && !isZero
              ? Read.not(Reason.OUT_OF_RANGE)
              : Read.of(v);
        });
    agrees(
        Type.FLOAT,
        () ->
            random.nextInt(3) > 0
                ? texts.get()
                // Between two floats, or right beside.
                : new BigDecimal(Float.intBitsToFloat(random.nextInt() & 0x7f7fffff))
                        .add(new BigDecimal(Math.ulp(1f) / 2))
                        .toPlainString()
                    + (random.nextBoolean() ? "" : "0000001"),
        text -> {
          if (!number.matcher(text).matches()) {
            return Read.not(Reason.WRONG_TYPE);
          }
          float v = Float.parseFloat(text);
          boolean isZero = text.replaceFirst("[eE].*", "").matches("[^1-9]*");
          return Float.isInfinite(v) || v == 0 && !isZero
              ? Read.not(Reason.OUT_OF_RANGE)
              : Read.of(v);
        });
  }

  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("uuuu-MM-dd").withResolverStyle(ResolverStyle.STRICT);

  private String day() {
    return "%04d-%02d-%02d"
        .formatted(
            random.nextInt(3) == 0 ? random.nextInt(10_000) : 1890 + random.nextInt(250),
            1 + random.nextInt(random.nextInt(8) == 0 ? 14 : 12),
            1 + random.nextInt(31));
  }

  @Test
  void daysAreThoseOfTheCalendar() {
    agrees(
        Type.DATE,
        () -> mutated(day(), "0123456789-/.: "),
        text -> {
          try {
            return text.matches("[0-9]{4}-[0-9]{2}-[0-9]{2}")
                ? Read.of(LocalDate.parse(text, DAY))
                : Read.not(Reason.WRONG_TYPE);
          } catch (DateTimeException noSuchDay) {
            return Read.not(Reason.WRONG_TYPE);
          }
        });
  }

  private static final Pattern TIME =
      Pattern.compile(
          "([0-9]{4}-[0-9]{2}-[0-9]{2})(?:[ T]([0-9]{2}:[0-9]{2})(?:(:[0-9]{2}))?(\\.[0-9]{1,9})?(Z|[+-][0-9]{2}(?::?[0-9]{2})?)?)?");

  private static Read time(String text) {
    var m = TIME.matcher(text);
    if (!m.matches()) {
      return Read.not(Reason.WRONG_TYPE);
    }
    try {
      LocalDate day = LocalDate.parse(m.group(1), DAY);
      if (m.group(2) == null) {
        return Read.of(day.atStartOfDay());
      }
      String seconds = m.group(3) == null ? ":00" : m.group(3);
      String fraction = m.group(4) == null ? "" : m.group(4);
      if (fraction.length() > 7) {
        fraction = fraction.substring(0, 7);
      }
      LocalDateTime local = LocalDateTime.parse(day + "T" + m.group(2) + seconds + fraction);
      String offset = m.group(5);
      if (offset == null) {
        return Read.of(local);
      }
      return Read.of(
          OffsetDateTime.of(local, ZoneOffset.of(offset))
              .atZoneSameInstant(ZoneOffset.UTC)
              .toLocalDateTime());
    } catch (DateTimeException noSuchTime) {
      return Read.not(Reason.WRONG_TYPE);
    }
  }

  @Test
  void timesAreThoseOfThePlatformInUtc() {
    agrees(
        Type.TIMESTAMP,
        () -> {
          StringBuilder text = new StringBuilder(day());
          if (random.nextInt(6) > 0) {
            text.append(random.nextBoolean() ? 'T' : ' ');
            text.append("%02d:%02d".formatted(random.nextInt(25), random.nextInt(61)));
            if (random.nextInt(4) > 0) {
              text.append(":%02d".formatted(random.nextInt(61)));
              if (random.nextInt(3) == 0) {
                text.append('.').append(digits(9)).append(random.nextInt(10));
              }
            }
            if (random.nextInt(3) == 0) {
              text.append(
                  switch (random.nextInt(4)) {
                    case 0 -> "Z";
                    case 1 -> "+%02d".formatted(random.nextInt(20));
                    case 2 -> "-%02d%02d".formatted(random.nextInt(18), random.nextInt(60));
                    default -> "+%02d:%02d".formatted(random.nextInt(18), random.nextInt(60));
                  });
            }
          }
          return mutated(text.toString(), "0123456789-:.TZ+ ");
        },
        text -> time(text));
  }

  @Test
  void textsAreThoseThatAStrictDecoderTakes() {
    List<byte[]> pieces =
        List.of(
            "wool".getBytes(StandardCharsets.UTF_8),
            "çã€𝄞".getBytes(StandardCharsets.UTF_8),
            new byte[] {(byte) 0xC0, (byte) 0x80},
            new byte[] {(byte) 0xED, (byte) 0xA0, (byte) 0x80},
            new byte[] {(byte) 0xE2, (byte) 0x82},
            new byte[] {(byte) 0xF4, (byte) 0x90, (byte) 0x80, (byte) 0x80},
            new byte[] {(byte) 0xFF},
            new byte[] {0});
    agreesOnBytes(
        Type.VARCHAR,
        () -> {
          ByteArrayOutputStream out = new ByteArrayOutputStream();
          for (int i = random.nextInt(4); i >= 0; i--) {
            // Sound ones the more often, so that most texts are.
            out.writeBytes(
                pieces.get(random.nextInt(3) > 0 ? random.nextInt(2) : random.nextInt(8)));
          }
          return out.toByteArray();
        },
        b -> {
          try {
            String text = StandardCharsets.UTF_8.newDecoder().decode(ByteBuffer.wrap(b)).toString();
            return text.indexOf('\0') >= 0 ? Read.not(Reason.NUL_CHARACTER) : Read.of(text);
          } catch (CharacterCodingException e) {
            boolean hasNul = new String(b, StandardCharsets.ISO_8859_1).indexOf('\0') >= 0;
            return hasNul
                ? Read.not(Reason.BAD_ENCODING, Reason.NUL_CHARACTER)
                : Read.not(Reason.BAD_ENCODING);
          }
        });
  }
}
