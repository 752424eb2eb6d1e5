package yardage.core.format.text;

import java.io.IOException;
import java.io.InputStream;
import yardage.core.format.record.FieldMap;

/** Lines, some at the start passed over. */
final class SkippingChunker extends LineChunker {
  SkippingChunker(InputStream in, int skipLines, int rules) throws IOException {
    super(in, DelimitedLayout.DEFAULT_MAX_RECORD_BYTES, FieldMap.straight(rules));
    for (int i = 0; i < skipLines; i++) {
      readLine();
    }
  }
}
