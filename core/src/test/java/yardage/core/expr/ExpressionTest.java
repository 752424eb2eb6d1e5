package yardage.core.expr;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.math.RoundingMode;
import java.nio.charset.StandardCharsets;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.EnumSource;
import yardage.core.column.*;
import yardage.core.testing.Rows;

/** Kernels against the JDK's own BigDecimal, String, regex and java.time. */
class ExpressionTest {
  private static final long SEED = Long.getLong("yardage.seed", 23);
  private final SplittableRandom random = new SplittableRandom(SEED);

  private static List<Object> values(Column column) {
    List<Object> out = new ArrayList<>();
    for (int i = 0; i < column.size(); i++) {
      out.add(column.value(i));
    }
    return out;
  }

  private static Batch batch(Column... columns) {
    return new Batch(List.of(columns), columns[0].size(), 0);
  }

  private static Expression in(int ordinal, Column... columns) {
    return Expression.input(ordinal, columns[ordinal].type());
  }

  private BigDecimal decimal(int most, int scale) {
    String digits = "1" + "0".repeat(random.nextInt(most));
    BigInteger v = new BigInteger(digits).subtract(BigInteger.valueOf(random.nextInt(3)));
    return new BigDecimal(random.nextBoolean() ? v : v.negate(), scale);
  }

  /** One look for several constants, beside a comparison with each. */
  @Test
  void aValueIsOneOfConstantsOfItsOwnAndOfOtherTypes() {
    int seen = 0;
    List<Type> types =
        List.of(
            Type.INT,
            Type.BIGINT,
            Type.decimal(9, 2),
            Type.decimal(18, 4),
            Type.VARCHAR,
            Type.DATE);
    for (int round = 0; round < 400; round++) {
      Type type = types.get(random.nextInt(types.size()));
      List<Object> rows = new ArrayList<>();
      for (int i = 0; i < 60; i++) {
        rows.add(random.nextInt(9) == 0 ? null : small(type));
      }
      Column column = Rows.column(type, rows);
      Column shown =
          random.nextBoolean() ? column : column.gather(random.ints(50, 0, 60).toArray(), 50);
      Expression x = in(0, shown);
      List<Literal> constants = new ArrayList<>();
      for (int i = random.nextInt(1, 24); i > 0; i--) {
        Type of = type.isNumeric() ? types.get(random.nextInt(4)) : type;
        constants.add(new Literal(of, Optional.of(held(of, small(of)))));
      }
      Expression each =
          constants.stream()
              .map(c -> (Expression) new Comparison(Comparison.Op.EQ, x, c))
              .reduce((a, b) -> new Logic.Junction(false, a, b))
              .orElseThrow();
      Column found = OneOf.of(x, constants).orElseThrow().evaluate(batch(shown));
      assertEquals(values(each.evaluate(batch(shown))), values(found), type + " " + constants);
      seen += values(found).contains(true) ? 1 : 0;
    }
    assertTrue(seen > 200, "seen: " + seen);
    Expression wide = Expression.input(0, Type.decimal(38, 2));
    assertEquals(
        Optional.empty(), OneOf.of(wide, List.of(Literal.of(Type.INT, 1))), "each is compared");
  }

  /** What is looked up without being cut out, beside what is. */
  @Test
  void partsOfTextsAreOneOfConstants() {
    List<String> words = List.of("ta", "tensão", "🧵🪡 yarn", "a", "", "warp-beam-77", "warp-bea");
    int seen = 0;
    for (int round = 0; round < 300; round++) {
      List<Object> rows = new ArrayList<>();
      for (int i = 0; i < 40; i++) {
        String text = words.get(random.nextInt(7)) + words.get(random.nextInt(7));
        rows.add(random.nextInt(9) == 0 ? null : text);
      }
      Column column = Rows.column(Type.VARCHAR, rows);
      Column shown =
          random.nextBoolean() ? column : column.gather(random.ints(90, 0, 40).toArray(), 90);
      Literal from = Literal.of(Type.INT, random.nextInt(-2, 9));
      long count = random.nextInt(6) == 0 ? Long.MAX_VALUE : random.nextInt(12);
      Optional<Expression> length =
          random.nextInt(5) == 0 ? Optional.empty() : Optional.of(Literal.of(Type.BIGINT, count));
      Expression part = new Texts.Substring(in(0, shown), from, length);
      Column cut = part.evaluate(batch(shown));
      List<Literal> constants = new ArrayList<>();
      for (int i = random.nextInt(1, 12); i > 0; i--) {
        Object value = cut.value(random.nextInt(cut.size()));
        constants.add(Literal.of(Type.VARCHAR, value == null ? "none" : value));
      }
      Column found = new OneOf(part, constants).evaluate(batch(shown));
      Column apart = new OneOf(in(0, cut), constants).evaluate(batch(cut));
      assertEquals(values(apart), values(found), part + " " + constants);
      List<Object> wanted = constants.stream().map(c -> c.value().orElseThrow()).toList();
      for (int i = 0; i < cut.size(); i++) {
        assertEquals(
            cut.isNull(i) ? null : wanted.contains(cut.value(i)), found.value(i), part.toString());
      }
      seen += values(found).contains(false) ? 1 : 0;
    }
    assertTrue(seen > 100, "seen: " + seen);
  }

