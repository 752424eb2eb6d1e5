package yardage.core.format.xml;

import javax.xml.stream.XMLStreamException;

/** Goes through a row element part by part. */
interface RowCursor {
  /** What {@link #next} came to. */
  enum Part {
    START,
    END,
    TEXT,
    OTHER
  }

  Part next() throws XMLStreamException;

  /** The local name of the element whose start is at hand. */
  String name();

  /** The URI of its namespace; null or empty for none. */
  String namespace();

  int attributeCount();

  String attributeName(int i);

  /** Null or empty for none. */
  String attributeNamespace(int i);

  void attributeValue(int i, Utf8Buffer out);

  /** Takes the text at hand. */
  void text(Utf8Buffer out);
}
