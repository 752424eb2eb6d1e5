package yardage.core.format.xml;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import javax.xml.stream.XMLStreamException;
import yardage.core.column.Type;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.shape.RecordShape;
import yardage.core.format.shape.Slot;

/**
 * Reads row elements, part by part, into the slots of the contract's columns. One thread at a time.
 */
final class RowElements {
  private static final int MAX_DEPTH = 512;
  private static final String SCHEMA_INSTANCE = "http://www.w3.org/2001/XMLSchema-instance";

  final RecordShape shape;

  /** Of the rows in the shape: what their slots' values are spans of. */
  final Utf8Buffer texts = new Utf8Buffer();

  /** What is wrong with the row that was read last. */
  final List<RejectedRecord.Failure> failures = new ArrayList<>();

  /** Paths and values, in turns, of the parts of that row that no column takes. */
  final List<String> strays = new ArrayList<>();

  private final XmlMember root;
  private final List<Slot> heldBy = new ArrayList<>();
  private final List<String[]> heldByPaths = new ArrayList<>();
  private final Utf8Buffer text = new Utf8Buffer();
  private final Utf8Buffer value = new Utf8Buffer();
  private final List<String> path = new ArrayList<>();
  private RowCursor cursor;
  private long epoch;

  /** How many open elements give their text to a column. */
  private int textsWanted;

  RowElements(XmlFormat format) {
    this.shape = new RecordShape(format.rules(), format.paths());
    this.root = new XmlMember("", "", format.layout());
    for (int i = 0; i < format.rules().size(); i++) {
      String path = format.paths().get(i);
      if (path.startsWith("../")) {
        heldBy.add(shape.slot(i));
        heldByPaths.add(path.split("/"));
      } else {
        root.add(path, shape.slot(i), format.layout());
      }
    }
  }

  /** Whether some name has to be in a namespace of its own. */
  boolean asksForNamespaces() {
    return root.asksForNamespaces();
  }

  /**
   * Reads the row whose start is at hand into the next place of the shape, which is taken away
   * again when it cannot be read.
   *
   * @param holders attributes of the elements that are open around it, outermost first
   */
  void read(RowCursor cursor, List<Map<String, String>> holders) throws XMLStreamException {
    this.cursor = cursor;
    epoch++;
    shape.begin();
    try {
      failures.clear();
      strays.clear();
      text.length = 0;
      textsWanted = 0;
      for (int i = 0; i < heldBy.size(); i++) {
        String[] path = heldByPaths.get(i);
        int up = path.length - 1;
        Map<String, String> holder =
            up <= holders.size() ? holders.get(holders.size() - up) : Map.of();
        String held = holder.get(path[up].substring(1));
        if (held != null) {
          int at = texts.length;
          texts.append(held.toCharArray(), 0, held.length());
          set((Slot.Leaf) heldBy.get(i), at);
        }
      }
      element(root, 1);
    } catch (XMLStreamException | RuntimeException e) {
      shape.undo();
      throw e;
    }
  }

  private void fail(String field, Reason reason, String message) {
    failures.add(new RejectedRecord.Failure(field, reason, message));
  }

  /** Reads the element whose start is at hand, to its end. */
  private void element(XmlMember wanted, int depth) throws XMLStreamException {
    if (wanted.nested != null) {
      path.clear();
      structure(wanted, wanted.nested, depth);
      return;
    }
    boolean nil = false;
    for (int i = 0; i < cursor.attributeCount(); i++) {
      nil |= isNil(i);
      attribute(wanted, i);
    }
    int wants = wanted.targets.size();
    // Text that nothing else wants goes to its place at once.
    boolean direct = wants == 1 && textsWanted == 0;
    int start = direct ? texts.length : text.length;
    textsWanted += wants;
    while (true) {
      RowCursor.Part part = cursor.next();
      if (part == RowCursor.Part.START) {
        if (direct) {
          start = toText(start);
          direct = false;
        }
        member(wanted, depth + 1);
      } else if (part == RowCursor.Part.END) {
        break;
      } else if (part == RowCursor.Part.TEXT && textsWanted > 0) {
        cursor.text(direct ? texts : text);
      }
    }
    for (int i = 0; i < wants && !nil; i++) {
      Slot.Leaf leaf = (Slot.Leaf) wanted.targets.get(i);
      if (direct) {
        set(leaf, start);
      } else {
        put(leaf, start);
      }
    }
    // An element's text is its own and that of what it holds, if anything above wants it.
    textsWanted -= wants;
    if (textsWanted == 0 && !direct) {
      text.length = start;
    }
  }

  /** Moves what {@link #texts} holds from a place on, since more is to come, and gives where to. */
  private int toText(int from) {
    int start = text.length;
    text.append(texts.bytes, from, texts.length);
    texts.length = from;
    return start;
  }

  /** Reads an element inside another, which the contract may want. */
  private void member(XmlMember holder, int depth) throws XMLStreamException {
    String local = cursor.name();
    XmlMember member = holder.find(local, cursor.namespace());
    if (member == null) {
      stray(holder.path.isEmpty() ? local : holder.path + "/" + local, depth);
      return;
    }
    if (member.seenInRecord == epoch && !member.repeats) {
      fail(
          member.path,
          Reason.REPEATED_FIELD,
          "the element [%s] is there twice; declare a list to take them all"
              .formatted(member.path));
    }
    member.seenInRecord = epoch;
    element(member, depth);
  }

  private boolean isNil(int attribute) {
    return SCHEMA_INSTANCE.equals(cursor.attributeNamespace(attribute))
        && "nil".equals(cursor.attributeName(attribute))
        && "true".equals(attributeText(attribute));
  }

