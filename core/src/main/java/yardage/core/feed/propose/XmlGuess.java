package yardage.core.feed.propose;

import com.fasterxml.aalto.stax.InputFactoryImpl;
import java.io.StringReader;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import javax.xml.stream.XMLInputFactory;
import javax.xml.stream.XMLStreamConstants;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamReader;
import yardage.core.column.Type;

/** Finds the element that makes a row in XML, and what it holds. */
final class XmlGuess {
  /** An element: attributes, elements by name, and its text. */
  private static final class Node {
    private final String name;
    private final int line;
    private final Map<String, String> attributes = new LinkedHashMap<>();
    private final Map<String, List<Node>> children = new LinkedHashMap<>();
    private final StringBuilder text = new StringBuilder();

    Node(String name, int line) {
      this.name = name;
      this.line = line;
    }
  }

  private static final int MAX_DEPTH = 256;

  private XmlGuess() {}

  static Optional<Proposal.Shape> of(Sample sample) {
    return of(sample, Optional.empty());
  }

  /**
   * @param known the element that makes a row, if that is known
   */
  static Optional<Proposal.Shape> of(Sample sample, Optional<String> known) {
    if (!sample.text().stripLeading().startsWith("<")) {
      return Optional.empty();
    }
    Optional<Node> root = parse(sample.text());
    if (root.isEmpty()) {
      return Optional.empty();
    }
    Map<String, Integer> counts = new LinkedHashMap<>();
    Map<String, Integer> depths = new HashMap<>();
    count(root.get(), 0, counts, depths);
    // The element that repeats nearest to the top; a list inside a row repeats further down.
    String guessed =
        counts.entrySet().stream()
            .filter(e -> e.getValue() > 1)
            .min(
                (a, b) ->
                    depths.get(a.getKey()).equals(depths.get(b.getKey()))
                        ? b.getValue() - a.getValue()
                        : depths.get(a.getKey()) - depths.get(b.getKey()))
            .map(Map.Entry::getKey)
            .orElse(root.get().name);
    String row = known.map(r -> r.substring(r.indexOf(':') + 1)).orElse(guessed);
    List<Node> rows = new ArrayList<>();
    collect(root.get(), row, rows);
    if (rows.isEmpty()) {
      return Optional.empty();
    }
    List<Proposal.Column> columns = new ArrayList<>();
    Set<String> used = new HashSet<>();
    columns(rows, "", columns, used);
    return Optional.of(
        new Proposal.Shape(
            "xml",
            List.of("xml: {row: %s}".formatted(Yaml.flow(row))),
            columns,
            List.of(
                new Proposal.Evidence(
                    "row",
                    row,
                    "the element [%s] is there %,d times and repeats nearest to the top"
                        .formatted(row, rows.size())))));
  }

  private static Optional<Node> parse(String text) {
    XMLInputFactory factory = new InputFactoryImpl();
    factory.setProperty(XMLInputFactory.SUPPORT_DTD, false);
    Deque<Node> open = new ArrayDeque<>();
    Node root = null;
    try {
      XMLStreamReader reader = factory.createXMLStreamReader(new StringReader(text));
      while (reader.hasNext()) {
        int event = reader.next();
        if (event == XMLStreamConstants.START_ELEMENT) {
          if (open.size() == MAX_DEPTH) {
            // Nobody's rows lie this deep, and the passes below descend as far as this.
            break;
          }
          Node node = new Node(reader.getLocalName(), reader.getLocation().getLineNumber());
          for (int i = 0; i < reader.getAttributeCount(); i++) {
            node.attributes.put(reader.getAttributeLocalName(i), reader.getAttributeValue(i));
          }
          if (open.isEmpty()) {
            root = node;
          } else {
            open.peek().children.computeIfAbsent(node.name, n -> new ArrayList<>()).add(node);
          }
          open.push(node);
        } else if (event == XMLStreamConstants.END_ELEMENT) {
          open.pop();
        } else if (event == XMLStreamConstants.CHARACTERS && !open.isEmpty()) {
          open.peek().text.append(reader.getText());
        }
      }
    } catch (XMLStreamException | RuntimeException e) {
      // A sample may end inside an element: what was read so far tells enough.
    }
    return Optional.ofNullable(root);
  }

  private static void count(
      Node node, int depth, Map<String, Integer> counts, Map<String, Integer> depths) {
    counts.merge(node.name, 1, Integer::sum);
    depths.merge(node.name, depth, Math::min);
    node.children.values().forEach(l -> l.forEach(c -> count(c, depth + 1, counts, depths)));
  }

  private static void collect(Node node, String row, List<Node> out) {
    if (node.name.equals(row)) {
      out.add(node);
      return;
    }
    node.children.values().forEach(l -> l.forEach(c -> collect(c, row, out)));
  }

