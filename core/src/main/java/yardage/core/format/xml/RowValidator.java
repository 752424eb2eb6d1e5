package yardage.core.format.xml;

import java.util.ArrayList;
import java.util.List;
import javax.xml.stream.XMLStreamConstants;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamReader;
import javax.xml.validation.TypeInfoProvider;
import javax.xml.validation.ValidatorHandler;
import org.xml.sax.Attributes;
import org.xml.sax.ErrorHandler;
import org.xml.sax.SAXException;
import org.xml.sax.SAXParseException;
import org.xml.sax.helpers.AttributesImpl;
import org.xml.sax.helpers.DefaultHandler;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RejectedRecord;

/**
 * Holds row elements against a schema as they are read. The elements around the rows are told to
 * the validator so that it knows which declaration a row has, but what it says of them is not
 * asked: a chunk holds only some of what they hold. One thread at a time.
 */
final class RowValidator {
  private static final int MOST_COMPLAINTS = 20;

  private final ValidatorHandler handler;
  private final List<RejectedRecord.Failure> complaints = new ArrayList<>();
  private final AttributesImpl attributes = new AttributesImpl();
  private final List<ValueType> types = new ArrayList<>();
  private boolean inRow;
  private String field = "";

  /**
   * @param tellsTypes whether {@link #types} will be asked
   */
  RowValidator(ValidatorHandler handler, boolean tellsTypes) {
    this.handler = handler;
    if (tellsTypes) {
      handler.setContentHandler(new Types(handler.getTypeInfoProvider()));
    }
    handler.setErrorHandler(
        new ErrorHandler() {
          @Override
          public void warning(SAXParseException e) {}

          @Override
          public void error(SAXParseException e) {
            complain(e);
          }

          @Override
          public void fatalError(SAXParseException e) {
            complain(e);
          }
        });
  }

  /** Notes the types of a row's parts, each element's before its attributes'. */
  private final class Types extends DefaultHandler {
    private final TypeInfoProvider provider;

    Types(TypeInfoProvider provider) {
      this.provider = provider;
    }

    @Override
    public void startElement(String uri, String local, String qualified, Attributes attributes) {
      if (inRow) {
        types.add(ValueType.of(provider.getElementTypeInfo()));
        for (int i = 0; i < attributes.getLength(); i++) {
          types.add(ValueType.of(provider.getAttributeTypeInfo(i)));
        }
      }
    }
  }

  /**
   * The types of the parts of the row that was read last, each element's before its attributes'.
   */
  List<ValueType> types() {
    return types;
  }

  private void complain(SAXParseException e) {
    if (inRow && complaints.size() < MOST_COMPLAINTS) {
      complaints.add(
          new RejectedRecord.Failure(
              field, Reason.NOT_AS_SCHEMA, e.getMessage().replaceFirst("^[a-z]+-[\\w.-]+: ", "")));
    }
  }

  /** Begins a document. */
  void begin() throws XMLStreamException {
    inRow = false;
    complaints.clear();
    try {
      handler.startDocument();
    } catch (SAXException e) {
      throw new XMLStreamException(e.getMessage(), e);
    }
  }

  void holder(XMLStreamReader reader) throws XMLStreamException {
    inRow = false;
    start(reader, false);
  }

  void holderEnds(XMLStreamReader reader) throws XMLStreamException {
    inRow = false;
    end(reader);
  }

  /** Begins a row, whose start is at hand. */
  void start(XMLStreamReader reader) throws XMLStreamException {
    complaints.clear();
    types.clear();
    inRow = false;
    depth = 0;
    // Whether a row may stand here depends on what stood before it, which is not known.
    start(reader, true);
    inRow = true;
  }

  private int depth;

  private void start(XMLStreamReader reader, boolean row) throws XMLStreamException {
    try {
      for (int i = 0; i < reader.getNamespaceCount(); i++) {
        String prefix = reader.getNamespacePrefix(i);
        String uri = reader.getNamespaceURI(i);
        handler.startPrefixMapping(prefix == null ? "" : prefix, uri == null ? "" : uri);
      }
      attributes.clear();
      for (int i = 0; i < reader.getAttributeCount(); i++) {
        String uri = reader.getAttributeNamespace(i);
        String prefix = reader.getAttributePrefix(i);
        String local = reader.getAttributeLocalName(i);
        attributes.addAttribute(
            uri == null ? "" : uri,
            local,
            prefix == null || prefix.isEmpty() ? local : prefix + ":" + local,
            "CDATA",
            reader.getAttributeValue(i));
      }
      String uri = reader.getNamespaceURI();
      String prefix = reader.getPrefix();
      String local = reader.getLocalName();
      String qualified = prefix == null || prefix.isEmpty() ? local : prefix + ":" + local;
      if (row) {
        // Complaints about the row's own attributes come with its start: take those, but not that
        // it may not stand here.
        inRow = true;
        handler.startElement(uri == null ? "" : uri, local, qualified, attributes);
        complaints.removeIf(c -> c.message().startsWith("Invalid content was found starting with"));
      } else {
        handler.startElement(uri == null ? "" : uri, local, qualified, attributes);
      }
    } catch (SAXException e) {
      throw new XMLStreamException(e.getMessage(), e);
    }
  }

  private void end(XMLStreamReader reader) throws XMLStreamException {
    try {
      String uri = reader.getNamespaceURI();
      String prefix = reader.getPrefix();
      String local = reader.getLocalName();
      handler.endElement(
          uri == null ? "" : uri,
          local,
          prefix == null || prefix.isEmpty() ? local : prefix + ":" + local);
    } catch (SAXException e) {
      throw new XMLStreamException(e.getMessage(), e);
    }
  }

  /** Tells an event inside a row, or its end. */
  void event(XMLStreamReader reader, int event) throws XMLStreamException {
    try {
      if (event == XMLStreamConstants.START_ELEMENT) {
        depth++;
        field = reader.getLocalName();
        start(reader, false);
      } else if (event == XMLStreamConstants.END_ELEMENT) {
        field = depth == 0 ? "" : reader.getLocalName();
        depth--;
        end(reader);
        field = "";
      } else if (event == XMLStreamConstants.CHARACTERS || event == XMLStreamConstants.CDATA) {
        handler.characters(
            reader.getTextCharacters(), reader.getTextStart(), reader.getTextLength());
      }
    } catch (SAXException e) {
      throw new XMLStreamException(e.getMessage(), e);
    }
  }

  /** What the schema says against the row that has ended. */
  List<RejectedRecord.Failure> complaints() {
    inRow = false;
    return complaints;
  }
}