  /** One of few values, as a column gives it. */
  private Object small(Type type) {
    int n = random.nextInt(-12, 12);
    return switch (type.kind()) {
      case INT -> n;
      case BIGINT -> n == 0 ? (1L << 32) : (long) n;
      case DECIMAL -> new BigDecimal(n * 5L).movePointLeft(1).setScale(type.scale());
      case DATE -> LocalDate.of(2026, 3, 15).plusDays(n);
      default -> "é".repeat(Math.abs(n) % 5) + n;
    };
  }

  private static Object held(Type type, Object value) {
    return switch (type.kind()) {
      case DECIMAL -> ((BigDecimal) value).unscaledValue().longValueExact();
      case DATE -> (int) ((LocalDate) value).toEpochDay();
      default -> value;
    };
  }

  /** Values on both sides of 64 and 127 bits, and of 38 digits. */
  @ParameterizedTest
  @EnumSource(Arithmetic.Op.class)
  void wideDecimalsAreExactOrRefused(Arithmetic.Op op) {
    int refused = 0;
    for (int i = 0; i < 4000; i++) {
      BigDecimal p = decimal(random.nextBoolean() ? 38 : 12, 2);
      BigDecimal q = decimal(random.nextBoolean() ? 36 : 9, 4);
      Column x = Rows.column(Type.decimal(38, 2), List.of(p));
      Column y = Rows.column(Type.decimal(random.nextBoolean() ? 38 : 37, 4), List.of(q));
      Type type = Type.decimal(random.nextBoolean() ? 38 : 30, random.nextBoolean() ? 6 : 4);
      Arithmetic call = new Arithmetic(op, in(0, x, y), in(1, x, y), type);
      boolean divides = op == Arithmetic.Op.DIVIDE || op == Arithmetic.Op.MOD;
      boolean byZero = divides && q.signum() == 0;
      BigDecimal wanted = op.of(p, byZero ? BigDecimal.ONE : q, type.scale());
      boolean operandsFit =
          divides || op == Arithmetic.Op.MULTIPLY || p.precision() - 2 <= 38 - type.scale();
      if (byZero || wanted.precision() > type.precision() || !operandsFit) {
        assertThrows(ExpressionException.class, () -> call.evaluate(batch(x, y)));
        refused++;
      } else {
        assertEquals(wanted, call.evaluate(batch(x, y)).value(0), "seed " + SEED);
      }
    }
    assertTrue(refused > 20 && refused < 3500, "refused: " + refused);
  }

  private static boolean holds(Comparison.Op op, int c) {
    return switch (op) {
      case EQ -> c == 0;
      case NE -> c != 0;
      case LT -> c < 0;
      case LE -> c <= 0;
      case GT -> c > 0;
      case GE -> c >= 0;
    };
  }

  /**
   * Of a dictionary each entry is compared once; with a text for all rows, and with one of each.
   */
  @Test
  void textsAreComparedByTheirBytesHoweverTheyAreHeld() {
    List<String> texts = List.of("", "a", "ab", "b", "é", "z", "\uD83E\uDDF5");
    for (int round = 0; round < 200; round++) {
      List<Object> rows = new ArrayList<>();
      for (int i = 0; i < 40; i++) {
        rows.add(random.nextInt(7) == 0 ? null : texts.get(random.nextInt(texts.size())));
      }
      Column plain = Rows.column(Type.VARCHAR, rows);
      Column x = random.nextBoolean() ? plain : plain.gather(random.ints(90, -1, 40).toArray(), 90);
      String one = texts.get(random.nextInt(texts.size()));
      Expression constant =
          random.nextInt(4) == 0 ? new Cast(in(0, x), Type.VARCHAR) : Literal.of(Type.VARCHAR, one);
      List<Object> others = values(constant.evaluate(batch(x)));
      boolean turned = random.nextBoolean();
      for (Comparison.Op op : Comparison.Op.values()) {
        Column found =
            (turned
                    ? new Comparison(op, constant, in(0, x))
                    : new Comparison(op, in(0, x), constant))
                .evaluate(batch(x));
        for (int r = 0; r < x.size(); r++) {
          String a = (String) (turned ? others.get(r) : x.value(r));
          String b = (String) (turned ? x.value(r) : others.get(r));
          Object wanted =
              a == null || b == null
                  ? null
                  : (Object)
                      holds(
                          op,
                          Arrays.compareUnsigned(
                              a.getBytes(StandardCharsets.UTF_8),
                              b.getBytes(StandardCharsets.UTF_8)));
          assertEquals(wanted, found.value(r), a + " " + op + " " + b);
        }
      }
    }
  }

