package yardage.core.format.json;

import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import yardage.core.format.record.Swar;
import yardage.core.format.record.Utf8;

/**
 * The grammar of JSON (RFC 8259) over bytes: finds where values end, strictly, and decodes strings.
 * Nothing here recurses. One thread at a time.
 */
final class JsonText {
  /** Deeper values are refused. */
  static final int MAX_DEPTH = 512;

  private static final long QUOTES = Swar.pattern('"');
  private static final long BACKSLASHES = Swar.pattern('\\');
  private static final long BLANKS = Swar.pattern(' ');
  private static final long ZEROS = Swar.pattern('0');

  /** Added to the value of a digit it stays below the high bit, and added to anything more not. */
  private static final long BEYOND_DIGITS = Swar.pattern(0x80 - 10);

  /** Text that is not JSON; made once for each record that is set aside, so it keeps no stack. */
  static final class Malformed extends RuntimeException {
    final int at;
    final boolean tooDeep;

    Malformed(int at, String message, boolean tooDeep) {
      super(message, null, false, false);
      this.at = at;
      this.tooDeep = tooDeep;
    }
  }

  byte[] b;
  int limit;

  /** Whether the string that {@link #stringEnd} passed last has escapes. */
  boolean escaped;

  /** Whether the number that {@link #numberEnd} passed last has an exponent, or a point. */
  boolean exponent;

  boolean point;

  /**
   * The closing quote of the name that {@link #nameEnd} passed last, and whether it has escapes.
   */
  int nameStop;

  boolean nameEscaped;

  private final long[] objects = new long[MAX_DEPTH / 64 + 1];

  /**
   * @param limit {@code b} can be read up to sixteen bytes beyond it
   */
  JsonText(byte[] b, int limit) {
    turnTo(b, limit);
  }

  /**
   * Turns to other text.
   *
   * @param limit {@code b} can be read up to sixteen bytes beyond it
   */
  void turnTo(byte[] b, int limit) {
    this.b = b;
    this.limit = limit;
  }

  Malformed malformed(int at, String wanted) {
    String found =
        at >= limit
            ? "the record ends"
            : "[%s] stands"
                .formatted(
                    new String(b, at, Math.min(20, limit - at), StandardCharsets.UTF_8)
                        .replaceAll("\\p{Cntrl}.*", ""));
    return new Malformed(at, found + " where " + wanted, false);
  }

  int blanks(int at) {
    // Nearly always there is none.
    while (b[at] <= ' ' && at < limit && isBlank(b[at])) {
      at++;
    }
    return at;
  }

  private static boolean isBlank(byte c) {
    return c == ' ' || c == '\t' || c == '\n' || c == '\r';
  }

  /** Behind the closing quote of the string that opens at {@code at}. */
  int stringEnd(int at) {
    int i = at + 1;
    escaped = false;
    while (true) {
      long word = i <= limit ? (long) Swar.LONG.get(b, i) : 0;
      // Quotes, backslashes and control characters; bytes beyond ASCII may hit as well.
      long hits =
          (Swar.roughMatch(word, QUOTES)
                  | Swar.roughMatch(word, BACKSLASHES)
                  | word - BLANKS & ~word)
              & Swar.HIGH;
      if (hits == 0) {
        i += 8;
        if (i >= limit) {
          throw malformed(limit, "a string goes on");
        }
        continue;
      }
      i += Long.numberOfTrailingZeros(hits) >>> 3;
      if (i >= limit) {
        throw malformed(limit, "a string goes on");
      }
      byte c = b[i];
      if (c == '"') {
        return i + 1;
      }
      if (c == '\\') {
        escaped = true;
        i = escapeEnd(i);
      } else if (c >= 0 && c < 0x20) {
        throw malformed(i, "a string holds a control character, which must be escaped");
      } else {
        i++;
      }
    }
  }

  private int escapeEnd(int at) {
    byte c = at + 1 < limit ? b[at + 1] : 0;
    if (c == 'u') {
      for (int i = at + 2; i < at + 6; i++) {
        if (i >= limit || Character.digit(b[i], 16) < 0) {
          throw malformed(i, "four hexadecimal digits follow \\u");
        }
      }
      return at + 6;
    }
    if ("\"\\/bfnrt".indexOf(c) < 0 || c == 0) {
      throw malformed(at, "an escape must be one of \\\" \\\\ \\/ \\b \\f \\n \\r \\t \\u");
    }
    return at + 2;
  }

  /** Behind the number that starts at {@code at}. */
  int numberEnd(int at) {
    int i = at;
    if (b[i] == '-') {
      i++;
    }
    if (i < limit && b[i] == '0') {
      i++;
    } else {
      i = digits(i);
    }
    point = i < limit && b[i] == '.';
    if (point) {
      i = digits(i + 1);
    }
    exponent = i < limit && (b[i] | 0x20) == 'e';
    if (exponent) {
      i++;
      if (i < limit && (b[i] == '+' || b[i] == '-')) {
        i++;
      }
      i = digits(i);
    }
    return i;
  }

