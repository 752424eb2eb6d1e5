package yardage.core.feed;

import java.util.regex.Pattern;

/**
 * A pattern over paths: {@code *} is any part of a name, {@code **} of a path, {@code ?} one
 * character, {@code [a-z]} and {@code [!a-z]} one of some, <code>{a,b}</code> one or the other; a
 * backslash takes the meaning from the next character. Slashes are matched by {@code **} only.
 *
 * @param regex of whole paths
 */
record Glob(String text, Pattern regex) {
  private static final String REGEX_SIGNS = ".^$+{[]|()\\*?}&-";

  /**
   * @throws IllegalArgumentException when it is no pattern, with what is wrong
   */
  static Glob compile(String text) {
    return new Glob(text, Pattern.compile(new Translation(text).regex(), Pattern.DOTALL));
  }

  boolean matches(String path) {
    return regex.matcher(path).matches();
  }

  private static final class Translation {
    private final String glob;
    private final StringBuilder out = new StringBuilder();
    private int at;
    private boolean inChoice;

    Translation(String glob) {
      this.glob = glob;
    }

    String regex() {
      while (at < glob.length()) {
        char c = glob.charAt(at++);
        switch (c) {
          case '*' -> star();
          case '?' -> out.append("[^/]");
          case '[' -> set();
          case '\\' -> escaped();
          case '{' -> choice();
          case '}' -> choiceEnd();
          case ',' -> out.append(inChoice ? ")|(?:" : ",");
          default -> literal(c);
        }
      }
      if (inChoice) {
        throw new IllegalArgumentException("a [{] is never closed");
      }
      return out.toString();
    }

    private void literal(char c) {
      if (REGEX_SIGNS.indexOf(c) >= 0) {
        out.append('\\');
      }
      out.append(c);
    }

    private void star() {
      boolean deep = at < glob.length() && glob.charAt(at) == '*';
      out.append(deep ? ".*" : "[^/]*");
      at += deep ? 1 : 0;
    }

    private void escaped() {
      if (at == glob.length()) {
        throw new IllegalArgumentException("nothing stands behind its last backslash");
      }
      literal(glob.charAt(at++));
    }

    private void choice() {
      if (inChoice) {
        throw new IllegalArgumentException("a [{] stands within another");
      }
      out.append("(?:(?:");
      inChoice = true;
    }

    private void choiceEnd() {
      out.append(inChoice ? "))" : "\\}");
      inChoice = false;
    }

    private void set() {
      int end = glob.indexOf(']', at + (isNegated() ? 2 : 1));
      if (end < 0) {
        throw new IllegalArgumentException("a [ is never closed");
      }
      out.append("[[^/]&&[");
      if (isNegated()) {
        out.append('^');
        at++;
      }
      char from = 0;
      while (at < end) {
        char c = glob.charAt(at++);
        if (c == '/') {
          throw new IllegalArgumentException("a slash stands within [ and ]");
        }
        boolean range = c == '-' && from != 0 && at < end;
        if (range) {
          char to = glob.charAt(at++);
          if (to < from) {
            throw new IllegalArgumentException("[%s-%s] is no range".formatted(from, to));
          }
          out.append('-');
          literal(to);
          from = 0;
        } else {
          literal(c);
          from = c;
        }
      }
      at = end + 1;
      out.append("]]");
    }

    private boolean isNegated() {
      return at < glob.length() && glob.charAt(at) == '!';
    }
  }
}
