package yardage.core.pipeline.read;

import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Place;

/** A text of the document with the field that it stands in; {@code value} knows its place. */
public record Located(TextValue value, String field) {
  public String text() {
    return value.text();
  }

  /** Another text at this one's place. */
  public Located withText(String other) {
    return new Located(value.withText(other), field);
  }

  public Place place() {
    return value.place();
  }
}