  private int digits(int at) {
    int i = at;
    while (i < limit) {
      long values = (long) Swar.LONG.get(b, i) ^ ZEROS;
      long others = ((values & ~Swar.HIGH) + BEYOND_DIGITS | values) & Swar.HIGH;
      if (others != 0) {
        i += Long.numberOfTrailingZeros(others) >>> 3;
        break;
      }
      i += 8;
    }
    i = Math.min(i, limit);
    if (i <= at) {
      throw malformed(at, "a digit must stand");
    }
    return i;
  }

  private int word(int at, String word) {
    for (int i = 0; i < word.length(); i++) {
      if (at + i >= limit || b[at + i] != word.charAt(i)) {
        throw malformed(at, "a value must stand");
      }
    }
    return at + word.length();
  }

  /** Behind a value that is no object and no array. */
  int scalarEnd(int at) {
    if (at >= limit) {
      throw malformed(at, "a value must stand");
    }
    return switch (b[at]) {
      case '"' -> stringEnd(at);
      case 't' -> word(at, "true");
      case 'f' -> word(at, "false");
      case 'n' -> word(at, "null");
      case '-', '0', '1', '2', '3', '4', '5', '6', '7', '8', '9' -> numberEnd(at);
      default -> throw malformed(at, "a value must stand");
    };
  }

  /** Behind the value that starts at {@code at}, all of which is looked at. */
  int valueEnd(int at) {
    byte c = at < limit ? b[at] : 0;
    if (c != '{' && c != '[') {
      return scalarEnd(at);
    }
    int depth = 0;
    int i = at;
    while (true) {
      // Here a value starts.
      c = i < limit ? b[i] : 0;
      if (c == '{' || c == '[') {
        if (depth == MAX_DEPTH) {
          throw new Malformed(i, "values are nested more than %d deep".formatted(MAX_DEPTH), true);
        }
        boolean object = c == '{';
        if (object) {
          objects[depth >> 6] |= 1L << depth;
        } else {
          objects[depth >> 6] &= ~(1L << depth);
        }
        depth++;
        i = blanks(i + 1);
        if (i < limit && b[i] == (object ? '}' : ']')) {
          i++;
          depth--;
        } else {
          if (object) {
            i = nameEnd(i);
          }
          continue;
        }
      } else {
        i = scalarEnd(i);
      }
      // Here a value has ended: close what closes, up to the next value.
      while (true) {
        if (depth == 0) {
          return i;
        }
        boolean object = (objects[depth - 1 >> 6] & 1L << depth - 1) != 0;
        i = blanks(i);
        c = i < limit ? b[i] : 0;
        if (c == ',') {
          i = blanks(i + 1);
          if (object) {
            i = nameEnd(i);
          }
          break;
        }
        if (c != (object ? '}' : ']')) {
          throw malformed(i, object ? "[,] or [}] must stand" : "[,] or []] must stand");
        }
        i++;
        depth--;
      }
    }
  }

  /** Where the value starts of the member whose name starts at {@code at}. */
  int nameEnd(int at) {
    if (at >= limit || b[at] != '"') {
      throw malformed(at, "a name in quotes must stand");
    }
    int end = stringEnd(at);
    nameStop = end - 1;
    nameEscaped = escaped;
    int i = blanks(end);
    if (i >= limit || b[i] != ':') {
      throw malformed(i, "[:] must stand");
    }
    return blanks(i + 1);
  }

  /**
   * Decodes the inside {@code [start, end)} of a string into {@code out} and returns how many bytes
   * that are. Half a surrogate pair becomes bytes that are no UTF-8.
   */
  int decode(int start, int end, byte[] out, int at) {
    int n = at;
    int i = start;
    while (i < end) {
      if (b[i] != '\\') {
        out[n++] = b[i++];
        continue;
      }
      byte c = b[i + 1];
      i += 2;
      switch (c) {
        case 'b' -> out[n++] = '\b';
        case 'f' -> out[n++] = '\f';
        case 'n' -> out[n++] = '\n';
        case 'r' -> out[n++] = '\r';
        case 't' -> out[n++] = '\t';
        case 'u' -> {
          int unit = unit(i);
          i += 4;
          if (Character.isHighSurrogate((char) unit)
              && i + 6 <= end
              && b[i] == '\\'
              && b[i + 1] == 'u'
              && Character.isLowSurrogate((char) unit(i + 2))) {
            unit = Character.toCodePoint((char) unit, (char) unit(i + 2));
            i += 6;
          }
          n = Utf8.put(unit, out, n);
        }
        default -> out[n++] = c;
      }
    }
    return n - at;
  }

  private int unit(int at) {
    int v = 0;
    for (int i = at; i < at + 4; i++) {
      v = v << 4 | Character.digit(b[i], 16);
    }
    return v;
  }

  /** The decoded inside of a string, for the few that are needed as text. */
  String string(int start, int end) {
    byte[] out = new byte[end - start];
    return new String(out, 0, decode(start, end, out, 0), StandardCharsets.UTF_8);
  }

  /**
   * A number without exponent and without zeros at its end, as columns of whole numbers and
   * decimals read them; as it is when it is out of their reach anyway.
   */
  static String plainNumber(String text) {
    int e = Math.max(text.indexOf('e'), text.indexOf('E'));
    if (e >= 0 && text.length() - e > 5) {
      return text;
    }
    BigDecimal d = new BigDecimal(text);
    return Math.abs((long) d.scale()) > 400 ? text : d.stripTrailingZeros().toPlainString();
  }
}
