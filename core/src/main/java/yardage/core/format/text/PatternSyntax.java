package yardage.core.format.text;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Optional;

/**
 * Parses the part of regular expressions that {@link OnePassProgram} can follow: literals, classes,
 * groups, alternatives and repetition. What it does not know is left to the general matcher.
 */
final class PatternSyntax {
  /** Repetition is written out, so a program could become large. */
  private static final int MOST_COPIES = 64;

  /** A parsed expression. */
  sealed interface Node {}

  record Bytes(BitSet any) implements Node {}

  record Sequence(List<Node> parts) implements Node {}

  record Choice(List<Node> options) implements Node {}

  /** Zero or more times, or none or once. */
  record Repeat(Node part, boolean many, boolean greedy) implements Node {}

  record Group(int slot, Node inside) implements Node {}

  private static final class Unknown extends RuntimeException {
    Unknown() {
      super(null, null, false, false);
    }
  }

  private final String text;
  private int at;
  private int groups;

  /**
   * Whether some place takes one character that may be several bytes: only ASCII lines fit then.
   */
  private boolean asciiOnly;

  private PatternSyntax(String text) {
    this.text = text;
  }

  record Parsed(Node node, int groups, boolean asciiOnly) {}

  static Optional<Parsed> parse(String text) {
    try {
      PatternSyntax p = new PatternSyntax(text);
      if (p.text.startsWith("^")) {
        p.at++;
      }
      Node node = p.choice();
      if (p.at < p.text.length()) {
        return Optional.empty();
      }
      return Optional.of(new Parsed(node, p.groups, p.asciiOnly));
    } catch (Unknown e) {
      return Optional.empty();
    }
  }

  private boolean more() {
    return at < text.length();
  }

  private char peek() {
    return text.charAt(at);
  }

  private Node choice() {
    List<Node> options = new ArrayList<>();
    options.add(sequence());
    while (more() && peek() == '|') {
      at++;
      options.add(sequence());
    }
    return options.size() == 1 ? options.get(0) : new Choice(options);
  }

  private Node sequence() {
    List<Node> parts = new ArrayList<>();
    while (more() && peek() != '|' && peek() != ')') {
      if (peek() == '$' && at == text.length() - 1) {
        at++;
        break;
      }
      parts.add(repeated());
    }
    return new Sequence(parts);
  }

  private Node repeated() {
    int atomStart = at;
    boolean wideBefore = asciiOnly;
    Node atom = atom();
    if (!more() || "*+?{".indexOf(peek()) < 0) {
      return atom;
    }
    int least;
    int most;
    char c = text.charAt(at++);
    if (c == '{') {
      int end = text.indexOf('}', at);
      String[] bounds = end < 0 ? new String[0] : text.substring(at, end).split(",", -1);
      if (bounds.length < 1 || bounds.length > 2 || !bounds[0].matches("\\d{1,3}")) {
        throw new Unknown();
      }
      least = Integer.parseInt(bounds[0]);
      most = bounds.length == 1 ? least : bounds[1].isEmpty() ? -1 : Integer.parseInt(bounds[1]);
      at = end + 1;
    } else {
      least = c == '+' ? 1 : 0;
      most = c == '?' ? 1 : -1;
    }
    boolean greedy = !(more() && peek() == '?');
    at += greedy ? 0 : 1;
    if (more() && "*+?{".indexOf(peek()) >= 0 || least > MOST_COPIES || most > MOST_COPIES) {
      throw new Unknown();
    }
    if (most < 0 && least <= 1 && atom instanceof Bytes && at > atomStart) {
      // However many bytes its characters have, a run of them is a run of bytes.
      asciiOnly = wideBefore;
    }
    List<Node> parts = new ArrayList<>();
    for (int i = 0; i < least; i++) {
      parts.add(atom);
    }
    if (most < 0) {
      parts.add(new Repeat(atom, true, greedy));
    }
    Node rest = new Sequence(List.of());
    for (int i = least; i < most; i++) {
      rest = new Repeat(new Sequence(List.of(atom, rest)), false, greedy);
    }
    parts.add(rest);
    if (holdsGroup(atom) && parts.size() > 2) {
      throw new Unknown();
    }
    return new Sequence(parts);
  }

