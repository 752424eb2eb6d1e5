package yardage.core.document;

import java.io.StringReader;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.yaml.snakeyaml.DumperOptions.FlowStyle;
import org.yaml.snakeyaml.DumperOptions.ScalarStyle;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.constructor.SafeConstructor;
import org.yaml.snakeyaml.error.Mark;
import org.yaml.snakeyaml.nodes.CollectionNode;
import org.yaml.snakeyaml.nodes.MappingNode;
import org.yaml.snakeyaml.nodes.Node;
import org.yaml.snakeyaml.nodes.NodeTuple;
import org.yaml.snakeyaml.nodes.ScalarNode;
import org.yaml.snakeyaml.nodes.SequenceNode;
import yardage.core.document.DocumentValue.ListValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;

/**
 * Changes values of a YAML document in its text. What is not changed stays to the letter: comments,
 * order, quotes, blank lines. Values are plain: a {@link String}, a {@link List}, a {@link Map} by
 * text, and the empty {@link Optional} for YAML's null.
 */
public final class YamlEdit {
  /** A map that is written longer than this gets a line for each entry, where it may. */
  private static final int LONGEST_MAP = 72;

  private String text;

  private YamlEdit(String text) {
    this.text = text;
  }

  /** A document's value without its places. */
  public static Object said(DocumentValue value) {
    if (value instanceof MapValue map) {
      Map<String, Object> out = new LinkedHashMap<>();
      map.entries().forEach((k, v) -> out.put(k.text(), said(v)));
      return out;
    } else if (value instanceof ListValue list) {
      return list.items().stream().map(YamlEdit::said).toList();
    }
    TextValue t = (TextValue) value;
    return t.isNull() ? Optional.empty() : t.text();
  }

  /** A value of another notation as a document has it: numbers and truths are texts there. */
  public static Object plain(Object value) {
    if (value instanceof Map<?, ?> map) {
      Map<String, Object> out = new LinkedHashMap<>();
      map.forEach((name, v) -> out.put((String) name, plain(v)));
      return out;
    } else if (value instanceof List<?> list) {
      return list.stream().map(YamlEdit::plain).toList();
    }
    return value == null ? Optional.empty() : String.valueOf(value);
  }

  /**
   * Gives the value at a path, which leads through maps by their names, another value; where it is
   * not there yet it is put in.
   *
   * @throws IllegalArgumentException when the text cannot be changed there without changing more
   * @throws DocumentValue.MalformedException when the text is not YAML
   */
  public static String set(String text, List<String> path, Object value) {
    return checked(
        text, path, Optional.of(value), edit -> edit.change(new ArrayList<>(path), value));
  }

  /** Takes the value at a path out, with its name; nothing happens where there is none. */
  public static String remove(String text, List<String> path) {
    return checked(
        text,
        path,
        Optional.empty(),
        edit -> {
          if (edit.at(new ArrayList<>(path)).isPresent()) {
            edit.take(new ArrayList<>(path));
          }
        });
  }

  private static String checked(
      String text,
      List<String> path,
      Optional<Object> value,
      java.util.function.Consumer<YamlEdit> how) {
    Object wanted = with(said(DocumentValue.parse(text)), path, value);
    YamlEdit edit = new YamlEdit(text);
    how.accept(edit);
    Object is;
    try {
      is = said(DocumentValue.parse(edit.text));
    } catch (DocumentValue.MalformedException e) {
      is = e;
    }
    if (!is.equals(wanted)) {
      throw notHere(path);
    }
    return edit.text;
  }

  private static IllegalArgumentException notHere(List<?> path) {
    return new IllegalArgumentException(
        "The way in which [%s] is written lets nothing else be put there; change it in the text"
            .formatted(path.get(path.size() - 1)));
  }

