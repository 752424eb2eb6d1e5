package yardage.core.pipeline;

import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Place;

/** A text of the document with the field that it stands in; {@code value} knows its place. */
record Located(TextValue value, String field) {
  String text() {
    return value.text();
  }

  /** Another text at this one's place. */
  Located withText(String other) {
    return new Located(value.withText(other), field);
  }

  Place place() {
    return value.place();
  }
}
