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
   * @param other the step that a join is with; without one it is the first that has a like column
   */
  record Add(
      String verb,
      Optional<String> behind,
      List<String> readers,
      Optional<String> name,
      Optional<String> body,
      Optional<String> other)
      implements StepEdit {
    public Add {
      readers = List.copyOf(readers);
    }

    public Add(
        String verb,
        Optional<String> behind,
        List<String> readers,
        Optional<String> name,
        Optional<String> body) {
      this(verb, behind, readers, name, body, Optional.empty());
    }
  }

  /** Takes a step out; those that took its rows take those of its first input. */
  record Remove(String step) implements StepEdit {}

  /** Gives a step another name, wherever it is mentioned. */
  record Rename(String step, String name) implements StepEdit {}

  /**
   * Gives a field of a step another value.
   *
   * @param field the names that lead to it from the step on, as in {@code join, kind}
   * @param value plain, as {@link yardage.core.document.YamlEdit} has it; without one the field
   *     goes
   */
  record Set(String step, List<String> field, Optional<Object> value) implements StepEdit {
    public Set {
      field = List.copyOf(field);
    }
  }

  /**
   * Takes a step to another place of the flow; those that took its rows take those of its first
   * input.
   *
   * @param behind the step whose rows it takes there
   * @param readers steps that take those rows now and take the moved step's then
   */
  record Move(String step, String behind, List<String> readers) implements StepEdit {
    public Move {
      readers = List.copyOf(readers);
    }
  }

  /**
   * A document after a change.
   *
   * @param step that the change was about; the input of one that was taken out, where it had one
   */
  record Edited(String text, Optional<String> step) {}
}
