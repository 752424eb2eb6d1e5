package yardage.core.feed;

import java.util.List;
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
import yardage.core.storage.Place;

/** The reader for a feed's format. */
final class Formats {
  private Formats() {}

  /**
   * @param inbox where a schema is looked for
   * @param notes is told what was noticed and does not matter
   */
  static RecordFormat of(FeedDefinition feed, Place inbox, Consumer<String> notes) {
    return of(feed, inbox, notes, false);
  }

  private static RecordFormat of(
      FeedDefinition feed, Place inbox, Consumer<String> notes, boolean replays) {
    return feed.format().accept(new Reader(feed, inbox, notes, replays));
  }

  /** The reader of each kind. */
  private record Reader(FeedDefinition feed, Place inbox, Consumer<String> notes, boolean replays)
      implements FeedFormat.Visitor<RecordFormat> {
    @Override
    public RecordFormat delimited(FeedFormat.Delimited format) {
      return new DelimitedFormat(
          format.layout(),
          feed.rules(),
          new HeaderMatch(feed, format.layout().byPosition(), notes));
    }

    @Override
    public RecordFormat json(FeedFormat.Json format) {
      return Formats.json(feed, replays ? JsonLayout.parse("values") : format.layout());
    }

    @Override
    public RecordFormat fixedWidth(FeedFormat.FixedWidth format) {
      return new FixedWidthFormat(
          feed.rules(),
          feed.fields().stream()
              .map(c -> (FeedColumn.Characters) c.source())
              .map(c -> new FixedWidthFormat.Range(c.first(), c.last()))
              .toList(),
          format.skipLines(),
          format.fillShort(),
          format.cutLong());
    }

    @Override
    public RecordFormat lines(FeedFormat.Lines format) {
      return new PatternFormat(
          format.pattern(), format.skipLines(), format.begins(), feed.rules(), names());
    }

    @Override
    public RecordFormat xml(FeedFormat.Xml format) {
      return new XmlFormat(
          new XmlLayout(
              format.row(),
              format.namespaces(),
              format.xsd().map(path -> XsdSchema.read(path, inbox.child(path))),
              XmlLayout.DEFAULT_MAX_RECORD_BYTES,
              replays),
          feed.rules(),
          names(),
          feed.keepsStrays());
    }

    @Override
    public RecordFormat parquet(FeedFormat.Parquet format) {
      // Its rows are set aside as JSON.
      return replays
          ? Formats.json(feed, JsonLayout.parse("values"))
          : new ParquetFormat(Formats.json(feed, JsonLayout.lines()));
    }

    private List<String> names() {
      return feed.fields().stream().map(FeedColumn::fileName).toList();
    }
  }

  /** For rows that were set aside and are taken in again: nested ones stand one after the other. */
  static RecordFormat ofReplays(FeedDefinition feed, Place inbox) {
    return of(feed, inbox, note -> {}, true);
  }

  private static JsonFormat json(FeedDefinition feed, JsonLayout layout) {
    return new JsonFormat(
        layout,
        feed.rules(),
        feed.fields().stream().map(FeedColumn::fileName).toList(),
        feed.keepsStrays());
  }
}
