package yardage.core.format.tree;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.util.Optional;
import java.util.function.Function;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.TextBuilder;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.expr.Expression;
import yardage.core.expr.ExpressionException;
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
    return new Mapped(text, t -> TreeType.of(json(t), false).toString());
  }

  /** The type, as feeds write it, of an XML text's outermost element. */
  public static Expression xmlType(Expression text) {
    return new Mapped(text, t -> TreeType.of(XmlTree.parse(t, Optional.empty()), true).toString());
  }

  /** An XML text's outermost element as a value of a type. */
  public static Expression parseXml(Expression text, Type type) {
    return new JsonValues.Parse(
        new Mapped(text, t -> XmlTree.parse(t, Optional.of(type)).toString()), type);
  }

  /** A value as an XML element of that name. */
  public static Expression xmlText(Expression value, String name) {
    return new XmlText(value, name);
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

  private record Mapped(Expression operand, Function<String, String> function)
      implements Expression {
    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      TextColumn texts = (TextColumn) operand.evaluate(batch);
      TextBuilder out = new TextBuilder();
      for (int r = 0; r < texts.size(); r++) {
        if (texts.isNull(r)) {
          out.appendNull();
        } else {
          out.append(function.apply(texts.value(r)));
        }
      }
      return out.build();
    }
  }

  private record XmlText(Expression operand, String name) implements Expression {
    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      Column values = operand.evaluate(batch);
      TextBuilder out = new TextBuilder();
      StringBuilder xml = new StringBuilder();
      for (int r = 0; r < values.size(); r++) {
        if (values.isNull(r)) {
          out.appendNull();
        } else {
          xml.setLength(0);
          XmlTree.write(name, values.value(r), xml);
          out.append(xml.toString());
        }
      }
      return out.build();
    }
  }
}
