package yardage.service.pipelines;

import java.util.List;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.pipeline.edit.StepEdit;
import yardage.core.pipeline.edit.StepEdits;
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
   */
  record StepToAdd(
      String text,
      String verb,
      Optional<String> behind,
      Optional<List<String>> readers,
      Optional<String> name,
      Optional<String> body) {}

  record StepToRemove(String text, String step) {}

  record StepToRename(String text, String step, String name) {}

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
            given(body.body())));
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

  private EditedText edited(String text, StepEdit edit) {
    try {
      StepEdit.Edited edited = StepEdits.apply(text(text), edit, catalog);
      return new EditedText(edited.text(), edited.step());
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "cannot-edit",
          e.getMessage(),
          "Change the text by hand, or choose another change");
    }
  }

  private static Optional<String> given(Optional<String> text) {
    return text == null ? Optional.empty() : text.filter(t -> !t.isBlank());
  }

  private static String text(String text) {
    return text == null ? "" : text;
  }
}