  @Test
  void wideDecimalsAreCastRoundedAndComparedExactly() {
    for (int i = 0; i < 4000; i++) {
      BigDecimal p = decimal(38, 4);
      BigDecimal q = random.nextBoolean() ? p.add(BigDecimal.ONE) : decimal(38, 10);
      Column x = Rows.column(Type.decimal(38, 4), List.of(p));
      Column y =
          Rows.column(
              q.precision() > 38 ? Type.decimal(38, 4) : Type.decimal(38, q.scale()),
              List.of(q.precision() > 38 ? q = p : q));
      for (Comparison.Op op : Comparison.Op.values()) {
        int c = p.compareTo(q);
        assertEquals(
            holds(op, c),
            new Comparison(op, in(0, x, y), in(1, x, y)).evaluate(batch(x, y)).value(0));
      }
      for (Type to : List.of(Type.decimal(30, 2), Type.decimal(38, 9), Type.decimal(18, 6))) {
        BigDecimal cast = p.setScale(to.scale(), RoundingMode.HALF_UP);
        Cast call = new Cast(in(0, x), to);
        if (cast.precision() > to.precision()) {
          assertThrows(ExpressionException.class, () -> call.evaluate(batch(x)));
        } else {
          assertEquals(cast, call.evaluate(batch(x)).value(0));
        }
      }
      assertEquals(p.doubleValue(), new Cast(in(0, x), Type.DOUBLE).evaluate(batch(x)).value(0));
      assertEquals(p.toPlainString(), new Cast(in(0, x), Type.VARCHAR).evaluate(batch(x)).value(0));
      assertEquals(
          p.setScale(0, RoundingMode.FLOOR).setScale(4),
          new Rounding(Rounding.Mode.FLOOR, in(0, x), 0, x.type()).evaluate(batch(x)).value(0));
    }
  }

  @ParameterizedTest
  @EnumSource(Arithmetic.Op.class)
  void decimalsAreExact(Arithmetic.Op op) {
    List<BigDecimal> a = new ArrayList<>();
    List<BigDecimal> b = new ArrayList<>();
    for (int i = 0; i < 2000; i++) {
      a.add(
          random.nextInt(9) == 0
              ? null
              : BigDecimal.valueOf(random.nextLong(-10_000_000, 10_000_000), 2));
      b.add(random.nextInt(9) == 0 ? null : BigDecimal.valueOf(random.nextLong(1, 100_000), 3));
    }
    Column x = Rows.column(Type.decimal(9, 2), a);
    Column y = Rows.column(Type.decimal(9, 3), b);
    int scale = op == Arithmetic.Op.MULTIPLY ? 5 : op == Arithmetic.Op.DIVIDE ? 6 : 3;

    List<Object> ours =
        values(
            new Arithmetic(op, in(0, x, y), in(1, x, y), Type.decimal(18, scale))
                .evaluate(batch(x, y)));

    for (int i = 0; i < ours.size(); i++) {
      BigDecimal p = a.get(i);
      BigDecimal q = b.get(i);
      Object wanted =
          p == null || q == null
              ? null
              : (switch (op) {
                    case ADD -> p.add(q);
                    case SUBTRACT -> p.subtract(q);
                    case MULTIPLY -> p.multiply(q);
                    case DIVIDE -> p.divide(q, scale, RoundingMode.HALF_UP);
                    case MOD -> p.remainder(q);
                  })
                  .setScale(scale, RoundingMode.HALF_UP);
      assertEquals(wanted, ours.get(i), "%s %s %s, seed %d".formatted(p, op, q, SEED));
    }
  }

