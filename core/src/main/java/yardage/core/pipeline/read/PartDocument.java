package yardage.core.pipeline.read;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;

/**
 * A part: steps that several pipelines use, with inputs and parameters of its own. It neither reads
 * nor writes, so what a pipeline touches is always said in the pipeline.
 *
 * @param inputs what its steps call the rows that come in, in the order of {@code from}
 * @param gives the step whose rows come out
 */
public final class PartDocument {
  private static final Set<String> OUTSIDE =
      Set.of("read", "write", "dimension", "calendar", "use", "fact");

  private final String name;
  private final String about;
  private final List<String> inputs;
  private final Map<String, PipelineDocument.Parameter> parameters;
  private final Map<String, PipelineDocument.Step> steps;
  private final String gives;

  private PartDocument(
      String name,
      String about,
      List<String> inputs,
      Map<String, PipelineDocument.Parameter> parameters,
      Map<String, PipelineDocument.Step> steps,
      String gives) {
    this.name = name;
    this.about = about;
    this.inputs = List.copyOf(inputs);
    this.parameters = parameters;
    this.steps = steps;
    this.gives = gives;
  }

  public String name() {
    return name;
  }

  public String about() {
    return about;
  }

  public List<String> inputs() {
    return inputs;
  }

  public Map<String, PipelineDocument.Parameter> parameters() {
    return parameters;
  }

  public Map<String, PipelineDocument.Step> steps() {
    return steps;
  }

  public List<String> stepNames() {
    return List.copyOf(steps.keySet());
  }

  public String gives() {
    return gives;
  }

  /** What a text says, and what is wrong with it; a part only where nothing is. */
  public record Parsed(String name, Optional<PartDocument> part, List<Problem> problems) {}

  /** Reads a document; never throws for what the text says. */
  public static Parsed parse(String text) {
    List<Problem> problems = new ArrayList<>();
    try {
      if (DocumentValue.parse(text) instanceof MapValue map) {
        return read(new DocumentReader(map, "", "", problems), problems);
      }
      problems.add(
          PipelineDocument.error(
              "",
              "",
              "wrong-shape",
              Place.START,
              "A part's document must hold named values, starting with part: its-name"));
    } catch (DocumentValue.MalformedException e) {
      problems.add(PipelineDocument.error("", "", "not-yaml", e.place(), e.getMessage()));
    }
    return new Parsed("?", Optional.empty(), problems);
  }

  private static Parsed read(DocumentReader doc, List<Problem> problems) {
    PipelineDocument.Reading reading = new PipelineDocument.Reading(problems);
    String name = doc.required("part", "the part's name").map(TextValue::text).orElse("?");
    if (!Names.isOfDocument(name)) {
      doc.error("wrong-name", "part", doc.place(), Names.wrongOfDocument(name));
    }
    String about = doc.text("about").map(TextValue::text).orElse("");
    List<TextValue> inputs = doc.texts("inputs");
    if (inputs.isEmpty()) {
      doc.error(
          "missing-field",
          "inputs",
          doc.place(),
          "[inputs] is missing: what the steps call the rows that come in, as in inputs: [rolls]");
    }
    Map<String, PipelineDocument.Parameter> parameters = new LinkedHashMap<>();
    doc.reader("parameters").ifPresent(r -> reading.parameters(r, parameters));
    Map<String, PipelineDocument.Step> steps = new LinkedHashMap<>();
    doc.reader("steps")
        .ifPresent(
            r ->
                r.entries()
                    .forEach(
                        (key, value) ->
                            reading.step(key, value, r).ifPresent(s -> steps.put(s.name(), s))));
    Optional<TextValue> gives = doc.required("gives", "the step whose rows come out");
    doc.finish();
    List<String> names = new ArrayList<>(inputs.stream().map(TextValue::text).toList());
    names.addAll(steps.keySet());
    gives
        .filter(g -> !steps.containsKey(g.text()))
        .ifPresent(
            g ->
                problems.add(
                    unknown("", "gives", g.place(), g.text(), List.copyOf(steps.keySet()))));
    for (PipelineDocument.Step s : steps.values()) {
      if (OUTSIDE.contains(s.verb().word())) {
        problems.add(
            PipelineDocument.error(
                s.name(),
                s.verb().word(),
                "outside-a-part",
                s.place(),
                "A part has no step with [%s]; do that in the pipelines that use it"
                    .formatted(s.verb().word())));
      }
      for (Located input : s.inputs()) {
        if (!names.contains(input.text())) {
          problems.add(unknown(s.name(), input.field(), input.place(), input.text(), names));
        }
      }
    }
    return new Parsed(
        name,
        problems.isEmpty()
            ? Optional.of(
                new PartDocument(
                    name,
                    about,
                    inputs.stream().map(TextValue::text).toList(),
                    parameters,
                    steps,
                    gives.orElseThrow().text()))
            : Optional.empty(),
        problems);
  }

  private static Problem unknown(
      String step, String field, Place place, String name, List<String> names) {
    Optional<String> fix = Names.nearest(name, names);
    return new Problem(
        Problem.Severity.ERROR,
        "unknown-step",
        step,
        field,
        place,
        "There is no step or input [%s]; there are %s".formatted(name, String.join(", ", names)),
        fix);
  }
}