  /** What the document has to say after the change. */
  private static Object with(Object before, List<String> path, Optional<Object> value) {
    if (path.isEmpty()) {
      return value.orElse(Map.of());
    }
    Map<String, Object> out = new LinkedHashMap<>();
    if (before instanceof Map<?, ?> map) {
      map.forEach((k, v) -> out.put((String) k, v));
    } else if (!before.equals(Optional.empty())) {
      throw notHere(path);
    }
    String name = path.get(0);
    if (value.isEmpty() && (path.size() == 1 || !out.containsKey(name))) {
      out.remove(name);
    } else {
      out.put(
          name,
          with(out.getOrDefault(name, Optional.empty()), path.subList(1, path.size()), value));
    }
    return out;
  }

  /** Brings the value at a path to another, by the fewest changes. */
  private void change(List<Object> path, Object value) {
    Optional<Node> there = at(path);
    if (there.isEmpty()) {
      List<Object> parent = path.subList(0, path.size() - 1);
      Object name = path.get(path.size() - 1);
      Optional<Node> container = at(parent);
      if (container.isEmpty() || isNothing(container.get())) {
        change(parent, Map.of((String) name, value));
      } else {
        put(parent, ((CollectionNode<?>) container.get()).getValue().size(), name, value);
      }
      return;
    }
    Node node = there.get();
    if (value.equals(valueOf(node))) {
      return;
    }
    if (node instanceof MappingNode map && value instanceof Map<?, ?> to) {
      List<String> from = map.getValue().stream().map(YamlEdit::key).toList();
      List<String> names = to.keySet().stream().map(k -> (String) k).toList();
      if (names.stream().anyMatch(from::contains)) {
        entries(path, from, names, to);
        return;
      }
    } else if (node instanceof SequenceNode list && value instanceof List<?> to) {
      if (!to.isEmpty() && !list.getValue().isEmpty()) {
        items(path, list.getValue().stream().map(this::valueOf).toList(), to);
        return;
      }
    }
    replace(path, node, value);
  }

  private void entries(List<Object> path, List<String> from, List<String> names, Map<?, ?> to) {
    List<String> now = new ArrayList<>(from);
    if (from.size() == names.size()) {
      // A name in the place of another: the entry stays where it is.
      for (int i = 0; i < from.size(); i++) {
        if (!from.contains(names.get(i)) && !names.contains(from.get(i))) {
          rename(path, i, names.get(i));
          now.set(i, names.get(i));
        }
      }
    }
    for (String name : now) {
      if (!to.containsKey(name)) {
        take(and(path, name));
      }
    }
    now.retainAll(names);
    for (int i = 0; i < names.size(); i++) {
      String name = names.get(i);
      if (now.contains(name)) {
        change(and(path, name), to.get(name));
      } else {
        int behind = i == 0 ? 0 : now.indexOf(names.get(i - 1)) + 1;
        put(path, behind, name, to.get(name));
        now.add(behind, name);
      }
    }
  }

  private void items(List<Object> path, List<Object> from, List<?> to) {
    int same = 0;
    int shorter = Math.min(from.size(), to.size());
    while (same < shorter && from.get(same).equals(to.get(same))) {
      same++;
    }
    int end = 0;
    while (end < shorter - same
        && from.get(from.size() - 1 - end).equals(to.get(to.size() - 1 - end))) {
      end++;
    }
    int olds = from.size() - same - end;
    int news = to.size() - same - end;
    for (int i = 0; i < Math.min(olds, news); i++) {
      change(and(path, same + i), to.get(same + i));
    }
    for (int i = olds - 1; i >= news; i--) {
      take(and(path, same + i));
    }
    for (int i = olds; i < news; i++) {
      put(path, same + i, same + i, to.get(same + i));
    }
  }

  private static List<Object> and(List<Object> path, Object name) {
    List<Object> out = new ArrayList<>(path);
    out.add(name);
    return out;
  }

  private void rename(List<Object> path, int entry, String name) {
    Node map = at(path).orElseThrow();
    Node key = ((MappingNode) map).getValue().get(entry).getKeyNode();
    splice(start(key), end(key), scalar(name, isFlow(path)));
  }

