package yardage.core.feed.propose;

import java.io.IOException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import javax.xml.XMLConstants;
import javax.xml.parsers.DocumentBuilder;
import javax.xml.parsers.DocumentBuilderFactory;
import javax.xml.parsers.ParserConfigurationException;
import org.w3c.dom.Element;
import org.w3c.dom.Node;
import org.xml.sax.SAXException;
import yardage.core.column.Type;
import yardage.core.feed.FileDiscovery;

/**
 * Takes the columns that an XML schema declares for a row element: attributes, elements, their
 * types, and which must be there. It reads one file; what that includes or imports counts as text.
 */
final class XsdGuess {
  private static final int MAX_DEPTH = 12;
  private static final Map<String, Type> TYPES =
      Map.ofEntries(
          Map.entry("int", Type.INT),
          Map.entry("integer", Type.BIGINT),
          Map.entry("long", Type.BIGINT),
          Map.entry("short", Type.INT),
          Map.entry("byte", Type.INT),
          Map.entry("unsignedByte", Type.INT),
          Map.entry("unsignedShort", Type.INT),
          Map.entry("unsignedInt", Type.BIGINT),
          Map.entry("positiveInteger", Type.BIGINT),
          Map.entry("nonNegativeInteger", Type.BIGINT),
          Map.entry("decimal", Type.decimal(18, 6)),
          Map.entry("double", Type.DOUBLE),
          Map.entry("float", Type.FLOAT),
          Map.entry("hexBinary", Type.BINARY),
          Map.entry("date", Type.DATE),
          Map.entry("dateTime", Type.TIMESTAMP));

  private final Map<String, Element> named = new HashMap<>();
  private final List<Proposal.Column> columns = new ArrayList<>();
  private final Set<String> used = new HashSet<>();

  private XsdGuess() {}

  /**
   * @param row the element that makes a row
   * @return the shape; empty when the schema has no such element, or is none
   */
  static Optional<Proposal.Shape> of(FileDiscovery.Found xsd, String row) throws IOException {
    XsdGuess guess = new XsdGuess();
    Optional<Element> root = guess.read(xsd);
    if (root.isEmpty()) {
      return Optional.empty();
    }
    Optional<Element> declared = find(root.get(), row);
    if (declared.isEmpty()) {
      return Optional.empty();
    }
    guess.parts(declared.get(), "", true, 0);
    if (guess.columns.isEmpty()) {
      return Optional.empty();
    }
    return Optional.of(
        new Proposal.Shape(
            "xml",
            List.of("xml: {row: %s, xsd: %s}".formatted(Yaml.flow(row), Yaml.flow(xsd.path()))),
            guess.columns,
            List.of(
                new Proposal.Evidence(
                    "columns",
                    xsd.path(),
                    "as the schema [%s] declares them".formatted(xsd.path())))));
  }

  /** The schema's root, with what it declares by name kept; empty when the file is no schema. */
  private Optional<Element> read(FileDiscovery.Found xsd) throws IOException {
    Optional<Element> root = parse(xsd.location().readText());
    root.map(XsdGuess::children)
        .orElse(List.of())
        .forEach(e -> named.put(e.getLocalName() + " " + e.getAttribute("name"), e));
    return root;
  }

  /**
   * The element that makes a row, from the schema alone: the first that may repeat, nearest to the
   * top, inside an element that can be a document's outermost; or that one, if nothing repeats.
   */
  static Optional<String> row(FileDiscovery.Found xsd) throws IOException {
    XsdGuess guess = new XsdGuess();
    Optional<Element> root = guess.read(xsd);
    List<Element> tops =
        root.map(XsdGuess::children).orElse(List.of()).stream()
            .filter(e -> e.getLocalName().equals("element"))
            .toList();
    // What another element refers to is a part, not a document.
    Set<String> referred = new HashSet<>();
    root.ifPresent(r -> references(r, referred));
    List<Element> level =
        tops.stream().filter(e -> !referred.contains(e.getAttribute("name"))).toList();
    List<Element> first = level.isEmpty() ? tops : level;
    level = first;
    for (int depth = 0; depth < MAX_DEPTH && !level.isEmpty(); depth++) {
      List<Element> below = new ArrayList<>();
      for (Element e : level) {
        guess.complex(e).ifPresent(c -> guess.particles(c, below));
      }
      Optional<Element> repeats = below.stream().filter(XsdGuess::mayRepeat).findFirst();
      if (repeats.isPresent()) {
        return guess.reference(repeats.get()).map(e -> e.getAttribute("name"));
      }
      level = below.stream().map(guess::reference).flatMap(Optional::stream).toList();
    }
    return first.stream().findFirst().map(e -> e.getAttribute("name"));
  }

