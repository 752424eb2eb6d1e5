package yardage.core.pipeline.edit;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.pipeline.read.PipelineDocument;

/** Steps that come as plain text: out of this document, another one, or a mail. */
public final class StepPaste {
  private static final String HEAD = "pipeline: pasted\nsteps:\n";
  private static final int MOST_STEPS = 1_000;

  private StepPaste() {}

  /**
   * An input of the pasted steps that is not among them.
   *
   * @param name that the pasted text has for it
   * @param chosen the step of the document that takes its place; empty when there is none yet
   */
  public record Input(String name, Optional<String> chosen) {}

  /**
   * A document with steps put in.
   *
   * @param steps their names there
   * @param renamed names that were taken, and what they are now
   */
  public record Pasted(
      String text, List<String> steps, Map<String, String> renamed, List<Input> inputs) {}

  /**
   * Puts steps into a document. What hangs together stays so; names that are taken get new ones.
   *
   * @param fragment steps by name, or a whole document
   * @param behind the step whose lines they follow, and whose rows they take unless an input says
   *     otherwise; without one they go to the end
   * @param inputs steps of the document for inputs by the names that the fragment has for them
   * @throws IllegalArgumentException when the fragment has no steps, or they cannot be put in
   */
  public static Pasted paste(
      String text, String fragment, Optional<String> behind, Map<String, String> inputs) {
    PipelineDocument document = PipelineDocument.parse(text);
    String own = HEAD + indented(fragment);
    PipelineDocument pasted = PipelineDocument.parse(own);
    refuseUnreadable(pasted);
    Set<String> taken = new LinkedHashSet<>(document.stepNames());
    taken.addAll(document.unsound());
    Map<String, String> renamed = new LinkedHashMap<>();
    List<String> names = new ArrayList<>(pasted.stepNames());
    for (int n = 0; n < names.size(); n++) {
      String name = names.get(n);
      String free = name;
      for (int i = 2; taken.contains(free) || !free.equals(name) && names.contains(free); i++) {
        free = name + "_" + i;
      }
      taken.add(free);
      if (!free.equals(name)) {
        renamed.put(name, free);
        names.set(n, free);
      }
    }
    List<Input> from = inputs(pasted, document, behind, inputs);
    Mentions mentions = new Mentions(own);
    for (PipelineDocument.Step step : pasted.steps().values()) {
      Optional.ofNullable(renamed.get(step.name())).ifPresent(n -> mentions.at(step.place(), n));
      renamed.forEach((old, name) -> mentions.replace(step, old, name));
      for (Input input : from) {
        input
            .chosen()
            .filter(c -> !c.equals(input.name()))
            .ifPresent(c -> mentions.replace(step, input.name(), c));
      }
    }
    List<String> lines = StepLines.lines(mentions.edited().substring(HEAD.length()));
    return new Pasted(put(text, document, behind, lines), names, renamed, from);
  }

  private static void refuseUnreadable(PipelineDocument pasted) {
    if (!pasted.unsound().isEmpty()) {
      throw new IllegalArgumentException(
          "Step [%s] of the pasted text cannot be made out: %s"
              .formatted(pasted.unsound().iterator().next(), pasted.problems().get(0).message()));
    }
    if (pasted.stepNames().isEmpty()) {
      String why =
          pasted.problems().stream().map(p -> p.message()).findFirst().orElse("it is empty");
      throw new IllegalArgumentException(
          "There is no step in this text (%s). Steps are written as in a document: tidy: {from: rolls, shape: {trim: {of: varchar}}}"
              .formatted(why));
    }
    if (pasted.stepNames().size() > MOST_STEPS) {
      throw new IllegalArgumentException(
          "These are %,d steps; there may be %,d at once"
              .formatted(pasted.stepNames().size(), MOST_STEPS));
    }
  }

  private static List<Input> inputs(
      PipelineDocument pasted,
      PipelineDocument document,
      Optional<String> behind,
      Map<String, String> given) {
    Map<String, Boolean> names = new LinkedHashMap<>();
    for (PipelineDocument.Step step : pasted.steps().values()) {
      for (int i = 0; i < step.inputs().size(); i++) {
        String name = step.inputs().get(i).text();
        if (!pasted.steps().containsKey(name)) {
          names.merge(name, step.isLookUp(i), Boolean::logicalAnd);
        }
      }
    }
    List<Input> out = new ArrayList<>();
    Optional<String> first =
        names.entrySet().stream().filter(e -> !e.getValue()).map(Map.Entry::getKey).findFirst();
    names
        .keySet()
        .forEach(
            name -> {
              Optional<String> same = Optional.of(name).filter(document.steps()::containsKey);
              Optional<String> proposed =
                  first.equals(Optional.of(name)) && behind.isPresent() ? behind : same;
              Optional<String> chosen =
                  Optional.ofNullable(given.get(name)).filter(n -> !n.isBlank());
              chosen
                  .filter(n -> !document.steps().containsKey(n))
                  .ifPresent(
                      n -> {
                        throw new IllegalArgumentException(
                            "There is no step [%s] here".formatted(n));
                      });
              out.add(new Input(name, chosen.or(() -> proposed)));
            });
    return out;
  }

