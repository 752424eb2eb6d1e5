package yardage.core.format.xml;

import java.io.IOException;
import java.io.StringReader;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;
import javax.xml.XMLConstants;
import javax.xml.transform.stream.StreamSource;
import javax.xml.validation.Schema;
import javax.xml.validation.SchemaFactory;
import org.xml.sax.SAXException;
import org.xml.sax.SAXParseException;
import yardage.core.format.FileFormatException;
import yardage.core.storage.Place;

/**
 * A schema (W3C XML Schema 1.0) that rows are held against. What it includes is read from its own
 * folder only. Thread-safe.
 */
public final class XsdSchema {
  /** Fixed values, keys and the types that are keys, wherever they stand. */
  private static final Pattern BEYOND_A_VALUE =
      Pattern.compile("fixed|unique|[Kk]ey|ID|ENTIT|NOTATION");

  private final Place file;
  private final Schema schema;
  private final boolean local;

  private XsdSchema(Place file, Schema schema, boolean local) {
    this.file = file;
    this.schema = schema;
    this.local = local;
  }

  /**
   * @param name how messages call it
   * @throws FileFormatException when it cannot be read, or is no schema
   */
  public static XsdSchema read(String name, Place file) {
    List<String> texts = new ArrayList<>();
    try {
      SchemaFactory factory = SchemaFactory.newInstance(XMLConstants.W3C_XML_SCHEMA_NS_URI);
      factory.setFeature(XMLConstants.FEATURE_SECURE_PROCESSING, true);
      factory.setProperty(XMLConstants.ACCESS_EXTERNAL_DTD, "");
      factory.setFeature("http://apache.org/xml/features/disallow-doctype-decl", true);
      Place folder = file.parent();
      factory.setResourceResolver(
          (type, namespace, publicId, systemId, base) -> {
            TextInput part = included(folder, systemId);
            texts.add(part.text());
            return part;
          });
      String text = file.readText();
      texts.add(text);
      Schema schema = factory.newSchema(new StreamSource(new StringReader(text), name));
      return new XsdSchema(
          file, schema, texts.stream().noneMatch(t -> BEYOND_A_VALUE.matcher(t).find()));
    } catch (SAXParseException e) {
      throw new FileFormatException(
          "Schema [%s] cannot be used: line %d, %s"
              .formatted(name, e.getLineNumber(), e.getMessage()),
          e);
    } catch (SAXException e) {
      throw new FileFormatException(
          "Schema [%s] cannot be used: %s".formatted(name, e.getMessage()), e);
    } catch (IOException e) {
      throw new FileFormatException(
          "Schema [%s] cannot be read: it must be in the inbox, and here is %s".formatted(name, e),
          e);
    }
  }

  private static TextInput included(Place folder, String systemId) {
    Place file =
        Optional.ofNullable(systemId)
            .filter(s -> !s.contains(":"))
            .flatMap(folder.address()::below)
            .map(folder::at)
            .orElseThrow(
                () ->
                    new FileFormatException(
                        "A schema includes [%s], and it may include only files of its own folder"
                            .formatted(systemId)));
    try {
      return new TextInput(systemId, file.readText());
    } catch (IOException e) {
      throw new UncheckedIOException(
          "A schema includes [%s], which cannot be read".formatted(systemId), e);
    }
  }

  /**
   * Whether a row is right when its elements and attributes are in place and each value by itself
   * fits the type of its place. False as well where that is not quite sure.
   */
  boolean isLocal() {
    return local;
  }

  /** Holds the rows of one thread against the schema. */
  RowValidator validator() {
    return new RowValidator(schema.newValidatorHandler(), local);
  }

  @Override
  public String toString() {
    return file.toString();
  }
}
