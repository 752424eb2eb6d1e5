package yardage.core.pipeline.edit;

import java.util.List;
import java.util.Optional;

/** A change to the steps of a document. */
public sealed interface StepEdit {

  /**
   * Puts a step in.
   *
   * @param verb what it does
   * @param behind the step whose rows it takes; empty for one that reads
   * @param readers steps that took those rows and take the new step's instead; without any it is a
   *     branch
   * @param name of the step; without one it is called by what it does
   * @param body the text behind the verb; without one the step begins with what its columns suggest
   */
  record Add(
      String verb,
      Optional<String> behind,
      List<String> readers,
      Optional<String> name,
      Optional<String> body)
      implements StepEdit {
    public Add {
      readers = List.copyOf(readers);
    }
  }

  /** Takes a step out; those that took its rows take those of its first input. */
  record Remove(String step) implements StepEdit {}

  /** Gives a step another name, wherever it is mentioned. */
  record Rename(String step, String name) implements StepEdit {}

  /**
   * A document after a change.
   *
   * @param step that the change was about; the input of one that was taken out, where it had one
   */
  record Edited(String text, Optional<String> step) {}
}
