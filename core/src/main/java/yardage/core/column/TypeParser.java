package yardage.core.column;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;

/** Reads types as text. */
final class TypeParser {
  private final String text;
  private int at;

  TypeParser(String text) {
    this.text = text;
  }

  /** A name as it stands in a struct: in double quotes unless it is plain. */
  static String quoted(String name) {
    return name.matches("[A-Za-z_][A-Za-z0-9_]*") ? name : '"' + name.replace("\"", "\"\"") + '"';
  }

  Type parse() {
    Type type = type(0);
    blanks();
    if (at < text.length()) {
      throw unknown();
    }
    return type;
  }

  private IllegalArgumentException unknown() {
    if (text.indexOf('(') >= 0 && text.indexOf(')') < 0) {
      return new IllegalArgumentException(
          "Type [%s] breaks off at its comma: inside { } put it in double quotes, as in \"decimal(9, 2)\""
              .formatted(text));
    }
    return new IllegalArgumentException(
        "Unknown type [%s]: use boolean, int, bigint, float, double, decimal(p, s), varchar, binary, uuid, date, time, timestamp, timestamp with time zone, struct(name type, …), list(type) or map(type, type)"
            .formatted(text));
  }

  private Type type(int depth) {
    if (depth > Type.MAX_DEPTH) {
      throw new IllegalArgumentException(
          "Type [%s…] is nested more than %d deep"
              .formatted(text.substring(0, Math.min(40, text.length())), Type.MAX_DEPTH));
    }
    String word = word().toLowerCase(Locale.ROOT);
    switch (word) {
      case "boolean":
        return Type.BOOLEAN;
      case "int", "integer":
        return Type.INT;
      case "bigint":
        return Type.BIGINT;
      case "float", "real":
        return Type.FLOAT;
      case "double":
        secondWord("precision");
        return Type.DOUBLE;
      case "varchar", "text":
        return Type.VARCHAR;
      case "character":
        if (!secondWord("varying")) {
          throw unknown();
        }
        return Type.VARCHAR;
      case "date":
        return Type.DATE;
      case "binary", "varbinary":
        return Type.BINARY;
      case "uuid":
        return Type.UUID;
      case "time":
        withoutZone();
        return Type.TIME;
      case "timestamp":
        if (secondWord("with")) {
          timeZone();
          return Type.TIMESTAMP_TZ;
        }
        withoutZone();
        return Type.TIMESTAMP;
      case "decimal", "numeric":
        expect('(');
        int precision = number();
        int scale = accept(',') ? number() : 0;
        expect(')');
        return Type.decimal(precision, scale);
      case "list":
        expect('(');
        Type element = type(depth + 1);
        expect(')');
        return Type.list(element);
      case "map":
        expect('(');
        Type key = type(depth + 1);
        expect(',');
        Type value = type(depth + 1);
        expect(')');
        if (key.isNested()) {
          throw new IllegalArgumentException("The keys of a map must be plain values, not " + key);
        }
        return Type.map(key, value);
      case "struct":
        return struct(depth);
      default:
        throw unknown();
    }
  }

  private Type struct(int depth) {
    expect('(');
    List<Type.Part> fields = new ArrayList<>();
    do {
      blanks();
      String name = at < text.length() && text.charAt(at) == '"' ? quotedName() : word();
      if (name.isEmpty()) {
        throw unknown();
      }
      fields.add(new Type.Part(name, type(depth + 1)));
    } while (accept(','));
    expect(')');
    return Type.struct(fields);
  }

  private String quotedName() {
    StringBuilder out = new StringBuilder();
    at++;
    while (at < text.length()) {
      char c = text.charAt(at++);
      if (c == '"') {
        if (at == text.length() || text.charAt(at) != '"') {
          return out.toString();
        }
        at++;
      }
      out.append(c);
    }
    throw unknown();
  }

  private void blanks() {
    while (at < text.length() && Character.isWhitespace(text.charAt(at))) {
      at++;
    }
  }

  private String word() {
    blanks();
    int start = at;
    while (at < text.length()
        && (Character.isLetterOrDigit(text.charAt(at)) || "_-".indexOf(text.charAt(at)) >= 0)) {
      at++;
    }
    return text.substring(start, at);
  }

  /** Takes {@code without time zone}, if it is there, which says what is so anyhow. */
  private void withoutZone() {
    if (secondWord("without")) {
      timeZone();
    }
  }

  private void timeZone() {
    if (!secondWord("time") || !secondWord("zone")) {
      throw unknown();
    }
  }

  private boolean secondWord(String wanted) {
    int before = at;
    if (word().equalsIgnoreCase(wanted)) {
      return true;
    }
    at = before;
    return false;
  }

  private int number() {
    String digits = word();
    if (!digits.matches("\\d{1,3}")) {
      throw unknown();
    }
    return Integer.parseInt(digits);
  }

  private boolean accept(char c) {
    blanks();
    if (at < text.length() && text.charAt(at) == c) {
      at++;
      return true;
    }
    return false;
  }

  private void expect(char c) {
    if (!accept(c)) {
      throw unknown();
    }
  }
}