  private static boolean holdsGroup(Node node) {
    if (node instanceof Sequence s) {
      return s.parts().stream().anyMatch(PatternSyntax::holdsGroup);
    } else if (node instanceof Choice c) {
      return c.options().stream().anyMatch(PatternSyntax::holdsGroup);
    } else if (node instanceof Repeat r) {
      return holdsGroup(r.part());
    }
    return node instanceof Group;
  }

  private Node atom() {
    char c = text.charAt(at++);
    switch (c) {
      case '(':
        return group();
      case '[':
        return bytes(bracket());
      case '.':
        BitSet all = everything();
        all.clear('\n');
        return bytes(all);
      case '\\':
        return escape();
      case '*', '+', '?', '{', '^', '$':
        throw new Unknown();
      default:
        at--;
        int code = text.codePointAt(at);
        at += Character.charCount(code);
        return literal(code);
    }
  }

  private static Node literal(int code) {
    List<Node> out = new ArrayList<>();
    for (byte b : Character.toString(code).getBytes(StandardCharsets.UTF_8)) {
      BitSet one = new BitSet(256);
      one.set(b & 0xff);
      out.add(new Bytes(one));
    }
    return out.size() == 1 ? out.get(0) : new Sequence(out);
  }

  private Node group() {
    if (!text.startsWith("?", at)) {
      return numbered();
    }
    if (text.startsWith("?:", at)) {
      at += 2;
      return closed(choice());
    }
    int name = text.startsWith("?<", at) ? at + 2 : text.startsWith("?P<", at) ? at + 3 : -1;
    int end = name < 0 ? -1 : text.indexOf('>', name);
    if (end < 0 || !text.substring(name, end).matches("\\w+")) {
      throw new Unknown();
    }
    at = end + 1;
    return numbered();
  }

  private Node numbered() {
    int slot = groups++;
    return new Group(slot, closed(choice()));
  }

  private Node closed(Node inside) {
    if (!more() || peek() != ')') {
      throw new Unknown();
    }
    at++;
    return inside;
  }

  private Node escape() {
    if (!more()) {
      throw new Unknown();
    }
    char c = text.charAt(at++);
    Optional<BitSet> set = named(c);
    if (set.isPresent()) {
      return bytes(set.get());
    }
    return literal(escaped(c));
  }

  private static char escaped(char c) {
    if (c == 't') {
      return '\t';
    }
    if (Character.isLetterOrDigit(c)) {
      throw new Unknown();
    }
    return c;
  }

  private Node bytes(BitSet set) {
    int wide = set.get(0x80, 0x100).cardinality();
    asciiOnly |= wide > 0;
    return new Bytes(set);
  }

  private static BitSet everything() {
    BitSet all = new BitSet(256);
    all.set(0, 256);
    return all;
  }

  private static Optional<BitSet> named(char c) {
    BitSet set = new BitSet(256);
    switch (Character.toLowerCase(c)) {
      case 'd' -> set.set('0', '9' + 1);
      case 'w' -> {
        set.set('0', '9' + 1);
        set.set('a', 'z' + 1);
        set.set('A', 'Z' + 1);
        set.set('_');
      }
      case 's' -> {
        for (char blank : new char[] {' ', '\t', '\n', '\f', '\r'}) {
          set.set(blank);
        }
      }
      default -> {
        return Optional.empty();
      }
    }
    if (Character.isUpperCase(c)) {
      set.flip(0, 256);
    }
    return Optional.of(set);
  }

  private BitSet bracket() {
    boolean negated = more() && peek() == '^';
    at += negated ? 1 : 0;
    BitSet set = new BitSet(256);
    boolean first = true;
    while (true) {
      if (!more()) {
        throw new Unknown();
      }
      char c = text.charAt(at++);
      if (c == ']' && !first) {
        break;
      }
      first = false;
      if (c > 0x7f || c == '[') {
        throw new Unknown();
      }
      if (c == '\\') {
        char e = more() ? text.charAt(at++) : 0;
        Optional<BitSet> named = named(e);
        if (named.isPresent()) {
          set.or(named.get());
          continue;
        }
        c = escaped(e);
      }
      char last = c;
      if (at + 1 < text.length() && peek() == '-' && text.charAt(at + 1) != ']') {
        last = text.charAt(at + 1);
        at += 2;
        if (last == '\\' || last < c || last > 0x7f) {
          throw new Unknown();
        }
      }
      set.set(c, last + 1);
    }
    if (negated) {
      set.flip(0, 256);
    }
    return set;
  }
}
