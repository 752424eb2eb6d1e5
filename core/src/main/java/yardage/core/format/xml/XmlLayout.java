package yardage.core.format.xml;

import java.util.Map;
import java.util.Optional;

/**
 * Which element makes a row.
 *
 * @param row its name, with a prefix of {@code namespaces} where it is in one
 * @param namespaces the URI of each prefix that the feed's paths use; the empty prefix stands for
 *     names without one
 * @param severalRoots whether the file may hold rows one behind the other, without an element
 *     around them, as replayed rows are kept
 * @param xsd the text of the schema that rows are held against
 */
public record XmlLayout(
    String row,
    Map<String, String> namespaces,
    Optional<XsdSchema> xsd,
    int maxRecordBytes,
    boolean severalRoots) {
  public static final int DEFAULT_MAX_RECORD_BYTES = 64 << 20;

  public XmlLayout {
    namespaces = Map.copyOf(namespaces);
  }

  public XmlLayout(
      String row, Map<String, String> namespaces, Optional<XsdSchema> xsd, int maxRecordBytes) {
    this(row, namespaces, xsd, maxRecordBytes, false);
  }

  XmlLayout(String row, boolean severalRoots) {
    this(row, Map.of(), Optional.empty(), DEFAULT_MAX_RECORD_BYTES, severalRoots);
  }

  public XmlLayout(String row) {
    this(row, Map.of(), Optional.empty(), DEFAULT_MAX_RECORD_BYTES);
  }

  /** The local part of the row's name. */
  String rowName() {
    return row.substring(row.indexOf(':') + 1);
  }

  /**
   * The URI of a name of the feed; empty when the name may be in any namespace.
   *
   * @throws IllegalArgumentException when its prefix is not declared
   */
  Optional<String> uri(String name) {
    int colon = name.indexOf(':');
    String prefix = colon < 0 ? "" : name.substring(0, colon);
    String uri = namespaces.get(prefix);
    if (uri == null && colon >= 0) {
      throw new IllegalArgumentException(
          "The prefix of [%s] is not among the feed's namespaces; add namespaces: {%s: its-uri}"
              .formatted(name, prefix));
    }
    return Optional.ofNullable(uri);
  }
}
