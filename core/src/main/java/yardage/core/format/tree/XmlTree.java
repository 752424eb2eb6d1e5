package yardage.core.format.tree;

import com.fasterxml.aalto.stax.InputFactoryImpl;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.StringReader;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import javax.xml.stream.XMLInputFactory;
import javax.xml.stream.XMLStreamConstants;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamReader;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.expr.ExpressionException;

/**
 * An XML text as a tree, and back. An element is its text where it has nothing else; otherwise an
 * object: attributes by {@code @name}, elements by name, its own text by {@code .}. Elements that
 * repeat are an array. Document types are not read, so there are no entities to expand.
 */
final class XmlTree {
  private static final int MAX_DEPTH = 512;
  private static final Pattern NAME = Pattern.compile("[\\p{L}_][\\p{L}\\p{N}._-]*");
  private static final JsonNodeFactory NODES = JsonNodeFactory.instance;

  private XmlTree() {}

  private static final class Element {
    private final Map<String, String> attributes = new LinkedHashMap<>();
    private final Map<String, List<Element>> elements = new LinkedHashMap<>();
    private final StringBuilder text = new StringBuilder();
  }

  /**
   * @param wanted the type that the tree is read as: it tells which elements are lists even where
   *     only one is there
   * @throws ExpressionException when the text is not well-formed
   */
  static JsonNode parse(String text, Optional<Type> wanted) {
    XMLInputFactory factory = new InputFactoryImpl();
    factory.setProperty(XMLInputFactory.SUPPORT_DTD, false);
    try {
      XMLStreamReader reader = factory.createXMLStreamReader(new StringReader(text));
      while (reader.next() != XMLStreamConstants.START_ELEMENT) {
        // What stands before the first element.
      }
      Element root = element(reader, 0);
      while (reader.hasNext()) {
        reader.next();
      }
      return tree(root, wanted);
    } catch (XMLStreamException | java.util.NoSuchElementException e) {
      throw new ExpressionException(
          "Cannot read [%s] as XML: %s"
              .formatted(
                  text.substring(0, Math.min(200, text.length())),
                  String.valueOf(e.getMessage()).lines().findFirst().orElse("it is not XML")));
    }
  }

  private static Element element(XMLStreamReader reader, int depth) throws XMLStreamException {
    if (depth > MAX_DEPTH) {
      throw new XMLStreamException("elements are nested more than " + MAX_DEPTH + " deep");
    }
    Element out = new Element();
    for (int i = 0; i < reader.getAttributeCount(); i++) {
      out.attributes.put(reader.getAttributeLocalName(i), reader.getAttributeValue(i));
    }
    for (int event = reader.next();
        event != XMLStreamConstants.END_ELEMENT;
        event = reader.next()) {
      if (event == XMLStreamConstants.START_ELEMENT) {
        out.elements
            .computeIfAbsent(reader.getLocalName(), n -> new ArrayList<>())
            .add(element(reader, depth + 1));
      } else if (event == XMLStreamConstants.CHARACTERS || event == XMLStreamConstants.CDATA) {
        out.text.append(reader.getText());
      }
    }
    return out;
  }

  private static JsonNode tree(Element e, Optional<Type> wanted) {
    String text = e.text.toString().strip();
    boolean asStruct = wanted.map(t -> t.kind() == Type.Kind.STRUCT).orElse(false);
    boolean asText = wanted.map(t -> !t.isNested()).orElse(false);
    if (asText || !asStruct && e.attributes.isEmpty() && e.elements.isEmpty()) {
      return NODES.textNode(text);
    }
    ObjectNode out = NODES.objectNode();
    e.attributes.forEach((name, value) -> out.put("@" + name, value));
    e.elements.forEach(
        (name, all) -> {
          Optional<Type> part = part(wanted, name);
          boolean list = part.map(t -> t.kind() == Type.Kind.LIST).orElse(all.size() > 1);
          if (!list) {
            out.set(name, tree(all.get(all.size() - 1), part));
            return;
          }
          ArrayNode array = out.putArray(name);
          all.forEach(child -> array.add(tree(child, part.map(Type::element))));
        });
    if (!text.isEmpty()) {
      out.put(".", text);
    }
    return out;
  }

  private static Optional<Type> part(Optional<Type> of, String name) {
    return of.filter(t -> t.kind() == Type.Kind.STRUCT && t.indexOf(name) >= 0)
        .map(t -> t.parts().get(t.indexOf(name)).type());
  }

  /** Appends a value, as {@link yardage.core.column.Column#value} gives it, as an element. */
  static void write(String name, Object value, StringBuilder out) {
    if (value instanceof List<?> list) {
      list.forEach(v -> write(name, v, out));
      return;
    }
    if (value == null) {
      return;
    }
    if (!NAME.matcher(name).matches()) {
      throw new ExpressionException("[%s] cannot be the name of an XML element".formatted(name));
    }
    out.append('<').append(name);
    if (!(value instanceof Map<?, ?> parts)) {
      out.append('>');
      escape(Values.text(value), out);
    } else {
      StringBuilder inside = new StringBuilder();
      parts.forEach(
          (key, part) -> {
            String at = Values.text(key);
            if (part == null) {
              return;
            }
            if (at.startsWith("@") && !(part instanceof Map) && !(part instanceof List)) {
              if (!NAME.matcher(at.substring(1)).matches()) {
                throw new ExpressionException(
                    "[%s] cannot be the name of an XML attribute".formatted(at));
              }
              out.append(' ').append(at, 1, at.length()).append("=\"");
              escape(Values.text(part), out);
              out.append('"');
            } else if (at.equals(".")) {
              escape(Values.text(part), inside);
            } else {
              write(at, part, inside);
            }
          });
      out.append('>').append(inside);
    }
    out.append("</").append(name).append('>');
  }

  private static void escape(String text, StringBuilder out) {
    text.codePoints()
        .forEach(
            c -> {
              switch (c) {
                case '<' -> out.append("&lt;");
                case '>' -> out.append("&gt;");
                case '&' -> out.append("&amp;");
                case '"' -> out.append("&quot;");
                case '\t', '\n', '\r' -> out.append("&#").append(c).append(';');
                default -> {
                  boolean allowed =
                      c >= 0x20 && c <= 0xD7FF || c >= 0xE000 && c <= 0xFFFD || c >= 0x10000;
                  // XML 1.0 has no way to write other characters at all.
                  out.appendCodePoint(allowed ? c : 0xFFFD);
                }
              }
            });
  }
}