  @Test
  void whatDoesNotFitIsAnErrorThatNamesTheValuesAndNullRowsAreNot() {
    Column big = Rows.column(Type.BIGINT, Arrays.asList(Long.MAX_VALUE, null));
    Column one = Rows.column(Type.BIGINT, Arrays.asList(1L, 1L));
    Expression sum =
        new Arithmetic(Arithmetic.Op.ADD, in(0, big, one), in(1, big, one), Type.BIGINT);
    ExpressionException e =
        assertThrows(ExpressionException.class, () -> sum.evaluate(batch(big, one)));
    assertTrue(
        e.getMessage().startsWith("[9223372036854775807] + [1] does not fit bigint"),
        e.getMessage());

    Column spoilt = new LongColumn(Type.BIGINT, new long[] {Long.MAX_VALUE, 4}, new long[] {1}, 2);
    assertEquals(Arrays.asList(null, 5L), values(sum.evaluate(batch(spoilt, one))));
    assertThrows(
        ExpressionException.class, () -> new Cast(in(0, big), Type.INT).evaluate(batch(big)));
  }

  @Test
  void aBranchSeesOnlyTheRowsThatReachIt() {
    Column n = Rows.column(Type.INT, Arrays.asList(0, 2, null, 5));
    Expression zero = new Comparison(Comparison.Op.EQ, in(0, n), Literal.of(Type.INT, 0));
    Expression isNull = new Logic.IsNull(in(0, n), false);
    Expression inverse =
        new Arithmetic(Arithmetic.Op.DIVIDE, Literal.of(Type.INT, 100), in(0, n), Type.INT);

    assertEquals(
        List.of(-1, 50, -2, 20),
        values(
            new CaseWhen(
                    List.of(zero, isNull),
                    List.of(Literal.of(Type.INT, -1), Literal.of(Type.INT, -2)),
                    inverse,
                    Type.INT)
                .evaluate(batch(n))));
  }

  @Test
  void truthHasThreeValues() {
    Boolean[] all = {true, false, null};
    List<Boolean> a = new ArrayList<>();
    List<Boolean> b = new ArrayList<>();
    for (Boolean p : all) {
      for (Boolean q : all) {
        a.add(p);
        b.add(q);
      }
    }
    Column x = Rows.column(Type.BOOLEAN, a);
    Column y = Rows.column(Type.BOOLEAN, b);

    assertEquals(
        Arrays.asList(true, false, null, false, false, false, null, false, null),
        values(new Logic.Junction(true, in(0, x, y), in(1, x, y)).evaluate(batch(x, y))));
    assertEquals(
        Arrays.asList(true, true, true, true, false, null, true, null, null),
        values(new Logic.Junction(false, in(0, x, y), in(1, x, y)).evaluate(batch(x, y))));
  }

  @Test
  void likeMatchesAsTheRegularExpressionThatMeansTheSame() {
    String[] letters = {"a", "b", "é", "%", "_", "ab"};
    for (int round = 0; round < 3000; round++) {
      StringBuilder pattern = new StringBuilder();
      StringBuilder regex = new StringBuilder();
      for (int i = random.nextInt(6); i > 0; i--) {
        String c = letters[random.nextInt(letters.length)];
        boolean escaped = (c.equals("%") || c.equals("_")) && random.nextBoolean();
        pattern.append(escaped ? "!" : "").append(c);
        regex.append(
            !escaped && c.equals("%") ? ".*" : !escaped && c.equals("_") ? "." : Pattern.quote(c));
      }
      StringBuilder text = new StringBuilder();
      for (int i = random.nextInt(7); i > 0; i--) {
        text.append(letters[random.nextInt(letters.length)]);
      }
      Column t = TextColumn.of(text.toString());

      Object ours = Texts.Like.of(in(0, t), pattern.toString(), '!').evaluate(batch(t)).value(0);

      assertEquals(
          text.toString().matches("(?s)" + regex),
          ours,
          "[%s] like [%s], seed %d".formatted(text, pattern, SEED));
    }
  }

  @ParameterizedTest
  @CsvSource({
    "tensão alta, 1, 3, ten",
    "tensão, 5, 2, ão",
    "tensão, 0, 3, te",
    "tensão, -5, 3, ''",
    "abc, 2, 99, bc",
    "abc, 9, 1, ''",
    "abc, -2147483648, 2147483647, ''",
    "abc, 2, 2147483647, bc",
    "🧵🪡x, 2, 1, 🪡"
  })
  void substringsCountCodePoints(String text, int from, int length, String expected) {
    Column t = TextColumn.of(text, null);

    Column ours =
        new Texts.Substring(
                in(0, t), Literal.of(Type.INT, from), Optional.of(Literal.of(Type.INT, length)))
            .evaluate(batch(t));

    assertEquals(Arrays.asList(expected, null), values(ours));
    assertEquals(
        text.codePointCount(0, text.length()),
        new Texts.Length(in(0, t)).evaluate(batch(t)).value(0));
  }

