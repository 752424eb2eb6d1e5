package yardage.core.pipeline.read;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import yardage.core.column.Type;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.pipeline.describe.StepCatalog;
import yardage.core.pipeline.describe.StepDescription;
import yardage.core.schedule.Schedule;

/** A pipeline's document: what its text says, before anything it names is looked up. */
public final class PipelineDocument {
  /** A value that a run may be given; {@code otherwise} is used when it is not. */
  public record Parameter(String name, Type type, String otherwise) {}

  /**
   * Where a step stands that came out of a part.
   *
   * @param use the step that uses the part
   * @param inner its own name in the part
   * @param parameters the part's, and what they are here
   * @param called what the part calls its inputs, by their names here
   */
  public record FromPart(
      String use,
      Place place,
      String part,
      String inner,
      Map<String, Parameter> parameters,
      Map<String, String> given,
      Map<String, String> called) {}

  /** A step: its inputs and its verb. */
  public record Step(
      String name, Place place, List<Located> from, Verb verb, Optional<FromPart> fromPart) {
    Step(String name, Place place, List<Located> from, Verb verb) {
      this(name, place, from, verb, Optional.empty());
    }

    /** The inputs by the names that the step itself has for them. */
    public List<String> calledInputs() {
      Map<String, String> called = fromPart.map(FromPart::called).orElse(Map.of());
      return inputs().stream().map(i -> called.getOrDefault(i.text(), i.text())).toList();
    }

    /** All inputs, those included that only serve as look-ups. */
    public List<Located> inputs() {
      List<Located> all = new ArrayList<>(from);
      if (verb instanceof Verb.JoinStep join) {
        all.add(join.with());
      } else if (verb instanceof Verb.Fact fact) {
        fact.keys().values().forEach(k -> all.add(k.dimension()));
      } else if (verb instanceof Verb.Check check) {
        check.rules().forEach(r -> r.kind().other().ifPresent(all::add));
      } else if (verb instanceof Verb.Dimension dimension) {
        dimension.early().forEach(e -> all.add(e.step()));
      } else if (verb instanceof Verb.CalendarDays days) {
        days.holidays().ifPresent(h -> all.add(h.step()));
      }
      return all;
    }

    /** Whether an input serves as a look-up for the first. */
    public boolean isLookUp(int input) {
      return input >= from.size();
    }
  }

  private final String name;
  private final String about;
  private final Optional<Schedule> schedule;
  private final boolean testsMustPass;
  private final Map<String, Parameter> parameters;
  private final Map<String, Step> steps;
  private final Set<String> unsound;
  private final List<Problem> problems;

  private PipelineDocument(
      String name,
      String about,
      Optional<Schedule> schedule,
      boolean testsMustPass,
      Map<String, Parameter> parameters,
      Map<String, Step> steps,
      Set<String> unsound,
      List<Problem> problems) {
    this.testsMustPass = testsMustPass;
    this.name = name;
    this.about = about;
    this.schedule = schedule;
    this.parameters = parameters;
    this.steps = steps;
    this.unsound = unsound;
    this.problems = problems;
  }

  public String name() {
    return name;
  }

  public String about() {
    return about;
  }

  public Optional<Schedule> schedule() {
    return schedule;
  }

  /** Whether the pipeline is kept only when all its tests pass. */
  public boolean testsMustPass() {
    return testsMustPass;
  }

  public Map<String, Parameter> parameters() {
    return parameters;
  }

  /** Whether the document says a name that a pipeline can have. */
  public boolean isNamedWell() {
    return Names.isOfDocument(name);
  }

  public Map<String, Step> steps() {
    return steps;
  }

  /** The names of steps that the text has, but that could not be made out. */
  public Set<String> unsound() {
    return unsound;
  }

  /** The parts that steps use. */
  public List<String> parts() {
    return steps.values().stream()
        .filter(s -> s.verb() instanceof Verb.Use)
        .map(s -> ((Verb.Use) s.verb()).part().text())
        .distinct()
        .toList();
  }

  public List<String> stepNames() {
    return List.copyOf(steps.keySet());
  }

  /** The same with other steps, and what was found wrong in making them. */
  public PipelineDocument withSteps(Map<String, Step> others, List<Problem> more) {
    List<Problem> all = new ArrayList<>(problems);
    all.addAll(more);
    return new PipelineDocument(
        name, about, schedule, testsMustPass, parameters, others, unsound, all);
  }

