package yardage.core.pipeline.edit;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import yardage.core.document.DocumentValue;
import yardage.core.document.Names;
import yardage.core.document.YamlEdit;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.describe.StepCatalog;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;

/** Carries changes out, and refuses those that would leave something else than was asked for. */
public final class StepEdits {
  private static final int MOST_NAMED = 12;

  private final String text;
  private final Catalog catalog;
  private final PipelineDocument document;
  private final Map<String, PipelineDocument.Step> steps;

  private StepEdits(String text, Catalog catalog) {
    this.text = text;
    this.catalog = catalog;
    this.document = PipelineDocument.parse(text);
    this.steps = document.steps();
  }

  /**
   * Changes a document.
   *
   * @throws IllegalArgumentException saying why it cannot be done and what to do instead
   */
  public static StepEdit.Edited apply(String text, StepEdit edit, Catalog catalog) {
    StepEdits edits = new StepEdits(text, catalog);
    if (edit instanceof StepEdit.Add add) {
      return edits.add(add);
    } else if (edit instanceof StepEdit.Remove remove) {
      return edits.remove(remove);
    } else if (edit instanceof StepEdit.Rename rename) {
      return edits.rename(rename);
    } else if (edit instanceof StepEdit.Set set) {
      return edits.set(set);
    } else if (edit instanceof StepEdit.Move move) {
      return edits.move(move);
    }
    throw new AssertionError(edit);
  }

  private StepEdit.Edited add(StepEdit.Add add) {
    if (!StepCatalog.verbs().contains(add.verb())) {
      throw new IllegalArgumentException(
          "There is no verb [%s]%s"
              .formatted(add.verb(), Names.instead(add.verb(), StepCatalog.verbs())));
    }
    boolean begins = StepCatalog.begins(add.verb());
    if (begins == add.behind().isPresent()) {
      throw new IllegalArgumentException(
          begins
              ? "A step that reads has no step before it; put it in by itself"
              : "Say behind which step the new one comes");
    }
    add.behind().ifPresent(this::require);
    add.readers().forEach(this::require);
    String name = add.name().orElseGet(() -> free(StepStarts.name(add.verb())));
    checkNew(name);
    PipelineCheck check = PipelineCheck.of(document, catalog, Map.of());
    add.other().ifPresent(other -> requireOther(other, add));
    String body =
        add.body().orElseGet(() -> StepStarts.body(add.verb(), add.behind(), add.other(), check));
    Mentions mentions = new Mentions(text);
    for (String reader : add.readers()) {
      PipelineDocument.Step step = steps.get(reader);
      String behind = add.behind().orElseThrow();
      if (step.inputs().stream().noneMatch(i -> i.text().equals(behind))) {
        throw new IllegalArgumentException(
            "Step [%s] does not read [%s], so nothing can come between them"
                .formatted(reader, behind));
      }
      mentions.replace(step, behind, name);
    }
    List<String> lines = StepLines.lines(mentions.edited());
    Optional<StepLines> at = add.behind().map(b -> StepLines.of(text, steps.get(b)));
    StepLines place = at.orElseGet(this::last);
    lines.addAll(place.behind(), written(name, add, body, place.indent()));
    return new StepEdit.Edited(String.join("\n", lines), Optional.of(name));
  }

  private void requireOther(String other, StepEdit.Add add) {
    require(other);
    boolean circle =
        PipelineCheck.behind(document, other).stream()
            .anyMatch(s -> add.readers().contains(s.name()));
    if (circle || add.behind().equals(Optional.of(other))) {
      throw new IllegalArgumentException(
          circle
              ? "[%s] depends on the step that the join would come before; branch instead, or join further on"
                  .formatted(other)
              : "A step is joined with another one, and [%s] is the same".formatted(other));
    }
  }

