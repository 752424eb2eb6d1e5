package yardage.core.pipeline.tests;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.ListValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.pipeline.read.PipelineDocument;

/**
 * A test's document: what its text says, before it is held against a pipeline.
 *
 * @param of the pipeline
 * @param given rows by the step that reads them; steps that are not named read none
 * @param expect what is expected, by step
 */
public record TestDocument(
    String name,
    String of,
    String about,
    Map<String, String> parameters,
    Map<TextValue, List<Row>> given,
    Map<TextValue, Expected> expect) {

  /** Values by column, as they are written. */
  public record Row(Map<TextValue, DocumentValue> values, Place place) {}

  /** What is expected of a step. */
  public sealed interface Expected {
    /** These rows and no others, in any order; columns that no row names do not count. */
    record Rows(List<Row> rows, Place place) implements Expected {}

    /** So many rows. */
    record Count(long rows, Place place) implements Expected {}
  }

  /** What a text says, and what is wrong with it; a test only where nothing is. */
  public record Parsed(String name, Optional<TestDocument> test, List<Problem> problems) {}

  /** Reads a document; never throws for what the text says. */
  public static Parsed parse(String text) {
    List<Problem> problems = new ArrayList<>();
    try {
      if (DocumentValue.parse(text) instanceof MapValue map) {
        return new Reading(problems).test(new DocumentReader(map, "", "", problems));
      }
      problems.add(
          PipelineDocument.error(
              "",
              "",
              "wrong-shape",
              Place.START,
              "A test's document must hold named values, starting with test: its-name"));
    } catch (DocumentValue.MalformedException e) {
      problems.add(PipelineDocument.error("", "", "not-yaml", e.place(), e.getMessage()));
    }
    return new Parsed("?", Optional.empty(), problems);
  }

  private record Reading(List<Problem> problems) {
    Parsed test(DocumentReader doc) {
      Optional<TextValue> name = doc.required("test", "the test's name");
      name.filter(n -> !Names.isOfDocument(n.text()))
          .ifPresent(
              n -> doc.error("wrong-name", "test", n.place(), Names.wrongOfDocument(n.text())));
      Optional<TextValue> of = doc.required("of", "the pipeline that is tested");
      String about = doc.text("about").map(TextValue::text).orElse("");
      Map<String, String> parameters = new LinkedHashMap<>();
      doc.pairs("parameters").forEach((k, v) -> parameters.put(k.text(), v.text()));
      Map<TextValue, List<Row>> given = new LinkedHashMap<>();
      doc.reader("given")
          .ifPresent(r -> r.entries().forEach((k, v) -> given.put(k, rows(r, k, v))));
      Map<TextValue, Expected> expect = new LinkedHashMap<>();
      if (!doc.has("expect")) {
        doc.error(
            "missing-field",
            "expect",
            doc.place(),
            "[expect] is missing: the rows of steps, as in once: [{roll_id: R1}], or once: {rows: 2}");
      }
      doc.reader("expect")
          .ifPresent(
              r ->
                  r.entries()
                      .forEach((k, v) -> expected(r, k, v).ifPresent(e -> expect.put(k, e))));
      doc.finish();
      String called = name.map(TextValue::text).orElse("?");
      return new Parsed(
          called,
          problems.isEmpty()
              ? Optional.of(
                  new TestDocument(
                      called, of.map(TextValue::text).orElse(""), about, parameters, given, expect))
              : Optional.empty(),
          List.copyOf(problems));
    }

    private Optional<Expected> expected(DocumentReader in, TextValue step, DocumentValue value) {
      if (!(value instanceof MapValue map)) {
        return Optional.of(new Expected.Rows(rows(in, step, value), value.place()));
      }
      DocumentReader reader =
          new DocumentReader(map, step.text(), "expect." + step.text(), problems);
      Optional<Long> rows = reader.parsed("rows", Reading::count);
      if (!reader.has("rows")) {
        reader.error(
            "missing-field",
            "rows",
            value.place(),
            "Say how many rows, as in {rows: 2}, or list them, as in [{roll_id: R1}]");
      }
      reader.finish();
      return rows.map(n -> new Expected.Count(n, value.place()));
    }

    private static long count(String text) {
      if (!text.matches("\\d{1,9}")) {
        throw new IllegalArgumentException("[%s] is no number of rows".formatted(text));
      }
      return Long.parseLong(text);
    }

    private List<Row> rows(DocumentReader in, TextValue step, DocumentValue value) {
      if (value instanceof ListValue list
          && list.items().stream().allMatch(i -> i instanceof MapValue)) {
        return list.items().stream()
            .map(i -> new Row(((MapValue) i).entries(), i.place()))
            .toList();
      }
      in.error(
          "wrong-shape",
          step.text(),
          value.place(),
          "[%s] must be a list of rows, each with its values by column, as in [{roll_id: R1, metres: 12.5}]"
              .formatted(step.text()));
      return List.of();
    }
  }
}
