package yardage.core.column;

import java.util.List;
import java.util.Locale;
import java.util.stream.Collectors;

/**
 * A column type. Decimals carry their precision (up to 38 digits) and scale; for every other kind
 * both are zero. Those of up to 18 digits are held as scaled longs, wider ones as scaled numbers of
 * 128 bits. DATE is days since 1970-01-01; TIME is microseconds since midnight; TIMESTAMP is
 * microseconds since 1970-01-01T00:00 without a zone, and TIMESTAMP_TZ the same in UTC: an instant.
 * A FLOAT has the precision of 32 bits, and is held as a double of the same value. A UUID is 128
 * bits, BINARY bytes of any kind. Nested types have parts: a STRUCT its fields, a LIST its one
 * element, a MAP its key and its value.
 */
public record Type(Kind kind, int precision, int scale, List<Part> parts) {

  /** The closed set of kinds; a new kind must be given a place in every switch over it. */
  public enum Kind {
    BOOLEAN,
    INT,
    BIGINT,
    FLOAT,
    DOUBLE,
    DECIMAL,
    VARCHAR,
    BINARY,
    UUID,
    DATE,
    TIME,
    TIMESTAMP,
    TIMESTAMP_TZ,
    STRUCT,
    LIST,
    MAP
  }

  /**
   * How a column holds values: what all code asks that copies, compares or writes them whatever
   * they mean. A new kind that is held like one of before needs nothing there.
   */
  public enum Held {
    TRUTHS,
    INTS,
    LONGS,
    WIDES,
    DOUBLES,
    BYTES,
    STRUCTS,
    LISTS
  }

  /** A named part of a nested type. */
  public record Part(String name, Type type) {}

  public static final int MAX_DECIMAL_PRECISION = 38;

  /** The most digits of a decimal that is held in a long. */
  public static final int MAX_LONG_DIGITS = 18;

  /** Deeper types are refused: nobody means them, and readers recurse. */
  public static final int MAX_DEPTH = 32;

  public static final String ELEMENT = "element";
  public static final String KEY = "key";
  public static final String VALUE = "value";

  public static final Type BOOLEAN = new Type(Kind.BOOLEAN);
  public static final Type INT = new Type(Kind.INT);
  public static final Type BIGINT = new Type(Kind.BIGINT);
  public static final Type FLOAT = new Type(Kind.FLOAT);
  public static final Type DOUBLE = new Type(Kind.DOUBLE);
  public static final Type VARCHAR = new Type(Kind.VARCHAR);
  public static final Type BINARY = new Type(Kind.BINARY);
  public static final Type UUID = new Type(Kind.UUID);
  public static final Type DATE = new Type(Kind.DATE);
  public static final Type TIME = new Type(Kind.TIME);
  public static final Type TIMESTAMP = new Type(Kind.TIMESTAMP);
  public static final Type TIMESTAMP_TZ = new Type(Kind.TIMESTAMP_TZ);

  public Type {
    parts = List.copyOf(parts);
    if (kind == Kind.DECIMAL) {
      if (precision < 1 || precision > MAX_DECIMAL_PRECISION || scale < 0 || scale > precision) {
        throw new IllegalArgumentException(
            "Invalid decimal(%d, %d): precision must be 1 to %d and scale 0 to precision"
                .formatted(precision, scale, MAX_DECIMAL_PRECISION));
      }
    } else if (precision != 0 || scale != 0) {
      throw new IllegalArgumentException("Only decimals have a precision: " + kind);
    }
    int fewest = kind == Kind.STRUCT || kind == Kind.LIST ? 1 : kind == Kind.MAP ? 2 : 0;
    if (parts.size() < fewest || (kind != Kind.STRUCT && parts.size() > fewest)) {
      throw new IllegalArgumentException(
          "Invalid %s of %d parts".formatted(kind.name().toLowerCase(Locale.ROOT), parts.size()));
    }
    long names = parts.stream().map(p -> p.name().toLowerCase(Locale.ROOT)).distinct().count();
    if (names < parts.size()) {
      throw new IllegalArgumentException(
          "A struct names a field twice: "
              + parts.stream().map(Part::name).collect(Collectors.joining(", ")));
    }
  }

