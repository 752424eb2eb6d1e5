package yardage.client;

import java.io.PrintStream;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import tools.jackson.databind.JsonNode;

/** Prints rows as an aligned table for people, or as JSON or CSV for programs. */
final class Output {
  /** The formats. */
  enum Format {
    table,
    json,
    csv
  }

  /** A column: its heading, and whether it is right-aligned. */
  record Heading(String text, boolean right) {
    static Heading left(String text) {
      return new Heading(text, false);
    }

    static Heading right(String text) {
      return new Heading(text, true);
    }

    /** Of values of a type: numbers stand on the right. */
    static Heading of(String text, String type) {
      return new Heading(text, type.matches("(int|bigint|float|double|decimal).*"));
    }
  }

  private Output() {}

  static void table(PrintStream out, List<Heading> headings, List<List<String>> rows) {
    headings = headings.stream().map(h -> new Heading(Terminal.line(h.text()), h.right())).toList();
    rows = rows.stream().map(r -> r.stream().map(Terminal::line).toList()).toList();
    List<Heading> safe = headings;
    int[] widths = new int[headings.size()];
    for (int c = 0; c < widths.length; c++) {
      widths[c] = width(headings.get(c).text());
      for (List<String> row : rows) {
        widths[c] = Math.max(widths[c], width(row.get(c)));
      }
    }
    out.println(line(headings.stream().map(Heading::text).toList(), headings, widths));
    List<String> rule = new ArrayList<>();
    for (int w : widths) {
      rule.add("\u2500".repeat(w));
    }
    out.println(String.join("\u2500\u2500", rule));
    rows.forEach(r -> out.println(line(r, safe, widths)));
  }

  static String line(List<String> cells, List<Heading> headings, int[] widths) {
    StringBuilder out = new StringBuilder();
    for (int c = 0; c < widths.length; c++) {
      String pad = " ".repeat(widths[c] - width(cells.get(c)));
      out.append(c == 0 ? "" : "  ")
          .append(headings.get(c).right() ? pad + cells.get(c) : cells.get(c) + pad);
    }
    return out.toString().stripTrailing();
  }

  static int width(String text) {
    return text.codePointCount(0, text.length());
  }

  /**
   * @param asIs whether text that a spreadsheet would take for a formula stays as it is
   */
  static void csv(PrintStream out, List<String> headings, List<List<String>> rows, boolean asIs) {
    out.print(record(headings, asIs));
    rows.forEach(r -> out.print(record(r, asIs)));
  }

  /** A text that no spreadsheet runs: an apostrophe in front, unless it is a number. */
  static String harmless(String text) {
    boolean formula =
        !text.isEmpty()
            && "=+-@\t\r\uff1d\uff0b\uff0d\uff20".indexOf(text.charAt(0)) >= 0
            && !text.matches("[+-]\\d+(\\.\\d+)?([eE][+-]?\\d+)?");
    return formula ? "'" + text : text;
  }

  /**
   * One record as RFC 4180 has it. A null is nothing; an empty text is quoted, to tell them apart.
   */
  private static String record(List<String> cells, boolean asIs) {
    List<String> out = new ArrayList<>();
    for (String value : cells) {
      String cell = value == null || asIs ? value : harmless(value);
      if (cell == null) {
        out.add("");
      } else if (cell.isEmpty()
          || cell.chars().anyMatch(c -> c == ',' || c == '"' || c == '\n' || c == '\r')) {
        out.add('"' + cell.replace("\"", "\"\"") + '"');
      } else {
        out.add(cell);
      }
    }
    return String.join(",", out) + "\r\n";
  }

  /**
   * Whether a person looks on. From Java 22 a console is there even without one, and says so by a
   * method that 17 lacks.
   */
  static boolean isTerminal() {
    java.io.Console console = System.console();
    if (console == null) {
      return false;
    }
    try {
      return (boolean) java.io.Console.class.getMethod("isTerminal").invoke(console);
    } catch (ReflectiveOperationException e) {
      return true;
    }
  }

  /** A list of texts, one behind the other. */
  static String words(JsonNode list) {
    return String.join(", ", list.valueStream().map(JsonNode::asString).toList());
  }

  static String number(long n) {
    return String.format(Locale.ROOT, "%,d", n);
  }

  /** A count for a ledger: nothing for none. */
  static String count(long n) {
    return n == 0 ? "" : number(n);
  }

  static String bytes(long bytes) {
    String[] units = {"B", "kB", "MB", "GB", "TB"};
    double v = bytes;
    int u = 0;
    while (v >= 999.5 && u < units.length - 1) {
      v /= 1000;
      u++;
    }
    return String.format(Locale.ROOT, u > 0 && v < 9.95 ? "%.1f %s" : "%.0f %s", v, units[u]);
  }

  static String millis(long millis) {
    return millis < 60_000
        ? String.format(Locale.ROOT, "%.2f s", millis / 1000.0)
        : String.format(Locale.ROOT, "%d:%02d min", millis / 60_000, millis / 1000 % 60);
  }

  /** A time to the second, without a zone's name: the service's times are UTC. */
  static String time(String iso) {
    return iso.isEmpty() ? "" : iso.replace('T', ' ').replaceAll("(\\.\\d+)?Z$", "");
  }

  /**
   * Blanks at the ends as middle dots, control characters as symbols: what cannot be seen can
   * mislead.
   */
  static String visible(String text) {
    int start = 0;
    int end = text.length();
    while (start < end && text.charAt(start) == ' ') {
      start++;
    }
    while (end > start && text.charAt(end - 1) == ' ') {
      end--;
    }
    StringBuilder out = new StringBuilder("\u00b7".repeat(start));
    for (char c : text.substring(start, end).toCharArray()) {
      out.append(c < 0x20 ? (char) (0x2400 + c) : c);
    }
    return out.append("\u00b7".repeat(text.length() - end)).toString();
  }
}
