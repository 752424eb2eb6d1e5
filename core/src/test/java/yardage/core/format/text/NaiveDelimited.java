package yardage.core.format.text;

import java.util.ArrayList;
import java.util.List;

/**
 * The rules of delimited text as plainly as they can be said: the oracle of the fast reader.
 * Separator comma, quote {@code "}.
 */
final class NaiveDelimited {
  private NaiveDelimited() {}

  /** The records with the right number of fields; an unquoted empty field is null. */
  static List<List<Object>> goodRows(String text, int width) {
    List<List<Object>> out = new ArrayList<>();
    String t = text.isEmpty() || text.endsWith("\n") ? text : text + "\n";
    int at = 0;
    while (at < t.length()) {
      List<Object> fields = new ArrayList<>();
      boolean bad = false;
      int start = at;
      int next = at;
      while (true) {
        if (next < t.length() && t.charAt(next) == '"') {
          StringBuilder value = new StringBuilder();
          int i = next + 1;
          while (i < t.length()
              && !(t.charAt(i) == '"' && !(i + 1 < t.length() && t.charAt(i + 1) == '"'))) {
            value.append(t.charAt(i));
            i += t.charAt(i) == '"' ? 2 : 1;
          }
          if (i >= t.length()) {
            // Never closed: the line on which it opens is given up, and reading goes on with the
            // next.
            bad = true;
            next = t.indexOf('\n', start);
            fields = List.of();
            break;
          }
          i++;
          int stop = i;
          while (",\n".indexOf(t.charAt(stop)) < 0) {
            stop++;
          }
          boolean clean =
              stop == i || (t.charAt(stop) == '\n' && stop == i + 1 && t.charAt(i) == '\r');
          // A bare carriage return is told from text only by what follows; the reader lets it pass.
          bad |= !clean && t.charAt(i) != '\r';
          fields.add(value.toString());
          next = stop;
        } else {
          int stop = next;
          while (",\n".indexOf(t.charAt(stop)) < 0) {
            stop++;
          }
          String value = t.substring(next, stop);
          if (t.charAt(stop) == '\n' && value.endsWith("\r")) {
            value = value.substring(0, value.length() - 1);
          }
          fields.add(value.isEmpty() ? null : value);
          next = stop;
        }
        if (t.charAt(next) == '\n') {
          break;
        }
        next++;
      }
      boolean empty = next == start || (next == start + 1 && t.charAt(start) == '\r');
      if (!bad && !empty && fields.size() == width) {
        out.add(fields);
      }
      at = next + 1;
    }
    return out;
  }
}
