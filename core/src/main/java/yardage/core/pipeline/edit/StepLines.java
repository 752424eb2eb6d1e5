package yardage.core.pipeline.edit;

import java.util.ArrayList;
import java.util.List;
import yardage.core.pipeline.read.PipelineDocument;

/**
 * The lines of a text that a step stands in, from 0 on.
 *
 * @param above the first of the comments right above it, or its own first line
 * @param first the line with its name
 * @param behind the line behind its last one
 * @param indent what stands before its name
 */
record StepLines(int above, int first, int behind, String indent) {

  /**
   * @throws IllegalArgumentException when the step does not begin a line, or came out of a part
   */
  static StepLines of(String text, PipelineDocument.Step step) {
    List<String> lines = lines(text);
    int first = step.place().line() - 1;
    String indent = lines.get(first).substring(0, step.place().column() - 1);
    if (step.fromPart().isPresent() || !indent.isBlank()) {
      throw new IllegalArgumentException(
          "Step [%s] does not begin a line of its own in this document; change it in the text"
              .formatted(step.name()));
    }
    int behind = first + 1;
    for (int at = first + 1; at < lines.size() && isInside(lines.get(at), indent); at++) {
      if (!isBlankOrComment(lines.get(at), indent)) {
        behind = at + 1;
      }
    }
    int above = first;
    while (above > 0 && lines.get(above - 1).strip().startsWith("#")) {
      above--;
    }
    return new StepLines(above, first, behind, indent);
  }

  static List<String> lines(String text) {
    return new ArrayList<>(List.of(text.split("\n", -1)));
  }

  private static boolean isInside(String line, String indent) {
    return isBlankOrComment(line, indent) || line.startsWith(indent + " ");
  }

  /** A line further in that begins with # may be one of a text's own. */
  private static boolean isBlankOrComment(String line, String indent) {
    return line.isBlank() || line.strip().startsWith("#") && !line.startsWith(indent + "   ");
  }
}
