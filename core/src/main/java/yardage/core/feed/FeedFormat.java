package yardage.core.feed;

import yardage.core.format.text.DelimitedLayout;

/** How a feed's files are written; closed, since a feed names one of them. */
public sealed interface FeedFormat {
  /** The word that feeds use for it. */
  String word();

  /** Records of fields with separators between them. */
  record Delimited(DelimitedLayout layout) implements FeedFormat {
    @Override
    public String word() {
      return "text";
    }
  }
}
