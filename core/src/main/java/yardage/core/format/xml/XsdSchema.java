package yardage.core.format.xml;

import java.io.IOException;
import java.io.StringReader;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Pattern;
import javax.xml.XMLConstants;
import javax.xml.transform.stream.StreamSource;
import javax.xml.validation.Schema;
import javax.xml.validation.SchemaFactory;
import org.xml.sax.SAXException;
import org.xml.sax.SAXParseException;
import yardage.core.format.FileFormatException;

/**
 * A schema (W3C XML Schema 1.0) that rows are held against. What it includes is read from its own
 * folder only. Thread-safe.
 */
public final class XsdSchema {
  /** Fixed values, keys and the types that are keys, wherever they stand. */
  private static final Pattern BEYOND_A_VALUE =
      Pattern.compile("fixed|unique|[Kk]ey|ID|ENTIT|NOTATION");

  private final Path file;
  private final Schema schema;
  private final boolean local;

  private XsdSchema(Path file, Schema schema, boolean local) {
    this.file = file;
    this.schema = schema;
    this.local = local;
  }

  /**
   * @param name how messages call it
   * @throws FileFormatException when it cannot be read, or is no schema
   */
  public static XsdSchema read(String name, Path file) {
    List<String> texts = new ArrayList<>();
    try {
      SchemaFactory factory = SchemaFactory.newInstance(XMLConstants.W3C_XML_SCHEMA_NS_URI);
      factory.setFeature(XMLConstants.FEATURE_SECURE_PROCESSING, true);
      factory.setProperty(XMLConstants.ACCESS_EXTERNAL_DTD, "");
      factory.setFeature("http://apache.org/xml/features/disallow-doctype-decl", true);
      Path folder = file.toAbsolutePath().normalize().getParent();
      factory.setResourceResolver(
          (type, namespace, publicId, systemId, base) -> {
            TextInput part = included(folder, systemId);
            texts.add(part.text());
            return part;
          });
      String text = Files.readString(plain(file));
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

  private static Path plain(Path file) throws IOException {
    if (!Files.isRegularFile(file, LinkOption.NOFOLLOW_LINKS)) {
      throw new java.nio.file.NoSuchFileException(file.toString());
    }
    return file;
  }

  private static TextInput included(Path folder, String systemId) {
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
