package yardage.core.format.xml;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import javax.xml.stream.XMLStreamException;
import yardage.core.format.record.Swar;
import yardage.core.format.record.Utf8;

/**
 * A cursor over the bytes of a row as nearly all files have them: elements and attributes whose
 * names are ASCII and without a prefix, text, XML's own entities, CDATA. At anything else, and at
 * anything that is not well-formed, it gives up with {@link NotPlain}, and the row is read by a
 * {@link StreamCursor}, which knows all of XML and how to say what is wrong. One thread at a time.
 */
final class PlainCursor implements RowCursor {
  private static final int MOST_OPEN = 128;
  private static final int MOST_ATTRIBUTES = 64;

  private static final long TAGS = Swar.pattern('<');
  private static final long ENTITIES = Swar.pattern('&');
  private static final long BRACKETS = Swar.pattern(']');
  private static final long BLANKS = Swar.pattern(' ');

  /** The row is to be read by other means. */
  static final class NotPlain extends XMLStreamException {
    private static final NotPlain INSTANCE = new NotPlain();

    private NotPlain() {
      super("not plain");
    }

    /** There is one of it, told from many places. */
    @Override
    public synchronized Throwable fillInStackTrace() {
      return this;
    }
  }

  private final NameReader names = new NameReader();
  private final Utf8Buffer decoded = new Utf8Buffer();
  private final String[] open = new String[MOST_OPEN];
  private final int[] openStarts = new int[MOST_OPEN];
  private final int[] openEnds = new int[MOST_OPEN];
  private final String[] attributes = new String[MOST_ATTRIBUTES];
  private final int[] valueStarts = new int[MOST_ATTRIBUTES];
  private final int[] valueEnds = new int[MOST_ATTRIBUTES];
  private final boolean[] valueDecoded = new boolean[MOST_ATTRIBUTES];
  private KnownRows known;
  private int attributeCount;
  private byte[] b = new byte[0];
  private int at;
  private int end;
  private int depth;
  private boolean closes;
  private int textStart;
  private int textEnd;
  private boolean textDecoded;

  /** All bytes of a text together: its high bits tell whether there are some beyond ASCII. */
  private long high;

  static NotPlain notPlain() {
    return NotPlain.INSTANCE;
  }

  /**
   * Begins with the row {@code [start, end)}, whose start is at hand then; sixteen more bytes can
   * be read.
   *
   * @param known is told each part, and may give up too; null for none
   */
  void begin(byte[] bytes, int start, int end, KnownRows known) throws NotPlain {
    this.b = bytes;
    this.known = known;
    this.at = start;
    this.end = end;
    this.depth = 0;
    this.closes = false;
    names.begin();
    startTag();
  }

  /** Says whether the row ended where it should. */
  void finish() throws NotPlain {
    if (depth != 0 || at != end) {
      throw notPlain();
    }
  }

  @Override
  public Part next() throws NotPlain {
    if (closes) {
      closes = false;
      return ended();
    }
    if (at >= end) {
      throw notPlain();
    }
    if (b[at] != '<') {
      textRun();
      return texted();
    }
    byte c = b[at + 1];
    if (c == '/') {
      endTag();
      return ended();
    }
    if (c == '!') {
      characterData();
      return texted();
    }
    startTag();
    return Part.START;
  }

  private void endTag() throws NotPlain {
    int start = openStarts[depth - 1];
    int length = openEnds[depth - 1] - start;
    int i = at + 2;
    if (!sameName(start, i, length)) {
      throw notPlain();
    }
    i += length;
    while (i < end && isBlank(b[i])) {
      i++;
    }
    if (i >= end || b[i] != '>') {
      throw notPlain();
    }
    at = i + 1;
  }

  private Part ended() throws NotPlain {
    depth--;
    if (known != null) {
      known.end();
    }
    return Part.END;
  }

  private Part texted() throws NotPlain {
    if (known != null) {
      known.text(textDecoded ? decoded.bytes : b, textStart, textEnd);
    }
    return Part.TEXT;
  }

  private boolean sameName(int a, int c, int length) {
    if (length <= 8) {
      long x = (long) Swar.LONG.get(b, a) ^ (long) Swar.LONG.get(b, c);
      return x << (8 - length << 3) == 0;
    }
    return c + length <= end && Arrays.equals(b, a, a + length, b, c, c + length);
  }

