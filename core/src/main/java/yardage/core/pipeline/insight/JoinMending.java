package yardage.core.pipeline.insight;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import yardage.core.document.TextEdit;
import yardage.core.insight.JoinDiagnosis;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;

/**
 * Puts the steps that a diagnosis offers into a document: before the join, which then reads them.
 * All else stays as it was, comments and order included.
 */
public final class JoinMending {
  private static final String SUFFIX = "_mended";

  private JoinMending() {}

  /**
   * A shape step behind an input of a join.
   *
   * @param side {@code left} or {@code right}
   * @param input the step whose rows it takes
   */
  record Offer(String side, String input, String code, Map<String, String> set) {
    /** The step as a document has it, its name behind {@code indent}. */
    String text(String name, String indent) {
      String shape =
          code.equals("blanks")
              ? "trim: " + List.copyOf(set.keySet())
              : code.equals("case")
                  ? "lower: " + List.copyOf(set.keySet())
                  : "set: {"
                      + set.entrySet().stream()
                          .map(e -> "%s: \"%s\"".formatted(e.getKey(), e.getValue()))
                          .collect(Collectors.joining(", "))
                      + "}";
      return "%s%s:\n%s  from: %s\n%s  shape: {%s}"
          .formatted(indent, name, indent, input, indent, shape);
    }
  }

  /** What a remedy offers for each side that SQL has a short way for. */
  static List<Offer> offers(String left, String right, JoinDiagnosis.Remedy remedy) {
    return remedy.set().entrySet().stream()
        .filter(e -> !e.getValue().isEmpty())
        .map(
            e ->
                new Offer(
                    e.getKey(),
                    e.getKey().equals("left") ? left : right,
                    remedy.code(),
                    e.getValue()))
        .toList();
  }

  /** The name of the step that mends an input, unlike those that are there. */
  static String name(String input, Set<String> taken) {
    String name = input + SUFFIX;
    for (int n = 2; taken.contains(name); n++) {
      name = input + SUFFIX + "_" + n;
    }
    return name;
  }

  /**
   * @param text the document that was diagnosed
   * @param code of one of the insight's remedies
   * @return the changed text; empty where the remedy is none that a step can say
   * @throws IllegalArgumentException when the insight has no such remedy, or the join stands in a
   *     part or in a form that cannot be edited line by line
   */
  public static Optional<String> apply(String text, JoinInsight insight, String code) {
    JoinDiagnosis.Remedy remedy =
        insight.diagnosis().remedies().stream()
            .filter(r -> r.code().equals(code))
            .findFirst()
            .orElseThrow(
                () ->
                    new IllegalArgumentException(
                        "The diagnosis of [%s] has no remedy [%s]; it has %s"
                            .formatted(
                                insight.step(),
                                code,
                                insight.diagnosis().remedies().stream()
                                    .map(JoinDiagnosis.Remedy::code)
                                    .collect(Collectors.joining(", ")))));
    List<Offer> offers = offers(insight.left(), insight.right(), remedy);
    if (offers.isEmpty()) {
      return Optional.empty();
    }
    Map<String, PipelineDocument.Step> steps = PipelineDocument.parse(text).steps();
    PipelineDocument.Step step = steps.get(insight.step());
    if (step == null || !(step.verb() instanceof Verb.JoinStep join)) {
      throw new IllegalArgumentException(
          "Step [%s] stands in a part; put the offered step there".formatted(insight.step()));
    }
    List<String> lines = new ArrayList<>(List.of(text.split("\n", -1)));
    String before = lines.get(step.place().line() - 1).substring(0, step.place().column() - 1);
    if (!before.isBlank()) {
      throw new IllegalArgumentException(
          "Step [%s] does not begin a line of its own; put the offered step in by hand"
              .formatted(insight.step()));
    }
    TextEdit edit = new TextEdit();
    List<String> added = new ArrayList<>();
    for (Offer offer : offers) {
      String name = name(offer.input(), steps.keySet());
      added.addAll(List.of(offer.text(name, before).split("\n")));
      Located read = offer.side().equals("left") ? step.from().get(0) : join.with();
      edit.put(read.place(), name);
    }
    lines = new ArrayList<>(List.of(edit.of(text).split("\n", -1)));
    lines.addAll(withoutComments(lines, step.place().line() - 1), added);
    return Optional.of(String.join("\n", lines));
  }

  /** Where the comments right above a step begin: they stay with it. */
  private static int withoutComments(List<String> lines, int step) {
    int at = step;
    while (at > 0 && lines.get(at - 1).strip().startsWith("#")) {
      at--;
    }
    return at;
  }
}
