package yardage.core.column;

import java.util.Locale;

/**
 * A column type. Decimals carry their precision (up to 18 digits, held as scaled longs) and scale;
 * for every other kind both are zero. DATE is days since 1970-01-01; TIMESTAMP is microseconds
 * since 1970-01-01T00:00 without a zone.
 */
public record Type(Kind kind, int precision, int scale) {

  /** The closed set of kinds; a new kind must be given a place in every switch over it. */
  public enum Kind {
    BOOLEAN,
    INT,
    BIGINT,
    DOUBLE,
    DECIMAL,
    VARCHAR,
    DATE,
    TIMESTAMP
  }

  public static final int MAX_DECIMAL_PRECISION = 18;

  public static final Type BOOLEAN = new Type(Kind.BOOLEAN, 0, 0);
  public static final Type INT = new Type(Kind.INT, 0, 0);
  public static final Type BIGINT = new Type(Kind.BIGINT, 0, 0);
  public static final Type DOUBLE = new Type(Kind.DOUBLE, 0, 0);
  public static final Type VARCHAR = new Type(Kind.VARCHAR, 0, 0);
  public static final Type DATE = new Type(Kind.DATE, 0, 0);
  public static final Type TIMESTAMP = new Type(Kind.TIMESTAMP, 0, 0);

  public Type {
    if (kind == Kind.DECIMAL) {
      if (precision < 1 || precision > MAX_DECIMAL_PRECISION || scale < 0 || scale > precision) {
        throw new IllegalArgumentException(
            "Invalid decimal(%d, %d): precision must be 1 to %d and scale 0 to precision"
                .formatted(precision, scale, MAX_DECIMAL_PRECISION));
      }
    } else if (precision != 0 || scale != 0) {
      throw new IllegalArgumentException("Only decimals have a precision: " + kind);
    }
  }

  public static Type decimal(int precision, int scale) {
    return new Type(Kind.DECIMAL, precision, scale);
  }

  /**
   * Reads a type as SQL writes it: {@code int}, {@code bigint}, {@code double}, {@code decimal(9,
   * 2)}, {@code varchar}, {@code boolean}, {@code date}, {@code timestamp}.
   *
   * @throws IllegalArgumentException naming the types that exist
   */
  public static Type parse(String text) {
    String t = text.trim().toLowerCase(Locale.ROOT).replaceAll("\\s+", " ");
    switch (t) {
      case "boolean":
        return BOOLEAN;
      case "int", "integer":
        return INT;
      case "bigint":
        return BIGINT;
      case "double", "double precision", "float":
        return DOUBLE;
      case "varchar", "text", "character varying":
        return VARCHAR;
      case "date":
        return DATE;
      case "timestamp":
        return TIMESTAMP;
      default:
        var m =
            java.util.regex.Pattern.compile(
                    "(?:decimal|numeric) ?\\( ?(\\d{1,3}) ?(?:, ?(\\d{1,3}) ?)?\\)")
                .matcher(t);
        if (m.matches()) {
          return decimal(
              Integer.parseInt(m.group(1)), m.group(2) == null ? 0 : Integer.parseInt(m.group(2)));
        }
        if (t.indexOf('(') >= 0 && t.indexOf(')') < 0) {
          throw new IllegalArgumentException(
              "Type [%s] breaks off at its comma: inside { } put it in double quotes, as in \"decimal(9, 2)\""
                  .formatted(text));
        }
        throw new IllegalArgumentException(
            "Unknown type [%s]: use boolean, int, bigint, double, decimal(p, s), varchar, date or timestamp"
                .formatted(text));
    }
  }

  public boolean isNumeric() {
    return kind == Kind.INT || kind == Kind.BIGINT || kind == Kind.DOUBLE || kind == Kind.DECIMAL;
  }

  /** Whether values are held in an {@code int[]} (INT, DATE). */
  public boolean isIntBacked() {
    return kind == Kind.INT || kind == Kind.DATE;
  }

  /** Whether values are held in a {@code long[]} (BIGINT, DECIMAL, TIMESTAMP). */
  public boolean isLongBacked() {
    return kind == Kind.BIGINT || kind == Kind.DECIMAL || kind == Kind.TIMESTAMP;
  }

  @Override
  public String toString() {
    return kind == Kind.DECIMAL
        ? "decimal(%d, %d)".formatted(precision, scale)
        : kind.name().toLowerCase(Locale.ROOT);
  }
}
