package yardage.core.pipeline.read;

import java.util.Optional;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.TextEdit;

/** Writes another name into documents; comments and layout stay. */
public final class Renaming {
  private Renaming() {}

  /**
   * The document with another name of its own.
   *
   * @param key what the name stands behind: {@code feed} or {@code pipeline}
   * @return empty when the text has no such place
   */
  public static Optional<String> ofDocument(String text, String key, String next) {
    if (!(DocumentValue.parse(text) instanceof MapValue map)) {
      return Optional.empty();
    }
    return map.entries().entrySet().stream()
        .filter(e -> e.getKey().text().equals(key) && e.getValue() instanceof TextValue)
        .findFirst()
        .map(e -> new TextEdit().put(e.getValue().place(), next).of(text));
  }

  /** A pipeline's document that reads a feed by its new name. */
  public static String ofFeed(String text, String feed, String next) {
    TextEdit edit = new TextEdit();
    for (PipelineDocument.Step step : PipelineDocument.parse(text).steps().values()) {
      if (step.verb() instanceof Verb.ReadFeed read && read.feed().text().equals(feed)) {
        edit.put(read.feed().place(), next);
      }
    }
    return edit.of(text);
  }
}
