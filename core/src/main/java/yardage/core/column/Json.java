package yardage.core.column;

import java.math.BigDecimal;
import java.util.List;
import java.util.Map;

/** Writes single values as JSON (RFC 8259): dates, times and decimals keep every digit. */
public final class Json {
  private Json() {}

  /** {@code value} as {@link Column#value} gives it. */
  public static void write(Object value, StringBuilder out) {
    if (value == null
        || value instanceof Boolean
        || value instanceof Integer
        || value instanceof Long) {
      out.append(value);
    } else if (value instanceof BigDecimal d) {
      out.append(d.toPlainString());
    } else if (value instanceof Double || value instanceof Float) {
      // JSON has no word for these.
      boolean isNumber = Double.isFinite(((Number) value).doubleValue());
      out.append(isNumber ? value.toString() : "\"" + value + "\"");
    } else if (value instanceof List<?> list) {
      char before = '[';
      for (Object element : list) {
        out.append(before);
        write(element, out);
        before = ',';
      }
      out.append(list.isEmpty() ? "[]" : "]");
    } else if (value instanceof Map<?, ?> map) {
      char before = '{';
      for (Map.Entry<?, ?> e : map.entrySet()) {
        out.append(before);
        quote(Values.text(e.getKey()), out);
        out.append(':');
        write(e.getValue(), out);
        before = ',';
      }
      out.append(map.isEmpty() ? "{}" : "}");
    } else {
      quote(Values.text(value), out);
    }
  }

  /** Appends a string in quotes (section 7). */
  public static void quote(String text, StringBuilder out) {
    out.append('"');
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      if (c == '"' || c == '\\') {
        out.append('\\').append(c);
      } else if (c >= 0x20) {
        out.append(c);
      } else {
        switch (c) {
          case '\n' -> out.append("\\n");
          case '\r' -> out.append("\\r");
          case '\t' -> out.append("\\t");
          default -> out.append("\\u%04x".formatted((int) c));
        }
      }
    }
    out.append('"');
  }
}