  /** Columns for the parts of some elements: flat where each has at most one, lists otherwise. */
  private static void columns(
      List<Node> nodes, String path, List<Proposal.Column> out, Set<String> used) {
    for (String attribute : attributes(nodes)) {
      List<ColumnGuess.Value> values = new ArrayList<>();
      nodes.forEach(
          n ->
              values.add(
                  new ColumnGuess.Value(n.line, Optional.ofNullable(n.attributes.get(attribute)))));
      add(path + "@" + attribute, values, out, used);
    }
    for (String child : children(nodes)) {
      boolean repeats =
          nodes.stream().anyMatch(n -> n.children.getOrDefault(child, List.of()).size() > 1);
      List<Node> all =
          nodes.stream().flatMap(n -> n.children.getOrDefault(child, List.of()).stream()).toList();
      String at = path + child;
      if (repeats) {
        Type type = Type.list(type(all));
        out.add(
            new Proposal.Column(
                Naming.column(child, used),
                type,
                Map.of("from", Yaml.flow(at)),
                "the element [%s] repeats inside a row".formatted(at)));
      } else if (all.stream().allMatch(n -> n.children.isEmpty() && n.attributes.isEmpty())) {
        add(at, texts(nodes, child), out, used);
      } else {
        columns(firsts(nodes, child), at + "/", out, used);
        if (all.stream().anyMatch(n -> !n.text.toString().isBlank())) {
          add(at, texts(nodes, child), out, used);
        }
      }
    }
    if (path.isEmpty()
        && nodes.stream().anyMatch(n -> n.children.isEmpty() && !n.text.toString().isBlank())) {
      List<ColumnGuess.Value> own = new ArrayList<>();
      nodes.forEach(n -> own.add(new ColumnGuess.Value(n.line, Optional.of(n.text.toString()))));
      add(".", own, out, used);
    }
  }

  /** The one element of that name in each; an empty one where there is none. */
  private static List<Node> firsts(List<Node> nodes, String child) {
    return nodes.stream()
        .map(n -> n.children.getOrDefault(child, List.of(new Node(child, n.line))).get(0))
        .toList();
  }

  private static List<ColumnGuess.Value> texts(List<Node> nodes, String child) {
    List<ColumnGuess.Value> out = new ArrayList<>();
    for (Node n : nodes) {
      List<Node> of = n.children.getOrDefault(child, List.of());
      out.add(
          new ColumnGuess.Value(
              n.line,
              of.isEmpty() ? Optional.empty() : Optional.of(of.get(0).text.toString().strip())));
    }
    return out;
  }

  private static void add(
      String path, List<ColumnGuess.Value> values, List<Proposal.Column> out, Set<String> used) {
    String plain =
        Naming.column(path.equals(".") ? "text" : path.replace("@", "").replace('/', '_'), used);
    Map<String, String> settings = new LinkedHashMap<>();
    if (!plain.equals(path)) {
      settings.put("from", Yaml.flow(path));
    }
    out.add(ColumnGuess.of(plain, values, settings, false));
  }

  private static Set<String> attributes(List<Node> nodes) {
    Map<String, Boolean> out = new LinkedHashMap<>();
    nodes.forEach(n -> n.attributes.keySet().forEach(a -> out.put(a, true)));
    return out.keySet();
  }

  private static Set<String> children(List<Node> nodes) {
    Map<String, Boolean> out = new LinkedHashMap<>();
    nodes.forEach(n -> n.children.keySet().forEach(a -> out.put(a, true)));
    return out.keySet();
  }

  private static Type type(List<Node> nodes) {
    List<Type.Part> parts = new ArrayList<>();
    Set<String> names = new HashSet<>();
    for (String attribute : attributes(nodes)) {
      List<ColumnGuess.Value> values =
          nodes.stream()
              .map(
                  n ->
                      new ColumnGuess.Value(
                          n.line, Optional.ofNullable(n.attributes.get(attribute))))
              .toList();
      names.add(attribute.toLowerCase(java.util.Locale.ROOT));
      parts.add(new Type.Part("@" + attribute, plain(values)));
    }
    for (String child : children(nodes)) {
      List<Node> all =
          nodes.stream().flatMap(n -> n.children.getOrDefault(child, List.of()).stream()).toList();
      boolean repeats =
          nodes.stream().anyMatch(n -> n.children.getOrDefault(child, List.of()).size() > 1);
      Type inside =
          all.stream().allMatch(n -> n.children.isEmpty() && n.attributes.isEmpty())
              ? plain(
                  all.stream()
                      .map(
                          n ->
                              new ColumnGuess.Value(n.line, Optional.of(n.text.toString().strip())))
                      .toList())
              : type(all);
      parts.add(new Type.Part(child, repeats ? Type.list(inside) : inside));
    }
    List<ColumnGuess.Value> own =
        nodes.stream()
            .map(n -> new ColumnGuess.Value(n.line, Optional.of(n.text.toString().strip())))
            .toList();
    if (parts.isEmpty()) {
      return plain(own);
    }
    if (nodes.stream().anyMatch(n -> !n.text.toString().isBlank())) {
      parts.add(new Type.Part(".", plain(own)));
    }
    return Type.struct(parts);
  }

  private static Type plain(List<ColumnGuess.Value> values) {
    Proposal.Column column = ColumnGuess.of("x", values, Map.of(), false);
    return column.settings().keySet().stream().allMatch("required"::equals)
        ? column.type()
        : Type.VARCHAR;
  }
}