  private void replace(List<Object> path, Node node, Object value) {
    Node parent = path.isEmpty() ? node : at(path.subList(0, path.size() - 1)).orElseThrow();
    boolean flow = isFlow(path.subList(0, Math.max(path.size() - 1, 0)));
    if (!(parent instanceof MappingNode map) || parent == node) {
      splice(start(node), end(node), written(value, true, 0));
      return;
    }
    Node key = tuple(map, (String) path.get(path.size() - 1)).orElseThrow().getKeyNode();
    int colon = text.indexOf(':', end(key)) + 1;
    int behind = Math.max(colon, end(node));
    String written = afterColon(value, flow, key.getStartMark().getColumn());
    // A note behind the name stays, when the value came on the lines below; one behind the value
    // moves up to the name, when the new value has lines of its own.
    String beside = text.substring(colon, Math.min(endOfLine(colon), Math.max(colon, start(node))));
    String note = beside.contains("#") ? " " + beside.strip() : "";
    String rest = text.substring(behind, endOfLine(behind));
    if (written.contains("\n") && rest.strip().startsWith("#")) {
      note += rest;
      behind = endOfLine(behind);
    }
    splice(colon, behind, noted(written, note));
  }

  private static String noted(String written, String note) {
    int line = written.indexOf('\n');
    return note.isEmpty()
        ? written
        : line < 0 ? written + note : written.substring(0, line) + note + written.substring(line);
  }

  /** Puts an entry or an item in, in front of the one that is at {@code index} now. */
  private void put(List<Object> path, int index, Object name, Object value) {
    CollectionNode<?> into = (CollectionNode<?>) at(path).orElseThrow();
    boolean flow = isFlow(path);
    int size = into.getValue().size();
    int indent = size == 0 ? 0 : firstOf(into, 0).getStartMark().getColumn();
    String entry =
        into instanceof MappingNode
            ? scalar((String) name, flow) + ":" + afterColon(value, flow, indent)
            : written(value, flow || !(value instanceof String), indent);
    if (size == 0) {
      splice(
          start(into),
          end(into),
          into instanceof MappingNode ? "{" + entry + "}" : "[" + entry + "]");
    } else if (flow) {
      if (index == 0) {
        splice(start(firstOf(into, 0)), start(firstOf(into, 0)), entry + ", ");
      } else {
        int behind = end(lastOf(into, index - 1));
        splice(behind, behind, ", " + entry);
      }
    } else {
      String dash = into instanceof SequenceNode ? "- " : "";
      if (index == 0) {
        int at = start(firstOf(into, 0)) - dash.length();
        splice(at, at, dash + entry + "\n" + " ".repeat(indent - dash.length()));
      } else {
        int behind = endOfLine(end(lastOf(into, index - 1)));
        splice(behind, behind, "\n" + " ".repeat(indent - dash.length()) + dash + entry);
      }
    }
  }

  private void take(List<Object> path) {
    List<Object> parent = path.subList(0, path.size() - 1);
    CollectionNode<?> from = (CollectionNode<?>) at(parent).orElseThrow();
    int size = from.getValue().size();
    int index =
        from instanceof MappingNode map
            ? map.getValue().stream().map(YamlEdit::key).toList().indexOf(path.get(path.size() - 1))
            : (Integer) path.get(path.size() - 1);
    if (size == 1) {
      replace(parent, from, from instanceof MappingNode ? Map.of() : List.of());
      return;
    }
    int first = start(firstOf(from, index));
    int behind = end(lastOf(from, index));
    if (isFlow(parent)) {
      if (index + 1 < size) {
        splice(first, start(firstOf(from, index + 1)), "");
      } else {
        splice(end(lastOf(from, index - 1)), behind, "");
      }
      return;
    }
    int line = text.lastIndexOf('\n', first - 1) + 1;
    boolean ownLine =
        text.substring(line, first).matches("\\s*(- )?\\s*") && !isDashOfAnother(line, first, from);
    if (!ownLine) {
      splice(first, start(firstOf(from, index + 1)), "");
    } else if (endOfLine(behind) < text.length()) {
      splice(line, endOfLine(behind) + 1, "");
    } else {
      splice(Math.max(line - 1, 0), text.length(), "");
    }
  }

