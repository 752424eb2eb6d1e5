package yardage.core.format;

import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.util.zip.GZIPInputStream;

/** Opens files whatever their compression, which is known by content and not by name. */
public final class Decompression {
  private static final int GZIP_FIRST = 0x1f;
  private static final int GZIP_SECOND = 0x8b;
  private static final int BUFFER_BYTES = 1 << 16;

  private Decompression() {}

  /**
   * {@code raw}, or what it inflates to if it starts as gzip (RFC 1952) does; several members count
   * as one file.
   */
  public static InputStream open(InputStream raw) throws IOException {
    BufferedInputStream in = new BufferedInputStream(raw, BUFFER_BYTES);
    in.mark(2);
    boolean gzip = in.read() == GZIP_FIRST && in.read() == GZIP_SECOND;
    in.reset();
    return gzip ? new GZIPInputStream(in, BUFFER_BYTES) : in;
  }
}
