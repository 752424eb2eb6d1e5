package yardage.core.feed.propose;

import yardage.core.column.Json;

/** Texts as YAML writes them. */
final class Yaml {
  private Yaml() {}

  /** A value of its own line. */
  static String scalar(String text) {
    boolean plain =
        text.matches("[A-Za-z_/][A-Za-z0-9_ ./()-]*")
            && !text.endsWith(" ")
            && !text.matches("(?i)true|false|null|yes|no|on|off|~");
    return plain ? text : quoted(text);
  }

  /** A value inside braces or brackets. */
  static String flow(String text) {
    return text.matches("[A-Za-z_][A-Za-z0-9_./-]*")
            && !text.matches("(?i)true|false|null|yes|no|on|off|~")
        ? text
        : quoted(text);
  }

  private static String quoted(String text) {
    StringBuilder out = new StringBuilder();
    Json.quote(text, out);
    return out.toString();
  }
}
