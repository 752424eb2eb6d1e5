package yardage.core.format.tree;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.util.Optional;
import yardage.core.column.Type;
import yardage.core.expr.Expression;
import yardage.core.expr.ExpressionException;
import yardage.core.expr.Texts;
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
    return Texts.mapped("type of JSON", text, t -> TreeType.of(json(t), false).toString());
  }

  /** The type, as feeds write it, of an XML text's outermost element. */
  public static Expression xmlType(Expression text) {
    return Texts.mapped(
        "type of XML", text, t -> TreeType.of(XmlTree.parse(t, Optional.empty()), true).toString());
  }

  /** An XML text's outermost element as a value of a type. */
  public static Expression parseXml(Expression text, Type type) {
    return new JsonValues.Parse(
        Texts.mapped("XML", text, t -> XmlTree.parse(t, Optional.of(type)).toString()), type);
  }

  /** A value as an XML element of that name. */
  public static Expression xmlText(Expression value, String name) {
    return new Texts.Written(value, (v, out) -> XmlTree.write(name, v, out));
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
