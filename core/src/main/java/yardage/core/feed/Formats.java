package yardage.core.feed;

import java.nio.file.Path;
import java.util.function.Consumer;
import yardage.core.format.json.JsonFormat;
import yardage.core.format.json.JsonLayout;
import yardage.core.format.parquet.ParquetFormat;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.text.DelimitedFormat;
import yardage.core.format.text.FixedWidthFormat;
import yardage.core.format.text.PatternFormat;
import yardage.core.format.xml.XmlFormat;
import yardage.core.format.xml.XmlLayout;
import yardage.core.format.xml.XsdSchema;

/** The reader for a feed's format. */
final class Formats {
  private Formats() {}

  /**
   * @param inbox where a schema is looked for
   * @param notes is told what was noticed and does not matter
   */
  static RecordFormat of(FeedDefinition feed, Path inbox, Consumer<String> notes) {
    return of(feed, inbox, notes, false);
  }

  private static RecordFormat of(
      FeedDefinition feed, Path inbox, Consumer<String> notes, boolean replays) {
    if (feed.format() instanceof FeedFormat.Delimited delimited) {
      return new DelimitedFormat(
          delimited.layout(),
          feed.rules(),
          new HeaderMatch(feed, delimited.layout().byPosition(), notes));
    }
    if (feed.format() instanceof FeedFormat.FixedWidth fixed) {
      return new FixedWidthFormat(
          feed.rules(),
          feed.fields().stream()
              .map(c -> (FeedColumn.Characters) c.source())
              .map(c -> new FixedWidthFormat.Range(c.first(), c.last()))
              .toList(),
          fixed.skipLines(),
          fixed.fillShort(),
          fixed.cutLong());
    }
    if (feed.format() instanceof FeedFormat.Lines lines) {
      return new PatternFormat(
          lines.pattern(),
          lines.skipLines(),
          lines.begins(),
          feed.rules(),
          feed.fields().stream().map(FeedColumn::fileName).toList());
    }
    if (feed.format() instanceof FeedFormat.Json json) {
      return json(feed, json.layout());
    }
    if (feed.format() instanceof FeedFormat.Parquet) {
      return new ParquetFormat(json(feed, JsonLayout.lines()));
    }
    if (feed.format() instanceof FeedFormat.Xml xml) {
      return new XmlFormat(
          new XmlLayout(
              xml.row(),
              xml.namespaces(),
              xml.xsd().map(path -> XsdSchema.read(path, inbox.resolve(path))),
              XmlLayout.DEFAULT_MAX_RECORD_BYTES,
              replays),
          feed.rules(),
          feed.fields().stream().map(FeedColumn::fileName).toList(),
          feed.keepsStrays());
    }
    throw new AssertionError(feed.format());
  }

  /** For rows that were set aside and are taken in again: nested ones stand one after the other. */
  static RecordFormat ofReplays(FeedDefinition feed, Path inbox) {
    boolean json =
        feed.format() instanceof FeedFormat.Json || feed.format() instanceof FeedFormat.Parquet;
    return json ? json(feed, JsonLayout.parse("values")) : of(feed, inbox, note -> {}, true);
  }

  private static JsonFormat json(FeedDefinition feed, JsonLayout layout) {
    return new JsonFormat(
        layout,
        feed.rules(),
        feed.fields().stream().map(FeedColumn::fileName).toList(),
        feed.keepsStrays());
  }
}