  private String name(int from) throws NotPlain {
    String name = names.read(b, from, end);
    if (name == null) {
      throw notPlain();
    }
    return name;
  }

  private static boolean isBlank(byte c) {
    return c == ' ' || c == '\n' || c == '\r' || c == '\t';
  }

  private int afterBlanks(int from) {
    int i = from;
    while (i < end && isBlank(b[i])) {
      i++;
    }
    return i;
  }

  private byte byteAt(int i) throws NotPlain {
    if (i >= end) {
      throw notPlain();
    }
    return b[i];
  }

  private void startTag() throws NotPlain {
    int start = at + 1;
    String name = name(start);
    int i = names.stop;
    if (depth == MOST_OPEN) {
      throw notPlain();
    }
    openStarts[depth] = start;
    openEnds[depth] = i;
    open[depth++] = name;
    attributeCount = 0;
    decoded.length = 0;
    while (true) {
      byte c = byteAt(i);
      if (c == '>') {
        at = i + 1;
        break;
      }
      if (c == '/') {
        if (byteAt(i + 1) != '>') {
          throw notPlain();
        }
        closes = true;
        at = i + 2;
        break;
      }
      int next = afterBlanks(i);
      if (next == i) {
        throw notPlain();
      }
      i = next;
      c = byteAt(i);
      if (c != '>' && c != '/') {
        i = attribute(i);
      }
    }
    if (known != null) {
      known.start(open[depth - 1]);
      for (int a = 0; a < attributeCount; a++) {
        known.attribute(
            attributes[a], valueDecoded[a] ? decoded.bytes : b, valueStarts[a], valueEnds[a]);
      }
    }
  }

  /** Reads an attribute, and gives the place behind it. */
  private int attribute(int from) throws NotPlain {
    String name = name(from);
    int i = afterBlanks(names.stop);
    if (byteAt(i) != '=' || attributeCount == MOST_ATTRIBUTES || name.equals("xmlns")) {
      throw notPlain();
    }
    for (int a = 0; a < attributeCount; a++) {
      if (attributes[a].equals(name)) {
        throw notPlain();
      }
    }
    i = afterBlanks(i + 1);
    byte quote = byteAt(i);
    if (quote != '"' && quote != '\'') {
      throw notPlain();
    }
    int start = ++i;
    final long quotes = Swar.pattern(quote);
    high = 0;
    boolean entities = false;
    while (b[i = plainEnd(i, quotes, TAGS)] != quote) {
      // Line ends and tabs would become blanks.
      if (b[i] != '&') {
        throw notPlain();
      }
      entities = true;
      i++;
    }
    checkText(start, i);
    attributes[attributeCount] = name;
    valueDecoded[attributeCount] = entities;
    valueStarts[attributeCount] = entities ? decoded.length : start;
    if (entities) {
      decode(start, i);
    }
    valueEnds[attributeCount++] = entities ? decoded.length : i;
    return i + 1;
  }

  /**
   * The first byte from {@code from} on that is one of two patterns, an entity's beginning or a
   * control character; adds the bytes before it to {@link #high}.
   */
  private int plainEnd(int from, long one, long other) throws NotPlain {
    int i = from;
    while (true) {
      long word = (long) Swar.LONG.get(b, i);
      long hits =
          (Swar.roughMatch(word, one)
                  | Swar.roughMatch(word, other)
                  | Swar.roughMatch(word, ENTITIES)
                  | word - BLANKS & ~word)
              & Swar.HIGH;
      int plain = Long.numberOfTrailingZeros(hits) >>> 3;
      high |= word & Swar.first(plain);
      i += plain;
      if (i >= end) {
        throw notPlain();
      }
      if (hits != 0) {
        return i;
      }
    }
  }

  /** Text up to the next tag. */
  private void textRun() throws NotPlain {
    int start = at;
    int i = at;
    high = 0;
    boolean entities = false;
    while (b[i = plainEnd(i, TAGS, BRACKETS)] != '<') {
      byte c = b[i];
      entities |= c == '&' || c == '\r';
      // "]]>" may not stand in text, nor may control characters.
      if (c == ']' ? b[i + 1] == ']' && b[i + 2] == '>' : c != '&' && !isBlank(c)) {
        throw notPlain();
      }
      i++;
    }
    checkText(start, i);
    at = i;
    textDecoded = entities;
    if (entities) {
      decoded.length = 0;
      decode(start, i);
      textStart = 0;
      textEnd = decoded.length;
    } else {
      textStart = start;
      textEnd = i;
    }
  }

