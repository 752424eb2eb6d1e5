package yardage.core.document;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.yaml.snakeyaml.DumperOptions.ScalarStyle;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.constructor.SafeConstructor;
import org.yaml.snakeyaml.error.Mark;
import org.yaml.snakeyaml.error.MarkedYAMLException;
import org.yaml.snakeyaml.error.YAMLException;
import org.yaml.snakeyaml.nodes.MappingNode;
import org.yaml.snakeyaml.nodes.Node;
import org.yaml.snakeyaml.nodes.NodeTuple;
import org.yaml.snakeyaml.nodes.ScalarNode;
import org.yaml.snakeyaml.nodes.SequenceNode;
import org.yaml.snakeyaml.nodes.Tag;

/** A value of a YAML document, with its place. Closed: what YAML has. */
public sealed interface DocumentValue {
  Place place();

  /** Named values in the order of the document. */
  record MapValue(Map<TextValue, DocumentValue> entries, Place place) implements DocumentValue {}

  /** Values in order. */
  record ListValue(List<DocumentValue> items, Place place) implements DocumentValue {}

  /**
   * A plain value, as text.
   *
   * @param line where its first character stands, behind quotes or a block's header
   * @param indent blanks that a block's further lines had in the document; 0 for others
   */
  record TextValue(String text, boolean isNull, int line, int column, int indent, Place place)
      implements DocumentValue {
    @Override
    public boolean equals(Object other) {
      return other instanceof TextValue t && t.text.equals(text);
    }

    @Override
    public int hashCode() {
      return text.hashCode();
    }

    /** Another text at this one's place. */
    public TextValue withText(String other) {
      return new TextValue(other, false, line, column, 0, place);
    }

    /** The text with its lines indented as in the document, for parsers that report places. */
    public String asPlaced() {
      return indent == 0 ? text : text.replace("\n", "\n" + " ".repeat(indent));
    }
  }

  /** A document that is not YAML. */
  final class MalformedException extends RuntimeException {
    private final Place place;

    MalformedException(String message, Place place, Throwable cause) {
      super(message, cause);
      this.place = place;
    }

    public Place place() {
      return place;
    }
  }

  /**
   * @throws MalformedException when the text is not one YAML document
   */
  static DocumentValue parse(String text) {
    LoaderOptions options = new LoaderOptions();
    options.setAllowDuplicateKeys(false);
    options.setMaxAliasesForCollections(20);
    try {
      Node root = new Yaml(new SafeConstructor(options)).compose(new java.io.StringReader(text));
      if (root == null) {
        throw new MalformedException("The document is empty", Place.START, null);
      }
      return convert(root, text.split("\n", -1), 0);
    } catch (MarkedYAMLException e) {
      Mark mark = e.getProblemMark();
      Place place =
          mark == null
              ? Place.START
              : new Place(
                  mark.getLine() + 1,
                  mark.getColumn() + 1,
                  mark.getLine() + 1,
                  mark.getColumn() + 1);
      String problem = e.getProblem() == null ? e.getMessage() : e.getProblem();
      throw new MalformedException(
          "This is not YAML: " + problem.replaceAll("\\s+", " "), place, e);
    } catch (YAMLException e) {
      throw new MalformedException("This is not YAML: " + e.getMessage(), Place.START, e);
    }
  }

  private static DocumentValue convert(Node node, String[] lines, int depth) {
    Place place = place(node);
    if (depth > 40) {
      throw new MalformedException("Values are nested too deep", place, null);
    }
    if (node instanceof MappingNode map) {
      Map<TextValue, DocumentValue> entries = new LinkedHashMap<>();
      for (NodeTuple tuple : map.getValue()) {
        if (!(convert(tuple.getKeyNode(), lines, depth + 1) instanceof TextValue key)) {
          throw new MalformedException(
              "A name must be plain text", place(tuple.getKeyNode()), null);
        }
        if (entries.put(key, convert(tuple.getValueNode(), lines, depth + 1)) != null) {
          throw new MalformedException(
              "[%s] is there twice".formatted(key.text()), key.place(), null);
        }
      }
      return new MapValue(entries, place);
    }
    if (node instanceof SequenceNode list) {
      List<DocumentValue> items = new ArrayList<>();
      list.getValue().forEach(n -> items.add(convert(n, lines, depth + 1)));
      return new ListValue(List.copyOf(items), place);
    }
    ScalarNode scalar = (ScalarNode) node;
    ScalarStyle style = scalar.getScalarStyle();
    int line = place.line();
    int column = place.column();
    int indent = 0;
    if (style == ScalarStyle.LITERAL || style == ScalarStyle.FOLDED) {
      line++;
      String first = line - 1 < lines.length ? lines[line - 1] : "";
      indent = first.length() - first.stripLeading().length();
      column = indent + 1;
    } else if (style != ScalarStyle.PLAIN) {
      column++;
    }
    boolean isNull = style == ScalarStyle.PLAIN && scalar.getTag().equals(Tag.NULL);
    return new TextValue(scalar.getValue(), isNull, line, column, indent, place);
  }

  private static Place place(Node node) {
    Mark start = node.getStartMark();
    Mark end = node.getEndMark();
    // The end mark stands behind the last character; for blocks it stands on the line below.
    boolean sameLine = end.getLine() == start.getLine();
    return new Place(
        start.getLine() + 1,
        start.getColumn() + 1,
        end.getLine() + 1,
        sameLine ? Math.max(end.getColumn(), start.getColumn() + 1) : Math.max(end.getColumn(), 1));
  }
}
