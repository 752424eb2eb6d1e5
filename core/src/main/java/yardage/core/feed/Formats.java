package yardage.core.feed;

import yardage.core.format.record.RecordFormat;
import yardage.core.format.text.DelimitedFormat;

/** The reader for a feed's format. */
final class Formats {
  private Formats() {}

  static RecordFormat of(FeedDefinition feed) {
    if (feed.format() instanceof FeedFormat.Delimited delimited) {
      return new DelimitedFormat(
          delimited.layout(), feed.rules(), new HeaderMatch(feed, delimited.layout().byPosition()));
    }
    throw new AssertionError(feed.format());
  }
}
