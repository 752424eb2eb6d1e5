package yardage.core.pipeline.edit;

import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import yardage.core.document.Place;
import yardage.core.document.TextEdit;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;

/** Writes another step's name where a step names its inputs, in its fields and in its SQL. */
final class Mentions {
  private final String text;
  private final TextEdit edit = new TextEdit();

  /** Places are told once, however many fields lead to them. */
  private final Set<Place> done = new LinkedHashSet<>();

  Mentions(String text) {
    this.text = text;
  }

  void at(Place place, String name) {
    if (done.add(place)) {
      edit.put(place, name);
    }
  }

  /** What {@code reader} reads of one step it reads of another. */
  void replace(PipelineDocument.Step reader, String old, String name) {
    for (Located input : reader.inputs()) {
      if (input.text().equals(old)) {
        at(input.place(), name);
      }
    }
    if (reader.verb() instanceof Verb.Sql
        || reader.verb() instanceof Verb.JoinStep join && join.where().isPresent()) {
      inSql(reader, old, name);
    }
  }

  /**
   * In the lines of a step's SQL. A column that is called like the step is taken for it; whoever
   * edits checks the document again.
   */
  private void inSql(PipelineDocument.Step reader, String old, String name) {
    StepLines at = StepLines.of(text, reader);
    Pattern word =
        Pattern.compile(
            "(?<![\\w.'\"])" + Pattern.quote(old) + "(?![\\w'\"])", Pattern.CASE_INSENSITIVE);
    List<String> lines = StepLines.lines(text);
    for (int n = at.first() + 1; n < at.behind(); n++) {
      Matcher m = word.matcher(withoutFrom(lines.get(n)));
      while (m.find()) {
        at(new Place(n + 1, m.start() + 1, n + 1, m.end()), name);
      }
    }
  }

  /** The line, but nothing of it where it names inputs or fields: their places are known. */
  private static String withoutFrom(String line) {
    return line.strip().matches("(from|with|join|sql)\\s*:.*")
            && !line.strip().matches("sql\\s*:\\s*[^|>\\s].*")
        ? " ".repeat(line.length())
        : line;
  }

  String edited() {
    return edit.of(text);
  }
}