  private Type(Kind kind) {
    this(kind, 0, 0, List.of());
  }

  public static Type decimal(int precision, int scale) {
    return new Type(Kind.DECIMAL, precision, scale, List.of());
  }

  public static Type struct(List<Part> fields) {
    return new Type(Kind.STRUCT, 0, 0, fields);
  }

  public static Type list(Type element) {
    return new Type(Kind.LIST, 0, 0, List.of(new Part(ELEMENT, element)));
  }

  public static Type map(Type key, Type value) {
    return new Type(Kind.MAP, 0, 0, List.of(new Part(KEY, key), new Part(VALUE, value)));
  }

  /**
   * Reads a type as SQL writes it: {@code int}, {@code bigint}, {@code float}, {@code double},
   * {@code decimal(9, 2)}, {@code varchar}, {@code binary}, {@code uuid}, {@code boolean}, {@code
   * date}, {@code time}, {@code timestamp}, {@code timestamp with time zone}; and {@code struct(a
   * int, b varchar)}, {@code list(int)}, {@code map(varchar, int)}.
   *
   * @throws IllegalArgumentException naming the types that exist
   */
  public static Type parse(String text) {
    return new TypeParser(text).parse();
  }

  public boolean isNested() {
    return !parts.isEmpty();
  }

  public Held held() {
    return switch (kind) {
      case BOOLEAN -> Held.TRUTHS;
      case INT, DATE -> Held.INTS;
      case BIGINT, TIME, TIMESTAMP, TIMESTAMP_TZ -> Held.LONGS;
      case DECIMAL -> isWide() ? Held.WIDES : Held.LONGS;
      case UUID -> Held.WIDES;
      case FLOAT, DOUBLE -> Held.DOUBLES;
      case VARCHAR, BINARY -> Held.BYTES;
      case STRUCT -> Held.STRUCTS;
      case LIST, MAP -> Held.LISTS;
    };
  }

  /** Whether values have a day: dates and points in time. */
  public boolean hasDays() {
    return kind == Kind.DATE || isTimestamp();
  }

  /** Whether values are microseconds since 1970, with a zone or without. */
  public boolean isTimestamp() {
    return kind == Kind.TIMESTAMP || kind == Kind.TIMESTAMP_TZ;
  }

  /** A number that is rounded to so many binary digits. */
  public boolean isApproximate() {
    return kind == Kind.FLOAT || kind == Kind.DOUBLE;
  }

  public boolean isNumeric() {
    return switch (kind) {
      case INT, BIGINT, FLOAT, DOUBLE, DECIMAL -> true;
      default -> false;
    };
  }

  /** Whether values are decimals of more digits than a long holds. */
  public boolean isWide() {
    return precision > MAX_LONG_DIGITS;
  }

  /** The most digits before the point of an exact number: 10 of an int, 19 of a bigint. */
  public int wholeDigits() {
    return switch (kind) {
      case INT -> 10;
      case BIGINT -> 19;
      case DECIMAL -> precision - scale;
      default -> throw new IllegalStateException("Not an exact number: " + this);
    };
  }

  /** The element of a list. */
  public Type element() {
    return parts.get(0).type();
  }

  /** What a map holds: structs of a key and a value. */
  public Type entry() {
    return struct(parts);
  }

  /** The place of a struct's field whatever the case of its name, or -1. */
  public int indexOf(String field) {
    for (int i = 0; i < parts.size(); i++) {
      if (parts.get(i).name().equalsIgnoreCase(field)) {
        return i;
      }
    }
    return -1;
  }

  @Override
  public String toString() {
    return switch (kind) {
      case DECIMAL -> "decimal(%d, %d)".formatted(precision, scale);
      case STRUCT ->
          parts.stream()
              .map(p -> TypeParser.quoted(p.name()) + " " + p.type())
              .collect(Collectors.joining(", ", "struct(", ")"));
      case LIST -> "list(%s)".formatted(element());
      case MAP -> "map(%s, %s)".formatted(parts.get(0).type(), parts.get(1).type());
      case TIMESTAMP_TZ -> "timestamp with time zone";
      default -> kind.name().toLowerCase(Locale.ROOT);
    };
  }
}
