package yardage.core.format.json;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Json;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.expr.Expression;
import yardage.core.expr.ExpressionException;
import yardage.core.expr.Texts;
import yardage.core.expr.ValueText;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RejectedRecord;

/** Values to JSON text and back, as expressions. */
public final class JsonValues {
  private JsonValues() {}

  /** A value as JSON text. */
  public enum AsJson implements ValueText {
    TEXT;

    @Override
    public void append(Object value, StringBuilder out) {
      Json.write(value, out);
    }
  }

  /** Any value as JSON; null stays null. */
  public static Expression textOf(Expression operand) {
    return new Texts.Written(AsJson.TEXT, operand);
  }

  /**
   * A JSON text as a value of a type. What is no JSON, or does not fit, is an error that says so.
   */
  public record Parse(Expression operand, Type type) implements Expression {
    @Override
    public Column evaluate(Batch batch) {
      TextColumn texts = (TextColumn) operand.evaluate(batch);
      StringBuilder lines = new StringBuilder();
      for (int r = 0; r < texts.size(); r++) {
        // Line ends stand between values only: inside texts JSON has them escaped.
        String text =
            texts.isNull(r) ? "null" : texts.value(r).replace('\n', ' ').replace('\r', ' ');
        lines.append("{\"v\":").append(text).append("}\n");
      }
      FieldRule rule = new FieldRule("value", type, false, List.of(), Optional.empty());
      Gathered out = new Gathered();
      try {
        new JsonFormat(JsonLayout.lines(), List.of(rule), List.of("v"), false)
            .read(
                "text",
                new ByteArrayInputStream(lines.toString().getBytes(StandardCharsets.UTF_8)),
                out);
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
      return out.parts.isEmpty()
          ? ColumnBuilder.of(type).build()
          : ColumnBuilder.concat(type, out.parts);
    }
  }

  private static final class Gathered implements RecordOutput {
    private final List<Column> parts = new ArrayList<>();

    @Override
    public void records(ParsedRecords records) {
      if (!records.failures().isEmpty()) {
        throw wrong(records.original(records.failures().row(0)), records.failures().failure(0));
      }
      parts.add(records.columns().get(0));
    }

    @Override
    public void reject(RejectedRecord record) {
      throw wrong(record.original(), record.failures().get(0));
    }

    @Override
    public void stray(String field, long count, long line, String example) {
      // Only a text such as [1,"w":2] gets here: more than one value, and so no JSON.
      throw new ExpressionException(
          "Cannot read a text with [\"%s\":%s] as JSON: it is more than one value"
              .formatted(field, example));
    }

    private static ExpressionException wrong(String line, RejectedRecord.Failure why) {
      String text = line.startsWith("{\"v\":") ? line.substring(5, line.length() - 1) : line;
      return new ExpressionException(
          "Cannot read [%s] as JSON: %s"
              .formatted(text.substring(0, Math.min(200, text.length())), why.message()));
    }
  }
}