  private static List<String> written(String name, StepEdit.Add add, String body, String indent) {
    List<String> out = new ArrayList<>(List.of(indent + name + ":"));
    boolean several = add.verb().equals("stack");
    add.behind().ifPresent(b -> out.add(indent + "  from: " + (several ? "[" + b + ", ]" : b)));
    List<String> text = body.lines().toList();
    if (text.size() == 1) {
      out.add(indent + "  " + add.verb() + ": " + text.get(0));
    } else {
      // Several lines are an expression or a query, or fields below the verb.
      boolean fields = body.strip().matches("(?s)[a-z-]+:.*");
      out.add(indent + "  " + add.verb() + (fields ? ":" : ": |"));
      text.forEach(l -> out.add(indent + "    " + l));
    }
    return out;
  }

  /** Where a step that reads goes: in front of all others there is no place in the text. */
  private StepLines last() {
    return steps.values().stream()
        .reduce((a, b) -> b)
        .map(s -> StepLines.of(text, s))
        .orElseThrow(
            () ->
                new IllegalArgumentException(
                    "The document has no step yet; write the first one in the text"));
  }

  private StepEdit.Edited remove(StepEdit.Remove remove) {
    PipelineDocument.Step step = require(remove.step());
    List<PipelineDocument.Step> readers = readers(step.name());
    Optional<String> before = step.inputs().stream().map(Located::text).findFirst();
    if (before.isEmpty() && !readers.isEmpty()) {
      throw new IllegalArgumentException(
          "Step [%s] has no step before it that %s could read instead; remove or change %s first"
              .formatted(step.name(), words(readers), readers.size() == 1 ? "that one" : "those"));
    }
    Mentions mentions = new Mentions(text);
    readers.forEach(r -> mentions.replace(r, step.name(), before.orElseThrow()));
    StepLines at = StepLines.of(text, step);
    List<String> lines = StepLines.lines(mentions.edited());
    List<String> own = lines.subList(at.above(), at.behind());
    own.clear();
    boolean twice =
        at.above() > 0
            && at.above() < lines.size()
            && lines.get(at.above() - 1).isBlank()
            && lines.get(at.above()).isBlank();
    if (twice) {
      lines.remove(at.above());
    }
    return new StepEdit.Edited(String.join("\n", lines), before);
  }

  private StepEdit.Edited rename(StepEdit.Rename rename) {
    PipelineDocument.Step step = require(rename.step());
    if (rename.name().equals(step.name())) {
      return new StepEdit.Edited(text, Optional.of(step.name()));
    }
    checkNew(rename.name());
    StepLines.of(text, step);
    Mentions mentions = new Mentions(text);
    mentions.at(step.place(), rename.name());
    readers(step.name()).forEach(r -> mentions.replace(r, step.name(), rename.name()));
    String edited = mentions.edited();
    PipelineCheck before = PipelineCheck.of(document, catalog, Map.of());
    PipelineCheck after = PipelineCheck.of(PipelineDocument.parse(edited), catalog, Map.of());
    for (PipelineCheck.StepInfo s : before.steps()) {
      // Steps of a part are called by the step that uses it.
      String name =
          s.name().equals(step.name()) || s.name().startsWith(step.name() + "__")
              ? rename.name() + s.name().substring(step.name().length())
              : s.name();
      if (s.schema().isPresent() && !s.schema().get().equals(after.schema(name))) {
        throw new IllegalArgumentException(
            "Step [%s] would give other columns under the new name, since something else there is called [%s] too; rename it in the text"
                .formatted(s.name(), step.name()));
      }
    }
    return new StepEdit.Edited(edited, Optional.of(rename.name()));
  }

  /** What a step says: its fields by name, plain. */
  public static Map<String, Object> fields(String text, String step) {
    Object steps = YamlEdit.said(DocumentValue.parse(text));
    for (String name : List.of("steps", step)) {
      steps = steps instanceof Map<?, ?> map ? map.get(name) : null;
    }
    if (!(steps instanceof Map<?, ?> map)) {
      throw new IllegalArgumentException("There is no step [%s] in the text".formatted(step));
    }
    Map<String, Object> out = new LinkedHashMap<>();
    map.forEach((name, value) -> out.put((String) name, value));
    return out;
  }

