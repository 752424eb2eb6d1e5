package yardage.core.format.text;

import java.io.IOException;
import java.io.InputStream;
import java.util.Optional;
import yardage.core.format.record.FieldMap;

/** Lines, some at the start skipped. */
final class SkippingChunker extends LineChunker {
  private final Optional<RecordStart> begins;

  SkippingChunker(InputStream in, int skipLines, int rules) throws IOException {
    this(in, skipLines, rules, Optional.empty());
  }

  /**
   * @param begins how records of several lines begin
   */
  SkippingChunker(InputStream in, int skipLines, int rules, Optional<RecordStart> begins)
      throws IOException {
    super(in, DelimitedLayout.DEFAULT_MAX_RECORD_BYTES, FieldMap.straight(rules));
    this.begins = begins;
    for (int i = 0; i < skipLines; i++) {
      readLine();
    }
  }

  @Override
  protected int recordsEnd(byte[] b, int end) {
    int at = super.recordsEnd(b, end);
    if (begins.isEmpty() || at == 0 || hasEnded()) {
      return at;
    }
    // What follows may belong to the last record: it is whole when the next one begins.
    while (at > 0) {
      int start = at - 1;
      while (start > 0 && b[start - 1] != '\n') {
        start--;
      }
      if (start > 0 && begins.get().at(b, start, at - 1)) {
        return start;
      }
      at = start;
    }
    return 0;
  }
}