  private static String put(
      String text, PipelineDocument document, Optional<String> behind, List<String> pasted) {
    List<String> lines = StepLines.lines(text);
    Optional<PipelineDocument.Step> at =
        behind.isPresent()
            ? behind.map(document.steps()::get)
            : document.steps().values().stream()
                .filter(s -> s.fromPart().isEmpty())
                .reduce((a, b) -> b);
    if (behind.isPresent() && at.isEmpty()) {
      throw new IllegalArgumentException("There is no step [%s]".formatted(behind.get()));
    }
    if (at.isEmpty()) {
      return firstSteps(text, document, lines, pasted);
    }
    StepLines place = StepLines.of(text, at.get());
    lines.addAll(place.behind(), reindented(pasted, place.indent()));
    return String.join("\n", lines);
  }

  /** Into a document that has no step: below the line that begins them. */
  private static String firstSteps(
      String text, PipelineDocument document, List<String> lines, List<String> pasted) {
    for (int n = 0; n < lines.size(); n++) {
      if (lines.get(n).matches("steps:\\s*(\\{\\s*}|~|null)?\\s*(#.*)?")) {
        lines.set(n, lines.get(n).replaceFirst("^steps:\\s*(\\{\\s*}|~|null)", "steps:"));
        lines.addAll(n + 1, reindented(pasted, "  "));
        return String.join("\n", lines);
      }
    }
    if (!document.unsound().isEmpty() || lines.stream().anyMatch(l -> l.startsWith("steps"))) {
      throw new IllegalArgumentException(
          "The document's steps cannot be made out; correct the text first");
    }
    while (!lines.isEmpty() && lines.get(lines.size() - 1).isBlank()) {
      lines.remove(lines.size() - 1);
    }
    lines.add("steps:");
    lines.addAll(reindented(pasted, "  "));
    lines.add("");
    return String.join("\n", lines);
  }

  private static List<String> reindented(List<String> lines, String indent) {
    return lines.stream().map(l -> l.isBlank() ? "" : indent + l.substring(2)).toList();
  }

  /** The lines of the steps, two blanks in. */
  private static String indented(String fragment) {
    List<String> lines = new ArrayList<>(fragment.lines().toList());
    while (!lines.isEmpty() && lines.get(0).isBlank()) {
      lines.remove(0);
    }
    while (!lines.isEmpty() && lines.get(lines.size() - 1).isBlank()) {
      lines.remove(lines.size() - 1);
    }
    int steps = -1;
    try {
      if (DocumentValue.parse(String.join("\n", lines)) instanceof MapValue map) {
        steps =
            map.entries().keySet().stream()
                .filter(k -> k.text().equals("steps"))
                .findFirst()
                .filter(k -> map.entries().get(k) instanceof MapValue)
                .map(k -> k.place().line())
                .orElse(-1);
      }
    } catch (DocumentValue.MalformedException e) {
      throw new IllegalArgumentException(
          "There is no step in this text: line %d: %s".formatted(e.place().line(), e.getMessage()));
    }
    List<String> own = new ArrayList<>(steps < 0 ? lines : lines.subList(steps, lines.size()));
    if (steps >= 0) {
      // A whole document may go on behind its steps.
      int end = 0;
      while (end < own.size()
          && (own.get(end).isBlank()
              || own.get(end).startsWith(" ")
              || own.get(end).startsWith("#"))) {
        end++;
      }
      own = new ArrayList<>(own.subList(0, end));
    }
    int margin =
        own.stream()
            .filter(l -> !l.isBlank())
            .mapToInt(l -> l.length() - l.stripLeading().length())
            .min()
            .orElse(0);
    StringBuilder out = new StringBuilder();
    own.forEach(l -> out.append(l.isBlank() ? "" : "  " + l.substring(margin)).append('\n'));
    return out.toString().stripTrailing();
  }
}