  private StepEdit.Edited set(StepEdit.Set set) {
    fields(text, set.step());
    if (set.field().isEmpty()) {
      throw new IllegalArgumentException("Say which field of [%s] it is".formatted(set.step()));
    }
    List<String> path = new ArrayList<>(List.of("steps", set.step()));
    path.addAll(set.field());
    return new StepEdit.Edited(
        set.value()
            .map(v -> YamlEdit.set(text, path, v))
            .orElseGet(() -> YamlEdit.remove(text, path)),
        Optional.of(set.step()));
  }

  private StepEdit.Edited move(StepEdit.Move move) {
    PipelineDocument.Step step = require(move.step());
    PipelineDocument.Step behind = require(move.behind());
    if (step.from().isEmpty() || step.name().equals(behind.name())) {
      throw new IllegalArgumentException(
          step.from().isEmpty()
              ? "Step [%s] reads, so no step comes before it".formatted(step.name())
              : "Step [%s] cannot come behind itself".formatted(step.name()));
    }
    String before = step.from().get(0).text();
    Map<String, String> reads = new LinkedHashMap<>();
    readers(step.name()).forEach(r -> reads.put(r.name(), before));
    Mentions mentions = new Mentions(text);
    readers(step.name()).stream()
        .filter(r -> !move.readers().contains(r.name()))
        .forEach(r -> mentions.replace(r, step.name(), before));
    for (String name : move.readers()) {
      PipelineDocument.Step reader = require(name);
      boolean healed = behind.name().equals(before) && reads.containsKey(name);
      if (name.equals(step.name())
          || !healed && reader.inputs().stream().noneMatch(i -> i.text().equals(behind.name()))) {
        throw new IllegalArgumentException(
            "Step [%s] does not read [%s], so nothing can come between them"
                .formatted(name, behind.name()));
      }
      if (!healed) {
        mentions.replace(reader, behind.name(), step.name());
      }
    }
    mentions.at(step.from().get(0).place(), behind.name());
    // No circle can come of it: what depended on the step does so no more.
    return new StepEdit.Edited(
        withLinesBehind(mentions.edited(), step, behind), Optional.of(step.name()));
  }

  /** The step's lines behind those of another; no line of another step changes. */
  private static String withLinesBehind(
      String text, PipelineDocument.Step step, PipelineDocument.Step behind) {
    StepLines from = StepLines.of(text, step);
    StepLines to = StepLines.of(text, behind);
    List<String> lines = StepLines.lines(text);
    List<String> own = new ArrayList<>(lines.subList(from.above(), from.behind()));
    if (to.behind() <= from.above()) {
      lines.subList(from.above(), from.behind()).clear();
      lines.addAll(to.behind(), own);
    } else {
      lines.addAll(to.behind(), own);
      lines.subList(from.above(), from.behind()).clear();
    }
    return String.join("\n", lines);
  }

  private PipelineDocument.Step require(String name) {
    PipelineDocument.Step step = steps.get(name);
    if (step == null) {
      throw new IllegalArgumentException(
          document.unsound().contains(name)
              ? "Step [%s] has errors; correct them in the text first".formatted(name)
              : "There is no step [%s]%s"
                  .formatted(name, Names.instead(name, document.stepNames())));
    }
    return step;
  }

  private void checkNew(String name) {
    if (!Names.isOfStep(name)) {
      throw new IllegalArgumentException(Names.wrongOfStep(name));
    }
    if (isTaken(name)) {
      throw new IllegalArgumentException("There is a step [%s] already".formatted(name));
    }
  }

  private boolean isTaken(String name) {
    return steps.containsKey(name) || document.unsound().contains(name);
  }

  private String free(String name) {
    String out = name;
    for (int n = 2; isTaken(out); n++) {
      out = name + "_" + n;
    }
    return out;
  }

  private List<PipelineDocument.Step> readers(String name) {
    return steps.values().stream()
        .filter(s -> s.inputs().stream().anyMatch(i -> i.text().equals(name)))
        .toList();
  }

  private static String words(List<PipelineDocument.Step> steps) {
    return steps.stream()
        .map(s -> "[" + s.name() + "]")
        .limit(MOST_NAMED)
        .collect(Collectors.joining(", "));
  }
}
