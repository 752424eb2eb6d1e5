package yardage.service.pipelines;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.document.DocumentValue;
import yardage.core.document.YamlEdit;
import yardage.core.pipeline.edit.StepEdit;
import yardage.core.pipeline.edit.StepEdits;
import yardage.core.pipeline.edit.StepPaste;
import yardage.service.feeds.FeedService;
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;

/** Changes to a pipeline's text that are more than typing; nothing is kept. */
@RestController
class EditController {
  private final FeedService catalog;

  EditController(FeedService catalog) {
    this.catalog = catalog;
  }

  /**
   * @param verb what the step does
   * @param behind the step whose rows it takes; none for one that reads
   * @param readers steps that took those rows and take the new step's instead
   * @param name of the step; without one it is called by what it does
   * @param body the text behind the verb; without one it begins with what the columns suggest
   * @param other the step that a join is with
   */
  record StepToAdd(
      String text,
      String verb,
      Optional<String> behind,
      Optional<List<String>> readers,
      Optional<String> name,
      Optional<String> body,
      Optional<String> other) {}

  record StepToRemove(String text, String step) {}

  record StepToRename(String text, String step, String name) {}

  record StepToRead(String text, String step) {}

  /**
   * @param fields what the step says, by name: texts, lists, and named values; a number or a truth
   *     is a text too
   */
  record StepFields(Map<String, Object> fields) {}

  /**
   * @param field the names that lead to it from the step on
   * @param value a text, a list or named values
   * @param source the value as it would stand in the document, in place of {@code value}; without
   *     either the field goes
   */
  record FieldToSet(
      String text,
      String step,
      List<String> field,
      Optional<Object> value,
      Optional<String> source) {}

  /**
   * @param behind the step whose rows it takes there
   * @param readers steps that take those rows now and the moved step's then
   */
  record StepToMove(String text, String step, String behind, Optional<List<String>> readers) {}

  /**
   * @param steps steps by name, or a whole document, as plain text
   * @param behind the step that they follow; without one they go to the end
   * @param inputs steps of the document, by the names that the pasted ones have for them
   */
  record StepsToPaste(
      String text, String steps, Optional<String> behind, Optional<Map<String, String>> inputs) {}

  /**
   * @param name that the pasted steps have for it
   * @param chosen the step of the document in its place; none where there is none of that name
   */
  record PastedInput(String name, Optional<String> chosen) {}

  /**
   * @param steps their names in the document
   * @param renamed names that were taken, and what they are now
   */
  record PastedSteps(
      String text, List<String> steps, Map<String, String> renamed, List<PastedInput> inputs) {}

  /**
   * @param step that the change was about; the input of one that was taken out
   */
  record EditedText(String text, Optional<String> step) {}

  /** The text with a step put in. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/edit/add")
  EditedText add(@RequestBody StepToAdd body) {
    return edited(
        body.text(),
        new StepEdit.Add(
            text(body.verb()),
            given(body.behind()),
            body.readers() == null ? List.of() : body.readers().orElse(List.of()),
            given(body.name()),
            given(body.body()),
            given(body.other())));
  }

  /** The text without a step; those that took its rows take those of its first input. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/edit/remove")
  EditedText remove(@RequestBody StepToRemove body) {
    return edited(body.text(), new StepEdit.Remove(text(body.step())));
  }

  /** The text with another name for a step, wherever it is mentioned. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/edit/rename")
  EditedText rename(@RequestBody StepToRename body) {
    return edited(body.text(), new StepEdit.Rename(text(body.step()), text(body.name())));
  }

  /** What a step says, for a form. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/edit/fields")
  StepFields fields(@RequestBody StepToRead body) {
    return new StepFields(
        tried(
            () -> {
              Map<String, Object> out = new LinkedHashMap<>();
              StepEdits.fields(text(body.text()), text(body.step()))
                  .forEach((name, value) -> out.put(name, json(value)));
              return out;
            }));
  }

  /** The text with another value of a field, or without it. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/edit/set")
  EditedText set(@RequestBody FieldToSet body) {
    Optional<Object> value =
        body.source() != null && body.source().isPresent()
            ? body.source().filter(s -> !s.isBlank()).map(EditController::source)
            : body.value() == null ? Optional.empty() : body.value().map(YamlEdit::plain);
    return edited(
        body.text(),
        new StepEdit.Set(
            text(body.step()), body.field() == null ? List.of() : body.field(), value));
  }

  /** The text with a step at another place of the flow. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/edit/move")
  EditedText move(@RequestBody StepToMove body) {
    return edited(
        body.text(),
        new StepEdit.Move(
            text(body.step()),
            text(body.behind()),
            body.readers() == null ? List.of() : body.readers().orElse(List.of())));
  }

  /** The text with steps that come as plain text; names that are taken get new ones. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/edit/paste")
  PastedSteps paste(@RequestBody StepsToPaste body) {
    StepPaste.Pasted pasted =
        tried(
            () ->
                StepPaste.paste(
                    text(body.text()),
                    text(body.steps()),
                    given(body.behind()),
                    body.inputs() == null ? Map.of() : body.inputs().orElse(Map.of())));
    return new PastedSteps(
        pasted.text(),
        pasted.steps(),
        pasted.renamed(),
        pasted.inputs().stream().map(i -> new PastedInput(i.name(), i.chosen())).toList());
  }

  private EditedText edited(String text, StepEdit edit) {
    StepEdit.Edited edited = tried(() -> StepEdits.apply(text(text), edit, catalog));
    return new EditedText(edited.text(), edited.step());
  }

  private static <T> T tried(Supplier<T> edit) {
    try {
      return edit.get();
    } catch (IllegalArgumentException | DocumentValue.MalformedException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "cannot-edit",
          e.getMessage(),
          "Change the text by hand, or choose another change");
    }
  }

  /** A value of YAML's own in plain form, as JSON has it. */
  private static Object json(Object plain) {
    if (plain instanceof Map<?, ?> map) {
      Map<String, Object> out = new LinkedHashMap<>();
      map.forEach((name, value) -> out.put((String) name, json(value)));
      return out;
    } else if (plain instanceof List<?> list) {
      return list.stream().map(EditController::json).toList();
    }
    return plain instanceof Optional<?> ? "" : plain;
  }

  private static Object source(String yaml) {
    try {
      return YamlEdit.said(DocumentValue.parse(yaml));
    } catch (DocumentValue.MalformedException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "wrong-value",
          "[%s] cannot stand in a document: %s".formatted(yaml.strip(), e.getMessage()),
          "Write a text, a list as in [a, b], or named values as in {name: value}");
    }
  }

  private static Optional<String> given(Optional<String> text) {
    return text == null ? Optional.empty() : text.filter(t -> !t.isBlank());
  }

  private static String text(String text) {
    return text == null ? "" : text;
  }
}
