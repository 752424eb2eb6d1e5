package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.UnaryOperator;
import yardage.core.document.Names;
import yardage.core.document.Problem;
import yardage.core.expr.Cast;
import yardage.core.expr.ExpressionException;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PartDocument;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.PipelineDocument.FromPart;
import yardage.core.pipeline.read.PipelineDocument.Step;
import yardage.core.pipeline.read.Verb;

/**
 * Puts the steps of parts in the place of the steps that use them. The step that gives a part's
 * rows gets the name of the one that uses it; the others get its name and theirs.
 */
final class Parts {
  private Parts() {}

  /** The document without uses, but for those that cannot be put in; problems say why. */
  static PipelineDocument putIn(PipelineDocument document, Catalog catalog) {
    if (document.steps().values().stream().noneMatch(s -> s.verb() instanceof Verb.Use)) {
      return document;
    }
    List<Problem> problems = new ArrayList<>();
    Map<String, Step> steps = new LinkedHashMap<>();
    for (Step step : document.steps().values()) {
      Optional<PartDocument> part =
          step.verb() instanceof Verb.Use use
              ? fitting(step, use, catalog, problems)
              : Optional.empty();
      if (part.isPresent()) {
        steps.putAll(stepsOf(step, (Verb.Use) step.verb(), part.get()));
      } else {
        steps.put(step.name(), step);
      }
    }
    return document.withSteps(steps, problems);
  }

  private static Optional<PartDocument> fitting(
      Step step, Verb.Use use, Catalog catalog, List<Problem> problems) {
    Optional<PartDocument> found = catalog.part(use.part().text());
    StepProblems noted = new StepProblems(problems);
    if (found.isEmpty()) {
      List<String> names = catalog.parts();
      Optional<String> fix = Names.nearest(use.part().text(), names);
      problems.add(
          new Problem(
              Problem.Severity.ERROR,
              "unknown-part",
              step.name(),
              use.part().field(),
              use.part().place(),
              "There is no part [%s]%s"
                  .formatted(use.part().text(), Names.instead(use.part().text(), names)),
              fix));
      return Optional.empty();
    }
    PartDocument part = found.get();
    if (part.inputs().size() != step.from().size()) {
      noted.problem(
          step,
          step.from().isEmpty() ? null : step.from().get(0),
          "other-inputs",
          "Part [%s] takes %d %s (%s), and [from] names %d"
              .formatted(
                  part.name(),
                  part.inputs().size(),
                  part.inputs().size() == 1 ? "input" : "inputs",
                  String.join(", ", part.inputs()),
                  step.from().size()));
      return Optional.empty();
    }
    int before = problems.size();
    use.with()
        .forEach(
            (name, value) -> {
              PipelineDocument.Parameter p = part.parameters().get(name.text());
              if (p == null) {
                noted.problem(
                    step,
                    name,
                    "unknown-parameter",
                    "Part [%s] has no parameter [%s]; there %s"
                        .formatted(
                            part.name(),
                            name.text(),
                            part.parameters().isEmpty()
                                ? "is none"
                                : "are " + String.join(", ", part.parameters().keySet())));
                return;
              }
              try {
                Cast.parse(value.text(), p.type());
              } catch (ExpressionException e) {
                noted.problem(step, value, "wrong-value", e.getMessage());
              }
            });
    return problems.size() > before ? Optional.empty() : found;
  }

  private static Map<String, Step> stepsOf(Step step, Verb.Use use, PartDocument part) {
    // What the part calls things, by what they are called here and the other way round.
    Map<String, String> here = new HashMap<>();
    for (int i = 0; i < part.inputs().size(); i++) {
      here.put(part.inputs().get(i), step.from().get(i).text());
    }
    part.stepNames()
        .forEach(
            inner ->
                here.put(
                    inner, inner.equals(part.gives()) ? step.name() : step.name() + "__" + inner));
    Map<String, String> called = new HashMap<>();
    here.forEach((inner, outer) -> called.put(outer, inner));
    Map<String, String> given = new HashMap<>();
    use.with().forEach((name, value) -> given.put(name.text(), value.text()));
    Map<String, Step> out = new LinkedHashMap<>();
    for (Step inner : part.steps().values()) {
      String name = here.get(inner.name());
      FromPart from =
          new FromPart(
              step.name(),
              step.place(),
              part.name(),
              inner.name(),
              part.parameters(),
              given,
              called);
      out.put(
          name,
          new Step(
              name,
              inner.place(),
              inner.from().stream().map(f -> f.withText(here.get(f.text()))).toList(),
              renamed(inner.verb(), here),
              Optional.of(from)));
    }
    return out;
  }

  /** A join and a check name their other inputs in their verbs. */
  private static Verb renamed(Verb verb, Map<String, String> here) {
    UnaryOperator<Located> name = n -> n.withText(here.get(n.text()));
    return verb instanceof Verb.JoinStep join
        ? join.withInput(name.apply(join.with()))
        : verb instanceof Verb.Check check
            ? new Verb.Check(check.rules().stream().map(r -> r.renamed(name)).toList())
            : verb;
  }

  /** A problem inside a part is told where the part is used, since that is the text at hand. */
  static Problem placed(Problem p, PipelineDocument document) {
    Step step = document.steps().get(p.step());
    if (step == null || step.fromPart().isEmpty()) {
      return p;
    }
    FromPart from = step.fromPart().get();
    return new Problem(
        p.severity(),
        p.code(),
        from.use(),
        "use",
        from.place(),
        "In part [%s], step [%s], line %d: %s"
            .formatted(from.part(), from.inner(), p.place().line(), p.message()),
        Optional.empty());
  }
}