  private static void references(Element e, Set<String> out) {
    if (e.hasAttribute("ref")) {
      out.add(local(e.getAttribute("ref")));
    }
    children(e).forEach(c -> references(c, out));
  }

  private void particles(Element of, List<Element> out) {
    for (Element c : children(of)) {
      if (c.getLocalName().equals("element")) {
        out.add(c);
      } else if (!c.getLocalName().equals("attribute")) {
        particles(c, out);
      }
    }
  }

  private static boolean mayRepeat(Element use) {
    String most = use.getAttribute("maxOccurs");
    return !most.isEmpty() && !most.equals("1") && !most.equals("0");
  }

  private static Optional<Element> parse(String text) {
    try {
      DocumentBuilderFactory factory = DocumentBuilderFactory.newInstance();
      factory.setNamespaceAware(true);
      factory.setFeature("http://apache.org/xml/features/disallow-doctype-decl", true);
      DocumentBuilder builder = factory.newDocumentBuilder();
      builder.setErrorHandler(null);
      Element root =
          builder
              .parse(new org.xml.sax.InputSource(new java.io.StringReader(text)))
              .getDocumentElement();
      return XMLConstants.W3C_XML_SCHEMA_NS_URI.equals(root.getNamespaceURI())
          ? Optional.of(root)
          : Optional.empty();
    } catch (ParserConfigurationException | SAXException | IOException e) {
      return Optional.empty();
    }
  }

  private static List<Element> children(Element of) {
    List<Element> out = new ArrayList<>();
    for (Node n = of.getFirstChild(); n != null; n = n.getNextSibling()) {
      if (n instanceof Element e
          && XMLConstants.W3C_XML_SCHEMA_NS_URI.equals(e.getNamespaceURI())) {
        out.add(e);
      }
    }
    return out;
  }

  private static Optional<Element> find(Element from, String name) {
    if (from.getLocalName().equals("element") && from.getAttribute("name").equals(name)) {
      return Optional.of(from);
    }
    return children(from).stream().map(c -> find(c, name)).flatMap(Optional::stream).findFirst();
  }

  private static String local(String name) {
    return name.substring(name.indexOf(':') + 1);
  }

  private Optional<Element> reference(Element e) {
    return e.hasAttribute("ref")
        ? Optional.ofNullable(named.get(e.getLocalName() + " " + local(e.getAttribute("ref"))))
        : Optional.of(e);
  }

  /** The complex type of an element; empty when its content is plain. */
  private Optional<Element> complex(Element element) {
    Optional<Element> own =
        children(element).stream().filter(c -> c.getLocalName().equals("complexType")).findFirst();
    return own.or(
        () -> Optional.ofNullable(named.get("complexType " + local(element.getAttribute("type")))));
  }

  /** The type of plain content, following restrictions and extensions to a type of the standard. */
  private Type plain(Element e, String attribute, int depth) {
    String name = local(e.getAttribute(attribute));
    if (TYPES.containsKey(name)) {
      return TYPES.get(name);
    }
    if (name.equals("boolean") || depth > MAX_DEPTH) {
      // The standard also writes 1 and 0; the words are added where the column is.
      return name.equals("boolean") ? Type.BOOLEAN : Type.VARCHAR;
    }
    Element type = named.get("simpleType " + name);
    for (Element c : children(type == null ? e : type)) {
      switch (c.getLocalName()) {
        case "simpleType", "complexType", "simpleContent":
          return plain(c, "none", depth + 1);
        case "restriction", "extension":
          return plain(c, "base", depth + 1);
        default:
          break;
      }
    }
    return Type.VARCHAR;
  }

