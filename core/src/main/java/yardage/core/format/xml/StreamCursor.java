package yardage.core.format.xml;

import javax.xml.stream.XMLStreamConstants;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamReader;

/**
 * A cursor over what the library's reader reads: all of XML, and each event told to a validator if
 * there is one.
 */
final class StreamCursor implements RowCursor {
  private final XMLStreamReader reader;
  private final RowValidator validator;

  /**
   * @param validator null for none
   */
  StreamCursor(XMLStreamReader reader, RowValidator validator) {
    this.reader = reader;
    this.validator = validator;
  }

  @Override
  public Part next() throws XMLStreamException {
    int event = reader.next();
    if (validator != null) {
      validator.event(reader, event);
    }
    return switch (event) {
      case XMLStreamConstants.START_ELEMENT -> Part.START;
      case XMLStreamConstants.END_ELEMENT -> Part.END;
      case XMLStreamConstants.CHARACTERS, XMLStreamConstants.CDATA, XMLStreamConstants.SPACE ->
          Part.TEXT;
      case XMLStreamConstants.ENTITY_REFERENCE ->
          throw new XMLStreamException(
              "the entity [&%s;] is not one of XML's own".formatted(reader.getLocalName()));
      default -> Part.OTHER;
    };
  }

  @Override
  public String name() {
    return reader.getLocalName();
  }

  @Override
  public String namespace() {
    return reader.getNamespaceURI();
  }

  @Override
  public int attributeCount() {
    return reader.getAttributeCount();
  }

  @Override
  public String attributeName(int i) {
    return reader.getAttributeLocalName(i);
  }

  @Override
  public String attributeNamespace(int i) {
    return reader.getAttributeNamespace(i);
  }

  @Override
  public void attributeValue(int i, Utf8Buffer out) {
    char[] value = reader.getAttributeValue(i).toCharArray();
    out.append(value, 0, value.length);
  }

  @Override
  public void text(Utf8Buffer out) {
    out.append(reader.getTextCharacters(), reader.getTextStart(), reader.getTextLength());
  }
}
