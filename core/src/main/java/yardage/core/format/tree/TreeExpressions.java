package yardage.core.format.tree;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.nio.charset.StandardCharsets;
import java.util.Optional;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;
import yardage.core.expr.Expression;
import yardage.core.expr.ExpressionException;
import yardage.core.expr.TextFunction;
import yardage.core.expr.Texts;
import yardage.core.expr.ValueText;
import yardage.core.format.json.JsonValues;

/** The expressions over single texts. Null stays null in all of them. */
public final class TreeExpressions {
  private static final ObjectMapper JSON =
      new ObjectMapper()
          .enable(DeserializationFeature.USE_BIG_DECIMAL_FOR_FLOATS)
          .enable(DeserializationFeature.FAIL_ON_TRAILING_TOKENS);

  private TreeExpressions() {}

  /** The type, as feeds write it, of a JSON text. */
  public static Expression jsonType(Expression text) {
    return new Texts.Mapped(TypeOf.JSON_TEXT, text);
  }

  /** The type, as feeds write it, of an XML text's outermost element. */
  public static Expression xmlType(Expression text) {
    return new Texts.Mapped(TypeOf.XML_TEXT, text);
  }

  /** An XML text's outermost element as a value of a type. */
  public static Expression parseXml(Expression text, Type type) {
    return new JsonValues.Parse(new Texts.Mapped(new XmlAsJson(type), text), type);
  }

  /** A value as an XML element of that name. */
  public static Expression xmlText(Expression value, String name) {
    return new Texts.Written(new Element(name), value);
  }

  /** The type of what is in a text, as feeds write it. */
  public enum TypeOf implements TextFunction {
    JSON_TEXT,
    XML_TEXT;

    @Override
    public void apply(byte[] bytes, int start, int end, TextBuilder out) {
      String text = new String(bytes, start, end - start, StandardCharsets.UTF_8);
      boolean xml = this == XML_TEXT;
      JsonNode tree = xml ? XmlTree.parse(text, Optional.empty()) : json(text);
      out.append(TreeType.of(tree, xml).toString());
    }
  }

  /** An XML text as the JSON of a value of a type. */
  public record XmlAsJson(Type type) implements TextFunction {
    @Override
    public void apply(byte[] bytes, int start, int end, TextBuilder out) {
      String text = new String(bytes, start, end - start, StandardCharsets.UTF_8);
      out.append(XmlTree.parse(text, Optional.of(type)).toString());
    }
  }

  /** A value as an XML element of that name. */
  public record Element(String name) implements ValueText {
    @Override
    public void append(Object value, StringBuilder out) {
      XmlTree.write(name, value, out);
    }
  }

  private static JsonNode json(String text) {
    try {
      return JSON.readTree(text);
    } catch (JsonProcessingException e) {
      throw new ExpressionException(
          "Cannot read [%s] as JSON: %s"
              .formatted(text.substring(0, Math.min(200, text.length())), e.getOriginalMessage()));
    }
  }
}