  private void parts(Element element, String path, boolean required, int depth) {
    Optional<Element> complex = complex(element);
    if (complex.isEmpty() || depth > MAX_DEPTH) {
      add(
          path.isEmpty() ? "." : path.substring(0, path.length() - 1),
          plain(element, "type", 0),
          required);
      return;
    }
    content(complex.get(), path, required, depth);
  }

  private void content(Element of, String path, boolean required, int depth) {
    for (Element c : children(of)) {
      switch (c.getLocalName()) {
        case "attribute" ->
            reference(c)
                .ifPresent(
                    a ->
                        add(
                            path + "@" + a.getAttribute("name"),
                            plain(a, "type", 0),
                            required && c.getAttribute("use").equals("required")));
        case "sequence", "all", "complexContent" -> content(c, path, required, depth + 1);
        case "choice" -> content(c, path, false, depth + 1);
        case "simpleContent" -> {
          add(
              path.isEmpty() ? "." : path.substring(0, path.length() - 1),
              plain(c, "none", 0),
              required);
          children(c).forEach(e -> content(e, path, required, depth + 1));
        }
        case "extension", "restriction" -> {
          Element base = named.get("complexType " + local(c.getAttribute("base")));
          if (base != null && depth < MAX_DEPTH) {
            content(base, path, required, depth + 1);
          }
          content(c, path, required, depth + 1);
        }
        case "element" -> reference(c).ifPresent(e -> child(c, e, path, required, depth));
        default -> {
          // Annotations and the like say nothing of columns.
        }
      }
    }
  }

  private void child(Element use, Element declared, String path, boolean required, int depth) {
    String at = path + declared.getAttribute("name");
    boolean optional = use.getAttribute("minOccurs").equals("0") || isNillable(use, declared);
    if (mayRepeat(use)) {
      columns.add(
          new Proposal.Column(
              Naming.column(declared.getAttribute("name"), used),
              Type.list(value(declared, depth + 1)),
              Map.of("from", Yaml.flow(at)),
              "may repeat"));
    } else {
      parts(declared, at + "/", required && !optional, depth + 1);
    }
  }

  /** Whether an element may be there without a value. */
  private static boolean isNillable(Element use, Element declared) {
    return List.of(use, declared).stream()
        .map(e -> e.getAttribute("nillable"))
        .anyMatch(n -> n.equals("true") || n.equals("1"));
  }

  /** The type of an element that repeats. */
  private Type value(Element element, int depth) {
    Optional<Element> complex = complex(element);
    if (complex.isEmpty() || depth > MAX_DEPTH) {
      return plain(element, "type", 0);
    }
    XsdGuess inside = new XsdGuess();
    inside.named.putAll(named);
    inside.content(complex.get(), "", false, depth);
    List<Type.Part> parts = new ArrayList<>();
    Set<String> names = new HashSet<>();
    for (Proposal.Column c : inside.columns) {
      String from = c.settings().getOrDefault("from", c.name()).replaceAll("^\"|\"$", "");
      // Deeper paths have no place in a struct's own fields.
      if (!from.contains("/") && names.add(from)) {
        parts.add(new Type.Part(from, c.type()));
      }
    }
    return parts.isEmpty() ? Type.VARCHAR : Type.struct(parts);
  }

  private void add(String path, Type type, boolean required) {
    String name =
        Naming.column(path.equals(".") ? "text" : path.replace("@", "").replace('/', '_'), used);
    Map<String, String> settings = new LinkedHashMap<>();
    if (!name.equals(path)) {
      settings.put("from", Yaml.flow(path));
    }
    if (required) {
      settings.put("required", "true");
    }
    if (type.equals(Type.BOOLEAN)) {
      settings.put("yes", "[\"true\", \"1\"]");
      settings.put("no", "[\"false\", \"0\"]");
    }
    columns.add(new Proposal.Column(name, type, settings, ""));
  }
}
