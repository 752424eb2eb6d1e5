package yardage.core.insight.profile;

/** How texts are built; see {@link Profile.TextShape}. */
final class Shapes {
  private static final int MOST_CHARACTERS = 40;

  private Shapes() {}

  static String of(String text) {
    StringBuilder out = new StringBuilder();
    char run = 0;
    int length = 0;
    for (int i = 0; i < text.length() && out.length() < MOST_CHARACTERS; i++) {
      char kind = kind(text.charAt(i));
      boolean goesOn = kind == run && (kind == 'A' || kind == 'a' || kind == '9');
      length = goesOn ? length + 1 : 1;
      if (!goesOn) {
        out.append(kind);
      } else if (length == 2) {
        out.append('+');
      }
      run = kind;
    }
    return out.toString();
  }

  private static char kind(char c) {
    return Character.isDigit(c)
        ? '9'
        : Character.isUpperCase(c) ? 'A' : Character.isLetter(c) ? 'a' : c;
  }
}
