package yardage.core.format.xml;

import javax.xml.XMLConstants;
import org.w3c.dom.TypeInfo;
import yardage.core.format.record.IsoTime;

/**
 * The types of W3C XML Schema part 2 whose values can be told from others by a glance. A value that
 * is not accepted here may still be one: the validator says so then.
 */
enum ValueType {
  ANY("string", "normalizedString", "token", "anySimpleType"),
  DECIMAL("decimal"),
  LONG(Long.MIN_VALUE, Long.MAX_VALUE, "integer", "long"),
  INT(Integer.MIN_VALUE, Integer.MAX_VALUE, "int"),
  SHORT(Short.MIN_VALUE, Short.MAX_VALUE, "short"),
  NOT_NEGATIVE(0, Long.MAX_VALUE, "nonNegativeInteger", "unsignedLong"),
  POSITIVE(1, Long.MAX_VALUE, "positiveInteger"),
  UNSIGNED_INT(0, 0xFFFFFFFFL, "unsignedInt"),
  UNSIGNED_SHORT(0, 0xFFFF, "unsignedShort"),
  DATE("date"),
  DATE_TIME("dateTime"),
  OTHER;

  private static final int MOST_DIGITS = 18;

  private final String[] names;
  private final long least;
  private final long most;

  ValueType(String... names) {
    this(0, 0, names);
  }

  ValueType(long least, long most, String... names) {
    this.names = names;
    this.least = least;
    this.most = most;
  }

  /**
   * The type that the validator names, if it is one of the standard's own. A type made from one,
   * with or without rules, is another: the validator does not tell which.
   */
  static ValueType of(TypeInfo type) {
    if (type != null && XMLConstants.W3C_XML_SCHEMA_NS_URI.equals(type.getTypeNamespace())) {
      for (ValueType t : values()) {
        for (String name : t.names) {
          if (name.equals(type.getTypeName())) {
            return t;
          }
        }
      }
    }
    return OTHER;
  }

  boolean accepts(byte[] b, int from, int to) {
    if (this == ANY || this == OTHER) {
      return this == ANY;
    }
    int start = from;
    int end = to;
    while (start < end && isBlank(b[start])) {
      start++;
    }
    while (end > start && isBlank(b[end - 1])) {
      end--;
    }
    return switch (this) {
      case DATE -> isYear(b, start) && IsoTime.parseDate(b, start, end) != IsoTime.INVALID;
      case DATE_TIME ->
          end - start == 19
              && b[start + 10] == 'T'
              && isYear(b, start)
              && IsoTime.parseTime(b, start, end) != IsoTime.INVALID;
      default -> isNumber(b, start, end);
    };
  }

  /** The standard has no year 0. */
  private static boolean isYear(byte[] b, int start) {
    return b[start] != '0' || b[start + 1] != '0' || b[start + 2] != '0' || b[start + 3] != '0';
  }

  private static boolean isBlank(byte c) {
    return c == ' ' || c == '\t' || c == '\n' || c == '\r';
  }

  private boolean isNumber(byte[] b, int start, int end) {
    boolean negative = start < end && b[start] == '-';
    int first = start + (start < end && (negative || b[start] == '+') ? 1 : 0);
    int digits = 0;
    boolean point = false;
    long v = 0;
    for (int i = first; i < end; i++) {
      byte c = b[i];
      if (c == '.' && this == DECIMAL && !point) {
        point = true;
      } else if (c >= '0' && c <= '9') {
        v = v * 10 + c - '0';
        digits++;
      } else {
        return false;
      }
    }
    if (this == DECIMAL) {
      return digits > 0;
    }
    v = negative ? -v : v;
    return digits > 0 && digits <= MOST_DIGITS && v >= least && v <= most;
  }
}