  private String attributeText(int i) {
    value.length = 0;
    cursor.attributeValue(i, value);
    return value.text(0);
  }

  private void putAttribute(Slot.Leaf leaf, int i) {
    int at = texts.length;
    cursor.attributeValue(i, texts);
    set(leaf, at);
  }

  private void attribute(XmlMember wanted, int i) {
    String local = cursor.attributeName(i);
    for (int a = 0; a < wanted.attributes.size(); a++) {
      XmlMember.Attribute want = wanted.attributes.get(a);
      if (want.local().equals(local)
          && (want.uri().isEmpty() || want.uri().get().equals(cursor.attributeNamespace(i)))) {
        putAttribute((Slot.Leaf) want.slot(), i);
        return;
      }
    }
    if (!SCHEMA_INSTANCE.equals(cursor.attributeNamespace(i))) {
      note(wanted.path.isEmpty() ? "@" + local : wanted.path + "/@" + local, attributeText(i));
    }
  }

  /** A value with parts: a struct of the element, or one more element of a list. */
  private void structure(XmlMember member, Slot target, int depth) throws XMLStreamException {
    path.add(member.path);
    if (target instanceof Slot.Sequence list) {
      list.set();
      nested(list.add(), depth);
    } else {
      nested(target, depth);
    }
  }

  /**
   * Reads the element at hand, whose name {@link #path} ends with, into a slot with room for it.
   */
  private void nested(Slot slot, int depth) throws XMLStreamException {
    if (slot instanceof Slot.Sequence list) {
      // A list in a struct: the element repeats, and each comes here.
      list.set();
      nested(list.add(), depth);
      return;
    }
    boolean nil = false;
    for (int i = 0; i < cursor.attributeCount(); i++) {
      nil |= isNil(i);
    }
    if (slot instanceof Slot.Leaf leaf) {
      int start = texts.length;
      skip(depth, texts);
      if (!nil) {
        set(leaf, start);
      }
      return;
    }
    Slot.Struct struct = (Slot.Struct) slot;
    if (!nil) {
      struct.set();
    }
    for (int i = 0; i < cursor.attributeCount(); i++) {
      String local = cursor.attributeName(i);
      Slot field = struct.attribute(local);
      if (field instanceof Slot.Leaf leaf) {
        putAttribute(leaf, i);
      } else if (!SCHEMA_INSTANCE.equals(cursor.attributeNamespace(i))) {
        note(pathTo("@" + local), attributeText(i));
      }
    }
    Slot own = struct.ownText();
    boolean direct = own != null;
    int start = direct ? texts.length : text.length;
    while (true) {
      RowCursor.Part part = cursor.next();
      if (part == RowCursor.Part.START) {
        if (direct) {
          start = toText(start);
          direct = false;
        }
        part(struct, depth + 1);
      } else if (part == RowCursor.Part.END) {
        break;
      } else if (part == RowCursor.Part.TEXT && own != null) {
        cursor.text(direct ? texts : text);
      }
    }
    if (own instanceof Slot.Leaf leaf && !nil) {
      if (direct) {
        set(leaf, start);
      } else {
        put(leaf, start);
      }
    }
    if (!direct) {
      text.length = start;
    }
  }

  /** Reads an element inside one that is a struct. */
  private void part(Slot.Struct struct, int depth) throws XMLStreamException {
    String local = cursor.name();
    Slot field = struct.field(local);
    if (field == null) {
      stray(pathTo(local), depth);
      return;
    }
    if (field.isSet() && !(field instanceof Slot.Sequence)) {
      String twice = pathTo(local);
      fail(
          twice,
          Reason.REPEATED_FIELD,
          "the element [%s] is there twice; declare a list to take them all".formatted(twice));
    }
    path.add(local);
    nested(field, depth);
    path.remove(path.size() - 1);
  }

  private String pathTo(String name) {
    return String.join("/", path) + "/" + name;
  }

  /** Passes over the element at hand, taking its text. */
  private void skip(int depth, Utf8Buffer into) throws XMLStreamException {
    int open = 1;
    while (open > 0) {
      RowCursor.Part part = cursor.next();
      if (part == RowCursor.Part.START) {
        if (++open + depth > MAX_DEPTH) {
          throw new XMLStreamException(
              "elements are nested more than %d deep".formatted(MAX_DEPTH));
        }
      } else if (part == RowCursor.Part.END) {
        open--;
      } else if (part == RowCursor.Part.TEXT) {
        cursor.text(into);
      }
    }
  }

  private void stray(String path, int depth) throws XMLStreamException {
    int start = text.length;
    skip(depth, text);
    note(path, text.text(start).strip());
    if (textsWanted == 0) {
      text.length = start;
    }
  }

  /** Notes a part that no column takes; it counts once the row is read. */
  private void note(String path, String value) {
    strays.add(path);
    strays.add(value);
  }

  /** Gives a column what {@link #text} holds from {@code from} on. */
  private void put(Slot.Leaf leaf, int from) {
    int at = texts.length;
    texts.append(text.bytes, from, text.length);
    set(leaf, at);
  }

  /** Gives a column what {@link #texts} holds from {@code from} on. */
  private void set(Slot.Leaf leaf, int from) {
    byte[] b = texts.bytes;
    int start = from;
    int end = texts.length;
    // Blanks around a number or date are layout; around a text they are for the rule to say.
    if (leaf.type().kind() != Type.Kind.VARCHAR) {
      while (start < end && b[start] >= 0 && b[start] <= ' ') {
        start++;
      }
      while (end > start && b[end - 1] >= 0 && b[end - 1] <= ' ') {
        end--;
      }
    }
    leaf.set(start, end);
  }
}
