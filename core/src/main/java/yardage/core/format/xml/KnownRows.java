package yardage.core.format.xml;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import yardage.core.format.xml.PlainCursor.NotPlain;

/**
 * Rows that need not be held against a schema again, since the validator accepted one that is built
 * the same: the same elements and attributes in the same order, at the same place. Its values may
 * differ where their type is one that is easily checked here; of other types, a value must have
 * been accepted before. Sound for schemas without {@linkplain XsdSchema#isLocal rules that look
 * beyond a single value}. One thread at a time.
 */
final class KnownRows {
  private static final int MOST_NODES = 50_000;
  private static final int MOST_CONTEXTS = 1_000;

  private enum Step {
    START,
    ATTRIBUTE,
    TEXT,
    END
  }

  /** A part of a row, behind all that come before it in the row. */
  private static final class Node {
    private final Step step;
    private final String name;
    private final ValueType type;
    private final KnownTexts accepted;
    private final List<Node> next = new ArrayList<>(1);
    private Node usual;
    private boolean ends;

    Node(Step step, String name, ValueType type) {
      this.step = step;
      this.name = name;
      this.type = type;
      this.accepted = type == ValueType.OTHER ? new KnownTexts() : null;
    }

    Node follow(Step step, String name) {
      if (usual != null && usual.is(step, name)) {
        return usual;
      }
      for (int i = 0; i < next.size(); i++) {
        if (next.get(i).is(step, name)) {
          usual = next.get(i);
          return usual;
        }
      }
      return null;
    }

    private boolean is(Step step, String name) {
      return this.step == step && this.name.equals(name);
    }

    boolean accepts(byte[] b, int start, int end) {
      return accepted == null ? type.accepts(b, start, end) : accepted.holds(b, start, end);
    }
  }

  private final Map<String, Node> contexts = new HashMap<>();
  private int nodes;
  private Node at;
  private List<ValueType> types;
  private int typesUsed;
  private final List<Node> open = new ArrayList<>();
  private final Utf8Buffer text = new Utf8Buffer();
  private boolean leaf;

  /**
   * Begins a row to be recognized.
   *
   * @param context the elements around it
   */
  void recognize(String context) throws NotPlain {
    begin(contexts.get(context));
    types = null;
    if (at == null) {
      throw PlainCursor.notPlain();
    }
  }

  /**
   * Begins a row that the validator accepted.
   *
   * @param types of its elements and attributes, each element's before its attributes'
   */
  void learn(String context, List<ValueType> types) throws NotPlain {
    if (!contexts.containsKey(context) && contexts.size() >= MOST_CONTEXTS) {
      throw PlainCursor.notPlain();
    }
    begin(contexts.computeIfAbsent(context, c -> new Node(Step.START, "", ValueType.ANY)));
    this.types = types;
    typesUsed = 0;
  }

  private void begin(Node root) {
    at = root;
    open.clear();
    text.length = 0;
    leaf = false;
  }

  void start(String name) throws NotPlain {
    textBeside();
    step(Step.START, name);
    open.add(at);
    leaf = true;
  }

  void attribute(String name, byte[] b, int start, int end) throws NotPlain {
    step(Step.ATTRIBUTE, name);
    value(at, b, start, end);
  }

  void text(byte[] b, int start, int end) {
    // An element of such a type holds no others, and any text.
    if (!leaf || open.get(open.size() - 1).type != ValueType.ANY) {
      text.append(b, start, end);
    }
  }

  void end() throws NotPlain {
    Node element = open.remove(open.size() - 1);
    if (leaf) {
      value(element, text.bytes, 0, text.length);
      text.length = 0;
    } else {
      textBeside();
    }
    leaf = false;
    step(Step.END, "");
  }

  /** Text beside elements: blanks may always stand there. */
  private void textBeside() throws NotPlain {
    for (int i = 0; i < text.length; i++) {
      if (text.bytes[i] < 0 || text.bytes[i] > ' ') {
        step(Step.TEXT, "");
        break;
      }
    }
    text.length = 0;
  }

  /** Ends the row: from now on rows like it are known, or it is one. */
  void finish() throws NotPlain {
    if (types != null) {
      at.ends = true;
    } else if (!at.ends) {
      throw PlainCursor.notPlain();
    }
  }

  private void step(Step step, String name) throws NotPlain {
    Node next = at.follow(step, name);
    if (next == null) {
      if (types == null || nodes >= MOST_NODES) {
        throw PlainCursor.notPlain();
      }
      boolean typed = step == Step.START || step == Step.ATTRIBUTE;
      next = new Node(step, name, typed ? typeOf(typesUsed) : ValueType.ANY);
      nodes++;
      at.next.add(next);
    }
    typesUsed += step == Step.START || step == Step.ATTRIBUTE ? 1 : 0;
    at = next;
  }

  private ValueType typeOf(int i) throws NotPlain {
    if (i >= types.size()) {
      throw PlainCursor.notPlain();
    }
    return types.get(i);
  }

  private void value(Node node, byte[] b, int start, int end) throws NotPlain {
    if (types != null) {
      if (node.accepted != null) {
        node.accepted.text(b, start, end);
      }
    } else if (!node.accepts(b, start, end)) {
      throw PlainCursor.notPlain();
    }
  }
}
