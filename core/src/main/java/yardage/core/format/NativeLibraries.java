package yardage.core.format;

import com.github.luben.zstd.Zstd;
import java.io.IOException;
import java.io.UncheckedIOException;
import org.xerial.snappy.Snappy;

/** The compression libraries that are native code. */
public final class NativeLibraries {
  private NativeLibraries() {}

  /**
   * Unpacks and loads them. Done at first use, a disk that happens to be full then would leave them
   * unusable until the process ends.
   *
   * @throws UncheckedIOException when the folder for temporary files does not take them
   */
  public static void load() {
    try {
      Zstd.compress(new byte[1]);
      Snappy.compress(new byte[1]);
    } catch (IOException | LinkageError e) {
      throw new UncheckedIOException(
          "The compression libraries cannot be unpacked into [%s]: %s; free some space there"
              .formatted(System.getProperty("java.io.tmpdir"), e.getMessage()),
          e instanceof IOException io ? io : new IOException(e));
    }
  }
}