  /** What is wrong with the text itself. */
  public List<Problem> problems() {
    return problems;
  }

  /** Reads a document; never throws for what the text says. */
  public static PipelineDocument parse(String text) {
    List<Problem> problems = new ArrayList<>();
    try {
      if (DocumentValue.parse(text) instanceof MapValue map) {
        return new Reading(problems).document(new DocumentReader(map, "", "", problems));
      }
      problems.add(
          error(
              "",
              "",
              "wrong-shape",
              Place.START,
              "A pipeline's document must hold named values, starting with pipeline: its-name"));
    } catch (DocumentValue.MalformedException e) {
      problems.add(error("", "", "not-yaml", e.place(), e.getMessage()));
    }
    return new PipelineDocument(
        "?", "", Optional.empty(), false, Map.of(), Map.of(), Set.of(), problems);
  }

  public static Problem error(String step, String field, String code, Place place, String message) {
    return new Problem(Problem.Severity.ERROR, code, step, field, place, message, Optional.empty());
  }

  record Reading(List<Problem> problems) {

    PipelineDocument document(DocumentReader doc) {
      Optional<TextValue> name = doc.required("pipeline", "the pipeline's name");
      name.filter(n -> !Names.isOfDocument(n.text()))
          .ifPresent(
              n -> doc.error("wrong-name", "pipeline", n.place(), Names.wrongOfDocument(n.text())));
      String about = doc.text("about").map(TextValue::text).orElse("");
      Optional<Schedule> schedule = doc.reader("schedule").flatMap(r -> Schedule.read(r));
      boolean testsMustPass = doc.word("tests", "told", "told", "must-pass").equals("must-pass");
      Map<String, Parameter> parameters = new LinkedHashMap<>();
      doc.reader("parameters").ifPresent(r -> parameters(r, parameters));
      Map<String, Step> steps = new LinkedHashMap<>();
      Optional<DocumentReader> declared = doc.reader("steps");
      if (declared.isEmpty() && !doc.has("steps")) {
        doc.error(
            "missing-field",
            "steps",
            doc.place(),
            "[steps] is missing: the steps by name, each with its verb");
      }
      Set<String> unsound = new LinkedHashSet<>();
      declared.ifPresent(
          r ->
              r.entries()
                  .forEach(
                      (key, value) ->
                          step(key, value, r)
                              .ifPresentOrElse(
                                  s -> steps.put(s.name(), s), () -> unsound.add(key.text()))));
      doc.finish();
      new StarReader(problems).expectEarlyFacts(steps);
      return new PipelineDocument(
          name.map(TextValue::text).orElse("?"),
          about,
          schedule,
          testsMustPass,
          parameters,
          steps,
          unsound,
          problems);
    }

    void parameters(DocumentReader reader, Map<String, Parameter> out) {
      reader
          .entries()
          .forEach(
              (key, value) -> {
                if (!(value instanceof MapValue map)) {
                  reader.error(
                      "wrong-shape",
                      key.text(),
                      value.place(),
                      "A parameter is written {type: date, default: 2026-01-01}");
                  return;
                }
                DocumentReader p =
                    new DocumentReader(map, "", "parameters." + key.text(), problems);
                p.required("type", "the parameter's type");
                Optional<Type> type = p.parsed("type", Type::parse);
                Optional<TextValue> otherwise =
                    p.required("default", "the value when a run is given none");
                if (type.isPresent() && otherwise.isPresent()) {
                  try {
                    yardage.core.expr.Cast.parse(otherwise.get().text(), type.get());
                    out.put(
                        key.text(), new Parameter(key.text(), type.get(), otherwise.get().text()));
                  } catch (yardage.core.expr.ExpressionException e) {
                    p.error("wrong-value", "default", otherwise.get().place(), e.getMessage());
                  }
                }
                p.finish();
              });
    }