  @Test
  void textFunctionsWorkAlikeOnPlainAndCodedText() {
    TextColumn plain = TextColumn.of(" a ", "É", null, " a ", "", "É", "zz top", " a ");
    TextColumn entries = TextColumn.of(" a ", "É", "", "zz top");
    TextColumn coded =
        TextColumn.coded(
            entries.bytes(),
            entries.offsets(),
            4,
            new int[] {0, 1, 0, 0, 2, 1, 3, 0},
            new long[] {4},
            8);
    TextFunction trim = new TextFunctions.Trim(true, true, (byte) ' ');
    TextFunction replace = new TextFunctions.Replace(new byte[] {'z'}, new byte[] {'y', 'y'});
    List<Expression> functions =
        List.of(
            new Texts.Mapped(TextFunctions.Case.UPPER, in(0, plain)),
            new Texts.Mapped(TextFunctions.Case.LOWER, in(0, plain)),
            new Texts.Mapped(trim, in(0, plain)),
            new Texts.Mapped(replace, in(0, plain)),
            new Texts.Length(in(0, plain)));

    for (Expression f : functions) {
      assertEquals(values(f.evaluate(batch(plain))), values(f.evaluate(batch(coded))));
    }
    assertEquals(
        Arrays.asList("a", "É", null, "a", "", "É", "yyyy top", "a"),
        values(
            new Texts.Mapped(replace, new Texts.Mapped(trim, in(0, coded)))
                .evaluate(batch(coded))));
  }

  @Test
  void datesAgreeWithTheCalendar() {
    List<LocalDate> days = new ArrayList<>();
    for (int i = 0; i < 4000; i++) {
      days.add(LocalDate.ofEpochDay(random.nextInt(-200_000, 200_000)));
    }
    Column d = Rows.column(Type.DATE, days);
    List<Object> years = values(new Dates.Extract(Dates.Unit.YEAR, in(0, d)).evaluate(batch(d)));
    List<Object> weeks = values(new Dates.Extract(Dates.Unit.WEEK, in(0, d)).evaluate(batch(d)));
    List<Object> quarters =
        values(new Dates.Floor(Dates.Unit.QUARTER, in(0, d)).evaluate(batch(d)));
    List<Object> later = values(new Dates.Shift(in(0, d), 13, 0).evaluate(batch(d)));

    for (int i = 0; i < days.size(); i++) {
      LocalDate day = days.get(i);
      assertEquals((long) day.getYear(), years.get(i));
      assertEquals(
          (long) day.get(java.time.temporal.IsoFields.WEEK_OF_WEEK_BASED_YEAR), weeks.get(i));
      assertEquals(day.with(java.time.temporal.IsoFields.DAY_OF_QUARTER, 1), quarters.get(i));
      assertEquals(day.plusMonths(13), later.get(i));
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "int | 12 | 12",
        "int | 1.5 |",
        "int | 3000000000 |",
        "bigint | -9223372036854775808 | -9223372036854775808",
        "decimal(5, 2) | 123.456 | 123.46",
        "decimal(5, 2) | 12345 |",
        "double | 1e3 | 1000.0",
        "boolean | TRUE | true",
        "boolean | yes |",
        "date | 2026-02-29 |",
        "date | 2024-02-29 | 2024-02-29",
        "timestamp | 2026-03-01 | 2026-03-01T00:00"
      })
  void castsTextOrSaysWhatCannotBeCast(String type, String text, String expected) {
    Column t = TextColumn.of(" " + text + " ", null);
    Cast cast = new Cast(in(0, t), Type.parse(type));

    if (expected == null) {
      assertTrue(
          assertThrows(ExpressionException.class, () -> cast.evaluate(batch(t)))
              .getMessage()
              .contains("[ " + text + " ] to " + type));
    } else {
      assertEquals(
          Arrays.asList(expected, "null"),
          values(cast.evaluate(batch(t))).stream()
              .map(v -> v instanceof LocalDateTime x ? x.toString() : String.valueOf(v))
              .toList());
    }
  }
}
