package yardage.core.expr;

import java.time.DateTimeException;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.format.DateTimeFormatter;
import java.time.temporal.TemporalAccessor;
import java.util.Locale;
import yardage.core.column.*;

/** Dates and times written and read by a pattern, whose letters are those of feeds. */
public final class TimeTexts {
  private static final String LETTERS = "yMdHhmsSa";

  private TimeTexts() {}

  /**
   * The pattern as the platform reads it: years of the calendar, strictly.
   *
   * @throws ExpressionException for a letter that feeds do not have
   */
  private static DateTimeFormatter formatter(String pattern) {
    boolean quoted = false;
    for (int i = 0; i < pattern.length(); i++) {
      char c = pattern.charAt(i);
      quoted ^= c == '\'';
      if (!quoted && Character.isLetter(c) && LETTERS.indexOf(c) < 0) {
        throw new ExpressionException(
            "[%s] cannot stand in the pattern [%s]; there are y, M, d, H, h, m, s, S and a, as in yyyy-MM-dd HH:mm; letters that stand for themselves go into quotes"
                .formatted(c, pattern));
      }
    }
    try {
      return DateTimeFormatter.ofPattern(pattern.replace('y', 'u'), Locale.ENGLISH)
          .withResolverStyle(java.time.format.ResolverStyle.STRICT);
    } catch (IllegalArgumentException e) {
      throw new ExpressionException(
          "[%s] is not a pattern of times: %s".formatted(pattern, e.getMessage()));
    }
  }

  /** {@code TO_CHAR(time, pattern)}. */
  public record Formatted(Expression operand, String pattern) implements Expression {
    public Formatted {
      try {
        formatter(pattern).format(sample(operand.type()));
      } catch (DateTimeException e) {
        throw new ExpressionException(
            "The pattern [%s] asks for days, which a %s has not"
                .formatted(pattern, operand.type()));
      }
    }

    private static TemporalAccessor sample(Type type) {
      return type.kind() == Type.Kind.TIME ? LocalTime.MIDNIGHT : LocalDateTime.MIN;
    }

    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      DateTimeFormatter format = formatter(pattern);
      Column column = operand.evaluate(batch);
      LongColumn times = Dates.times(column);
      boolean ofDay = column.type().kind() == Type.Kind.TIME;
      TextBuilder out = new TextBuilder();
      for (int r = 0; r < times.size(); r++) {
        if (times.isNull(r)) {
          out.appendNull();
        } else {
          LocalDateTime time = Values.timestamp(times.values()[r]);
          out.append(format.format(ofDay ? time.toLocalTime() : time));
        }
      }
      return out.build();
    }
  }

  /** {@code TO_DATE(text, pattern)}, {@code TO_TIME} and {@code TO_TIMESTAMP}. */
  public record Read(Expression operand, String pattern, Type type) implements Expression {
    public Read {
      formatter(pattern);
    }

    @Override
    public Column evaluate(Batch batch) {
      DateTimeFormatter format = formatter(pattern);
      TextColumn text = (TextColumn) operand.evaluate(batch);
      ColumnBuilder out = ColumnBuilder.of(type);
      for (int r = 0; r < text.size(); r++) {
        if (text.isNull(r)) {
          out.appendNull();
        } else {
          out.append(read(text.value(r), format).column(1), 0);
        }
      }
      return out.build();
    }

    private Literal read(String text, DateTimeFormatter format) {
      try {
        return switch (type.kind()) {
          case DATE ->
              Literal.of(type, Math.toIntExact(LocalDate.parse(text, format).toEpochDay()));
          case TIME -> Literal.of(type, Values.micros(LocalTime.parse(text, format)));
          default -> Literal.of(type, Values.micros(LocalDateTime.parse(text, format)));
        };
      } catch (DateTimeException e) {
        throw new ExpressionException(
            "[%s] is not %s as the pattern [%s] has it".formatted(text, type, pattern));
      }
    }
  }
}