    Optional<Step> step(TextValue key, DocumentValue value, DocumentReader steps) {
      String name = key.text();
      if (!Names.isOfStep(name)) {
        steps.error("wrong-name", name, key.place(), Names.wrongOfStep(name));
        return Optional.empty();
      }
      if (!(value instanceof MapValue map)) {
        problems.add(
            error(
                name,
                "",
                "wrong-shape",
                value.place(),
                "Step [%s] must hold a verb, as in read: {feed: its-name}".formatted(name)));
        return Optional.empty();
      }
      DocumentReader reader = new DocumentReader(map, name, "", problems);
      if (reader.truth(Verb.OFF, false)) {
        return off(key, map, reader);
      }
      List<Located> from = StepReader.located(reader, "from");
      List<String> verbs = StepCatalog.verbs();
      List<String> present = verbs.stream().filter(reader::has).toList();
      if (present.isEmpty()) {
        problems.add(noVerb(key, map, verbs));
        return Optional.empty();
      }
      if (present.size() > 1) {
        reader.finish();
        problems.add(
            error(
                name,
                "",
                "several-verbs",
                key.place(),
                "Step [%s] has %d verbs (%s) where it must have one; make a step of each"
                    .formatted(name, present.size(), String.join(", ", present))));
        return Optional.empty();
      }
      String word = present.get(0);
      Optional<Verb> verb = new StepReader(problems).verb(word, reader);
      reader.finish();
      boolean reads = StepCatalog.begins(word);
      boolean several = StepCatalog.of(word).inputs() == StepDescription.Inputs.SEVERAL;
      if (reads && !from.isEmpty()) {
        problems.add(
            error(
                name,
                "from",
                "surplus-input",
                from.get(0).place(),
                "Step [%s] reads, so it has no from".formatted(name)));
      } else if (!reads && from.isEmpty()) {
        problems.add(
            error(
                name,
                "from",
                "missing-field",
                key.place(),
                "[from] is missing: the step whose rows come in"));
      } else if (!reads && !several && from.size() > 1) {
        problems.add(
            error(
                name,
                "from",
                "surplus-input",
                from.get(1).place(),
                "Step [%s] takes one input; stack them first, or join".formatted(name)));
      } else if (word.equals("stack") && from.size() < 2) {
        problems.add(
            error(
                name,
                "from",
                "missing-input",
                from.get(0).place(),
                "A stack needs two inputs or more, as in from: [a, b]"));
      }
      return verb.map(v -> new Step(name, key.place(), from, v));
    }

    /** A step that is switched off may have errors; only what its rows come from is looked at. */
    private Optional<Step> off(TextValue key, MapValue map, DocumentReader reader) {
      List<Located> from = StepReader.located(reader, "from");
      Optional<String> verb =
          map.entries().keySet().stream()
              .map(TextValue::text)
              .filter(StepCatalog.verbs()::contains)
              .findFirst();
      if (verb.isEmpty()) {
        problems.add(noVerb(key, map, StepCatalog.verbs()));
        return Optional.empty();
      }
      if (from.isEmpty()) {
        problems.add(
            error(
                key.text(),
                Verb.OFF,
                "missing-input",
                key.place(),
                "Step [%s] has no step before it whose rows could pass, so it cannot be off; remove it or switch it on"
                    .formatted(key.text())));
        return Optional.empty();
      }
      problems.add(
          new Problem(
              Problem.Severity.WARNING,
              "step-off",
              key.text(),
              Verb.OFF,
              key.place(),
              verb.get().equals("write")
                  ? "Step [%s] is switched off: nothing is written there".formatted(key.text())
                  : "Step [%s] is switched off: the rows of [%s] pass as they come"
                      .formatted(key.text(), from.get(0).text()),
              Optional.empty()));
      return Optional.of(
          new Step(key.text(), key.place(), from.subList(0, 1), new Verb.Off(verb.get())));
    }

    /** One problem for one mistake: the name in the verb's place, if there is one. */
    private static Problem noVerb(TextValue step, MapValue map, List<String> verbs) {
      String all = "a step has one of " + String.join(", ", verbs);
      Optional<TextValue> tried =
          map.entries().keySet().stream()
              .filter(k -> !k.text().equals("from") && !k.text().equals(Verb.OFF))
              .findFirst();
      if (tried.isEmpty()) {
        return error(
            step.text(),
            "",
            "no-verb",
            step.place(),
            "Step [%s] has no verb; %s".formatted(step.text(), all));
      }
      String word = tried.get().text();
      Optional<String> fix = Names.nearest(word, verbs);
      return new Problem(
          Problem.Severity.ERROR,
          "no-verb",
          step.text(),
          word,
          tried.get().place(),
          "There is no verb [%s]%s"
              .formatted(
                  word, fix.map(f -> "; did you mean [%s]?".formatted(f)).orElse("; " + all)),
          fix);
    }
  }
}