  /** Whether the dash in front of a map's first entry is that of the list around it. */
  private boolean isDashOfAnother(int line, int first, CollectionNode<?> from) {
    return from instanceof MappingNode && text.substring(line, first).contains("-");
  }

  private void splice(int from, int to, String with) {
    text = text.substring(0, from) + with + text.substring(to);
  }

  private int endOfLine(int from) {
    int end = text.indexOf('\n', from);
    return end < 0 ? text.length() : end;
  }

  // What stands where.

  private Optional<Node> at(List<Object> path) {
    List<Node> along = along(path);
    return along.size() > path.size() ? Optional.of(along.get(path.size())) : Optional.empty();
  }

  /** The nodes that a path leads through, the document's own first, as far as they are there. */
  private List<Node> along(List<Object> path) {
    Node node = compose();
    List<Node> out = new ArrayList<>(List.of(node));
    for (Object name : path) {
      Optional<Node> child =
          node instanceof MappingNode map && name instanceof String n
              ? tuple(map, n).map(NodeTuple::getValueNode)
              : node instanceof SequenceNode list && name instanceof Integer i
                  ? Optional.of(list.getValue().get(i))
                  : Optional.empty();
      if (child.isEmpty()) {
        return out;
      }
      if (start(child.get()) < start(node)) {
        // An alias: the value stands where its anchor does.
        throw notHere(path);
      }
      node = child.get();
      out.add(node);
    }
    return out;
  }

  private Node compose() {
    LoaderOptions options = new LoaderOptions();
    options.setAllowDuplicateKeys(false);
    return new Yaml(new SafeConstructor(options)).compose(new StringReader(text));
  }

  private static Optional<NodeTuple> tuple(MappingNode map, String name) {
    return map.getValue().stream().filter(t -> key(t).equals(name)).findFirst();
  }

  private static String key(NodeTuple tuple) {
    return ((ScalarNode) tuple.getKeyNode()).getValue();
  }

  private boolean isFlow(List<Object> path) {
    return along(path).stream()
        .anyMatch(n -> n instanceof CollectionNode<?> c && c.getFlowStyle() == FlowStyle.FLOW);
  }

  private static boolean isNothing(Node node) {
    return node instanceof ScalarNode s
        && s.getScalarStyle() == ScalarStyle.PLAIN
        && s.getTag().equals(org.yaml.snakeyaml.nodes.Tag.NULL);
  }

  private Object valueOf(Node node) {
    if (node instanceof MappingNode map) {
      Map<String, Object> out = new LinkedHashMap<>();
      map.getValue().forEach(t -> out.put(key(t), valueOf(t.getValueNode())));
      return out;
    } else if (node instanceof SequenceNode list) {
      return list.getValue().stream().map(this::valueOf).toList();
    }
    return isNothing(node) ? Optional.empty() : ((ScalarNode) node).getValue();
  }

  private static Node firstOf(CollectionNode<?> node, int index) {
    return node instanceof MappingNode map
        ? map.getValue().get(index).getKeyNode()
        : ((SequenceNode) node).getValue().get(index);
  }

  private static Node lastOf(CollectionNode<?> node, int index) {
    return node instanceof MappingNode map
        ? map.getValue().get(index).getValueNode()
        : ((SequenceNode) node).getValue().get(index);
  }

  private int start(Node node) {
    return offset(node.getStartMark());
  }

