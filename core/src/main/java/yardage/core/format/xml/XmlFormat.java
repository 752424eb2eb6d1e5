package yardage.core.format.xml;

import java.io.IOException;
import java.io.InputStream;
import java.util.List;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordParser;

/**
 * XML.
 *
 * @param paths for each rule where its value is in the row element, such as {@code spinner/name},
 *     {@code @lot}, {@code spinner/@code}, {@code .} for the element's own text, or {@code
 *     ../@mill} for an attribute of what holds it
 * @param keepStrays whether a last column keeps the parts that no rule takes
 */
public record XmlFormat(
    XmlLayout layout, List<FieldRule> rules, List<String> paths, boolean keepStrays)
    implements RecordFormat {

  /** XML says itself how it is encoded. */
  @Override
  public boolean decodes() {
    return true;
  }

  @Override
  public Chunker open(String file, InputStream in) throws IOException {
    return new XmlChunker(
        file, XmlEncoding.utf8(file, in), layout, FieldMap.straight(rules.size()));
  }

  @Override
  public RecordParser parser(FieldMap fields) {
    return new XmlParser(this);
  }
}