  /** {@code <![CDATA[...]]>}; comments are not plain. */
  private void characterData() throws NotPlain {
    int start = at + 9;
    if (start >= end || !new String(b, at, 9, StandardCharsets.ISO_8859_1).equals("<![CDATA[")) {
      throw notPlain();
    }
    int i = start;
    high = 0;
    while (!(byteAt(i) == ']' && byteAt(i + 1) == ']' && byteAt(i + 2) == '>')) {
      byte c = b[i++];
      if (c >= 0 && c < ' ' && c != '\n' && c != '\t') {
        throw notPlain();
      }
      high |= c;
    }
    checkText(start, i);
    textDecoded = false;
    textStart = start;
    textEnd = i;
    at = i + 3;
  }

  /** Bytes beyond ASCII, if there were any, must be UTF-8 of characters that XML allows. */
  private void checkText(int from, int to) throws NotPlain {
    if ((high & Swar.HIGH) == 0) {
      return;
    }
    if (Utf8.check(b, from, to) != null) {
      throw notPlain();
    }
    for (int i = Swar.indexOf(b, from, to, 0xEF);
        i + 2 < to;
        i = Swar.indexOf(b, i + 1, to, 0xEF)) {
      // U+FFFE and U+FFFF
      if (b[i + 1] == (byte) 0xBF && (b[i + 2] & 0xff) >= 0xBE) {
        throw notPlain();
      }
    }
  }

  /** Appends text with its entities, and with line ends as XML 1.0, 2.11 has them. */
  private void decode(int from, int to) throws NotPlain {
    int i = from;
    while (i < to) {
      int run = i;
      while (i < to && b[i] != '&' && b[i] != '\r') {
        i++;
      }
      decoded.append(b, run, i);
      if (i == to) {
        return;
      }
      if (b[i] == '\r') {
        decoded.append('\n');
        i += i + 1 < to && b[i + 1] == '\n' ? 2 : 1;
        continue;
      }
      int semicolon = i + 1;
      while (semicolon < to && b[semicolon] != ';' && semicolon - i < 10) {
        semicolon++;
      }
      if (semicolon >= to || b[semicolon] != ';') {
        throw notPlain();
      }
      decoded.append(entity(new String(b, i + 1, semicolon - i - 1, StandardCharsets.ISO_8859_1)));
      i = semicolon + 1;
    }
  }

  private static int entity(String name) throws NotPlain {
    int c =
        switch (name) {
          case "amp" -> '&';
          case "lt" -> '<';
          case "gt" -> '>';
          case "quot" -> '"';
          case "apos" -> '\'';
          default -> -1;
        };
    if (c < 0 && name.matches("#[0-9]{1,7}")) {
      c = Integer.parseInt(name, 1, name.length(), 10);
    } else if (c < 0 && name.matches("#x[0-9a-fA-F]{1,6}")) {
      c = Integer.parseInt(name, 2, name.length(), 16);
    }
    boolean allowed =
        c == '\t'
            || c == '\n'
            || c == '\r'
            || c >= ' ' && c < 0xD800
            || c >= 0xE000 && c < 0xFFFE
            || c >= 0x10000 && c <= Character.MAX_CODE_POINT;
    if (!allowed) {
      throw notPlain();
    }
    return c;
  }

  @Override
  public String name() {
    return open[depth - 1];
  }

  @Override
  public String namespace() {
    return null;
  }

  @Override
  public int attributeCount() {
    return attributeCount;
  }

  @Override
  public String attributeName(int i) {
    return attributes[i];
  }

  @Override
  public String attributeNamespace(int i) {
    return null;
  }

  @Override
  public void attributeValue(int i, Utf8Buffer out) {
    out.append(valueDecoded[i] ? decoded.bytes : b, valueStarts[i], valueEnds[i]);
  }

  @Override
  public void text(Utf8Buffer out) {
    out.append(textDecoded ? decoded.bytes : b, textStart, textEnd);
  }
}