  private int end(Node node) {
    if (node instanceof CollectionNode<?> c && c.getFlowStyle() == FlowStyle.BLOCK) {
      int size = c.getValue().size();
      return size == 0 ? start(node) : end(lastOf(c, size - 1));
    }
    int end = offset(node.getEndMark());
    if (node instanceof ScalarNode s
        && (s.getScalarStyle() == ScalarStyle.LITERAL
            || s.getScalarStyle() == ScalarStyle.FOLDED)) {
      // The mark stands behind the line ends that follow.
      while (end > start(node) && Character.isWhitespace(text.charAt(end - 1))) {
        end--;
      }
    }
    return end;
  }

  /** Marks count code points, not characters. */
  private int offset(Mark mark) {
    return text.offsetByCodePoints(0, mark.getIndex());
  }

  // How values are written.

  private static String afterColon(Object value, boolean flow, int indent) {
    String written = written(value, flow, indent);
    return written.startsWith("\n") ? written : " " + written;
  }

  private static String written(Object value, boolean flow, int indent) {
    if (value instanceof String s) {
      return s.contains("\n") && !flow ? block(s, indent) : scalar(s, flow);
    } else if (value instanceof List<?> list) {
      return list.stream()
          .map(v -> written(v, true, indent))
          .collect(java.util.stream.Collectors.joining(", ", "[", "]"));
    } else if (value instanceof Map<?, ?> map) {
      List<String> entries = new ArrayList<>();
      map.forEach(
          (k, v) -> entries.add(scalar((String) k, true) + ": " + written(v, true, indent)));
      String all = "{" + String.join(", ", entries) + "}";
      if (flow || map.isEmpty() || all.length() <= LONGEST_MAP && !all.contains("\\n")) {
        return all;
      }
      StringBuilder out = new StringBuilder();
      String blanks = " ".repeat(indent + 2);
      map.forEach(
          (k, v) ->
              out.append('\n')
                  .append(blanks)
                  .append(scalar((String) k, false))
                  .append(':')
                  .append(afterColon(v, false, indent + 2)));
      return out.toString();
    }
    return "null";
  }

  /** A text of several lines, as it is. */
  private static String block(String text, int indent) {
    String blanks = " ".repeat(indent + 2);
    if (text.lines().findFirst().orElse("").startsWith(" ")) {
      // The first line would tell how far the others are indented.
      return quoted(text);
    }
    String keeps = text.endsWith("\n\n") ? "+" : text.endsWith("\n") ? "" : "-";
    return "|"
        + keeps
        + text.lines()
            .map(l -> l.isEmpty() ? "\n" : "\n" + blanks + l)
            .collect(java.util.stream.Collectors.joining());
  }

  private static String scalar(String text, boolean flow) {
    if (isPlain(text, flow)) {
      return text;
    }
    return text.contains("\"") && !text.contains("'") && text.codePoints().allMatch(c -> c >= ' ')
        ? "'" + text + "'"
        : quoted(text);
  }

  private static boolean isPlain(String text, boolean flow) {
    if (text.isEmpty() || text.contains("\n") || "*&!|>%@`\"'".indexOf(text.charAt(0)) >= 0) {
      return false;
    }
    try {
      String written = flow ? "{" + text + ": [" + text + ", x]}" : text + ": " + text;
      return said(DocumentValue.parse(written))
          .equals(Map.of(text, flow ? List.of(text, "x") : text));
    } catch (DocumentValue.MalformedException e) {
      return false;
    }
  }

  private static String quoted(String text) {
    StringBuilder out = new StringBuilder("\"");
    text.codePoints()
        .forEach(
            c -> {
              switch (c) {
                case '"' -> out.append("\\\"");
                case '\\' -> out.append("\\\\");
                case '\n' -> out.append("\\n");
                case '\t' -> out.append("\\t");
                default -> {
                  if (c < ' ' || c == 0x7F || c >= 0x80 && c < 0xA0 || c == 0xFEFF) {
                    out.append("\\u%04x".formatted(c));
                  } else {
                    out.appendCodePoint(c);
                  }
                }
              }
            });
    return out.append('"').toString();
  }
}
