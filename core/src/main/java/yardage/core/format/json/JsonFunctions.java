package yardage.core.format.json;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectReader;
import com.fasterxml.jackson.databind.json.JsonMapper;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import java.util.List;
import java.util.Optional;
import yardage.core.column.*;
import yardage.core.expr.Expression;

/** Looks into JSON texts by a path, as SQL has it (ISO SQL:2016, 6.34 to 6.36 and 8.22). */
public final class JsonFunctions {
  private static final ObjectReader JSON =
      JsonMapper.builder()
          .enable(DeserializationFeature.USE_BIG_DECIMAL_FOR_FLOATS)
          .enable(DeserializationFeature.FAIL_ON_TRAILING_TOKENS)
          .nodeFactory(JsonNodeFactory.withExactBigDecimals(true))
          .build()
          .reader();

  private JsonFunctions() {}

  /** Empty where a text is no JSON value. */
  private static Optional<JsonNode> read(String text) {
    try {
      JsonNode node = JSON.readTree(text);
      return node.isMissingNode() ? Optional.empty() : Optional.of(node);
    } catch (JsonProcessingException e) {
      return Optional.empty();
    }
  }

  private interface Answer {
    /** Of null nothing is asked. */
    Optional<String> of(String json);
  }

  private static Column texts(Expression text, Batch batch, Answer answer) {
    TextColumn in = (TextColumn) text.evaluate(batch);
    TextBuilder out = new TextBuilder();
    for (int r = 0; r < in.size(); r++) {
      Optional<String> value = in.isNull(r) ? Optional.empty() : answer.of(in.value(r));
      if (value.isPresent()) {
        out.append(value.get());
      } else {
        out.appendNull();
      }
    }
    return out.build();
  }

  /**
   * {@code JSON_VALUE}: the one plain value at a path, as text; null for a list, an object, several
   * values, or a null.
   *
   * @param onEmpty what stands for nothing at all; else null
   * @param onError what stands for what is no plain value, or no JSON; else null
   */
  public record Value(
      Expression text, String path, Optional<String> onEmpty, Optional<String> onError)
      implements Expression {
    public Value {
      JsonPath.parse(path);
    }

    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      JsonPath to = JsonPath.parse(path);
      return texts(
          text,
          batch,
          json -> {
            Optional<JsonNode> root = read(json);
            if (root.isEmpty()) {
              return onError;
            }
            List<JsonNode> found = to.in(root.get());
            if (found.isEmpty()) {
              return onEmpty;
            }
            JsonNode one = found.get(0);
            if (found.size() > 1 || one.isContainerNode()) {
              return onError;
            }
            return one.isNull()
                ? Optional.empty()
                : Optional.of(
                    one.isBigDecimal() ? one.decimalValue().toPlainString() : one.asText());
          });
    }
  }

  /**
   * {@code JSON_QUERY}: the list or object at a path, as JSON text.
   *
   * @param wraps whether what is found becomes a list: always, or where it is not one list or
   *     object
   */
  public record Query(Expression text, String path, Wraps wraps) implements Expression {
    /** When what is found becomes a list. */
    public enum Wraps {
      NEVER,
      WHERE_NEEDED,
      ALWAYS
    }

    public Query {
      JsonPath.parse(path);
    }

    @Override
    public Type type() {
      return Type.VARCHAR;
    }

    @Override
    public Column evaluate(Batch batch) {
      JsonPath to = JsonPath.parse(path);
      return texts(
          text,
          batch,
          json -> {
            List<JsonNode> found = read(json).map(to::in).orElse(List.of());
            boolean plain = found.size() == 1 && found.get(0).isContainerNode();
            boolean listed = wraps == Wraps.ALWAYS || wraps == Wraps.WHERE_NEEDED && !plain;
            return found.isEmpty() || !listed && !plain
                ? Optional.empty()
                : Optional.of(
                    (listed ? JsonNodeFactory.instance.arrayNode().addAll(found) : found.get(0))
                        .toString());
          });
    }
  }

  /** What is at a path, each as JSON text, in a list; of what is no JSON an empty one. */
  public record Items(Expression text, String path) implements Expression {
    public Items {
      JsonPath.parse(path);
    }

    @Override
    public Type type() {
      return Type.list(Type.VARCHAR);
    }

    @Override
    public Column evaluate(Batch batch) {
      JsonPath to = JsonPath.parse(path);
      TextColumn in = (TextColumn) text.evaluate(batch);
      TextBuilder items = new TextBuilder();
      int[] offsets = new int[in.size() + 1];
      long[] nulls = null;
      for (int r = 0; r < in.size(); r++) {
        if (in.isNull(r)) {
          nulls = nulls == null ? Bits.allocate(in.size()) : nulls;
          Bits.set(nulls, r);
        } else {
          read(in.value(r)).map(to::in).orElse(List.of()).forEach(n -> items.append(n.toString()));
        }
        offsets[r + 1] = items.size();
      }
      return new ListColumn(type(), offsets, items.build(), nulls, in.size());
    }
  }

  /** {@code JSON_EXISTS}: whether something is at a path; not in what is no JSON. */
  public record Exists(Expression text, String path) implements Expression {
    public Exists {
      JsonPath.parse(path);
    }

    @Override
    public Type type() {
      return Type.BOOLEAN;
    }

    @Override
    public Column evaluate(Batch batch) {
      JsonPath to = JsonPath.parse(path);
      TextColumn in = (TextColumn) text.evaluate(batch);
      byte[] out = new byte[in.size()];
      for (int r = 0; r < out.length; r++) {
        boolean there =
            !in.isNull(r) && read(in.value(r)).map(n -> !to.in(n).isEmpty()).orElse(false);
        out[r] = (byte) (there ? 1 : 0);
      }
      return new BooleanColumn(out, in.nulls(), out.length);
    }
  }
}
