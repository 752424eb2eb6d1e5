package yardage.core.format.xml;

import java.util.HashMap;
import java.util.Map;
import yardage.core.format.record.Swar;

/**
 * Reads the names in rows that are much alike: behind each name, the one that followed it the last
 * time is looked for first, so that nearly always a single comparison does. Names are ASCII and
 * without a prefix. One thread at a time.
 */
final class NameReader {
  private static final int MOST = 1 << 12;
  private static final boolean[] STARTS = new boolean[256];
  private static final boolean[] GOES_ON = new boolean[256];

  static {
    for (int c = 0; c < 0x80; c++) {
      STARTS[c] = c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '_';
      GOES_ON[c] = STARTS[c] || c >= '0' && c <= '9' || c == '-' || c == '.';
    }
  }

  private static final class Name {
    private final String text;
    private final int length;
    private final long head;
    private final long mask;

    /** The name that came behind this one last time. */
    private Name next;

    Name(String text, long firstBytes) {
      // A contract's names are interned as well: then they are compared by their identity.
      this.text = text.intern();
      this.length = text.length();
      this.mask = Swar.first(length);
      this.head = firstBytes & mask;
    }
  }

  private final KnownTexts texts = new KnownTexts();
  private final Map<String, Name> names = new HashMap<>();
  private final Name start = new Name("", 0);
  private Name last = start;

  /** Behind the name that was read last. */
  int stop;

  /** Begins with another row. */
  void begin() {
    last = start;
  }

  /**
   * The name that starts at {@code from}, or null when there is none that ends before {@code end};
   * eight bytes behind the start can be read.
   */
  String read(byte[] b, int from, int end) {
    Name likely = last.next;
    if (likely != null
        && from + likely.length < end
        && (((long) Swar.LONG.get(b, from) ^ likely.head) & likely.mask) == 0
        && !GOES_ON[b[from + likely.length] & 0xff]
        && sameRest(likely.text, b, from)) {
      last = likely;
      stop = from + likely.length;
      return likely.text;
    }
    return find(b, from, end);
  }

  private static boolean sameRest(String text, byte[] b, int from) {
    for (int i = 8; i < text.length(); i++) {
      if (text.charAt(i) != b[from + i]) {
        return false;
      }
    }
    return true;
  }

  private String find(byte[] b, int from, int end) {
    if (from >= end || !STARTS[b[from] & 0xff]) {
      return null;
    }
    int i = from + 1;
    while (i < end && GOES_ON[b[i] & 0xff]) {
      i++;
    }
    stop = i;
    String text = texts.text(b, from, i);
    Name name = names.get(text);
    if (name == null) {
      if (names.size() == MOST) {
        return text;
      }
      name = new Name(text, (long) Swar.LONG.get(b, from));
      names.put(name.text, name);
    }
    last.next = name;
    last = name;
    return name.text;
  }
}
