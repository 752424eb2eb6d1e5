package yardage.core.format.xml;

import java.io.IOException;
import java.io.StringReader;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.Path;
import javax.xml.XMLConstants;
import javax.xml.transform.stream.StreamSource;
import javax.xml.validation.Schema;
import javax.xml.validation.SchemaFactory;
import org.w3c.dom.ls.LSInput;
import org.xml.sax.SAXException;
import org.xml.sax.SAXParseException;
import yardage.core.format.FileFormatException;

/**
 * A schema (W3C XML Schema 1.0) that rows are held against. What it includes is read from its own
 * folder only. Thread-safe.
 */
public final class XsdSchema {
  private final Path file;
  private final Schema schema;

  private XsdSchema(Path file, Schema schema) {
    this.file = file;
    this.schema = schema;
  }

  /**
   * @param name how messages call it
   * @throws FileFormatException when it cannot be read, or is no schema
   */
  public static XsdSchema read(String name, Path file) {
    try {
      SchemaFactory factory = SchemaFactory.newInstance(XMLConstants.W3C_XML_SCHEMA_NS_URI);
      factory.setFeature(XMLConstants.FEATURE_SECURE_PROCESSING, true);
      factory.setProperty(XMLConstants.ACCESS_EXTERNAL_DTD, "");
      factory.setFeature("http://apache.org/xml/features/disallow-doctype-decl", true);
      Path folder = file.toAbsolutePath().normalize().getParent();
      factory.setResourceResolver(
          (type, namespace, publicId, systemId, base) -> included(folder, systemId));
      String text = Files.readString(plain(file));
      return new XsdSchema(file, factory.newSchema(new StreamSource(new StringReader(text), name)));
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

  private static Path plain(Path file) throws IOException {
    if (!Files.isRegularFile(file, LinkOption.NOFOLLOW_LINKS)) {
      throw new java.nio.file.NoSuchFileException(file.toString());
    }
    return file;
  }

  private static LSInput included(Path folder, String systemId) {
    Path file = systemId == null ? folder : folder.resolve(systemId).normalize();
    if (systemId == null || systemId.contains(":") || !file.startsWith(folder)) {
      throw new FileFormatException(
          "A schema includes [%s], and it may include only files of its own folder"
              .formatted(systemId));
    }
    try {
      return new TextInput(systemId, Files.readString(plain(file)));
    } catch (IOException e) {
      throw new UncheckedIOException(
          "A schema includes [%s], which cannot be read".formatted(systemId), e);
    }
  }

  /** Holds the rows of one thread against the schema. */
  RowValidator validator() {
    return new RowValidator(schema.newValidatorHandler());
  }

  @Override
  public String toString() {
    return file.toString();
  }
}
