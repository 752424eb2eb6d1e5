package yardage.core.format.parquet;

import java.io.BufferedOutputStream;
import java.io.FilterOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import org.apache.parquet.io.OutputFile;
import org.apache.parquet.io.PositionOutputStream;
import yardage.core.storage.Place;

/** Objects for a library that writes in small pieces: bytes go in large blocks. */
public final class StoredOutput {
  private static final int WRITE_BYTES = 1 << 18;

  private StoredOutput() {}

  /** An object to write. */
  public static OutputFile output(Place place) {
    return new Output(
        place.toString(), replace -> new BufferedOutputStream(place.write(replace), WRITE_BYTES));
  }

  /**
   * A stream to write a file to; closing the file leaves the stream open.
   *
   * @param name for messages
   */
  public static OutputFile output(String name, OutputStream stream) {
    return new Output(name, replace -> new KeptOpen(stream));
  }

  /** Opens what is written to, as a new file or over one that is there. */
  private interface Opening {
    OutputStream open(boolean replace) throws IOException;
  }

  private record Output(String name, Opening opening) implements OutputFile {
    @Override
    public PositionOutputStream create(long blockSizeHint) throws IOException {
      return new Counted(opening.open(false));
    }

    @Override
    public PositionOutputStream createOrOverwrite(long blockSizeHint) throws IOException {
      return new Counted(opening.open(true));
    }

    @Override
    public boolean supportsBlockSize() {
      return false;
    }

    @Override
    public long defaultBlockSize() {
      return 0;
    }

    @Override
    public String getPath() {
      return name;
    }
  }

  private static final class KeptOpen extends FilterOutputStream {
    KeptOpen(OutputStream out) {
      super(out);
    }

    @Override
    public void write(byte[] bytes, int from, int count) throws IOException {
      out.write(bytes, from, count);
    }

    @Override
    public void close() throws IOException {
      out.flush();
    }
  }

  /** Knows how many bytes went through. */
  private static final class Counted extends PositionOutputStream {
    private final OutputStream out;
    private long position;

    Counted(OutputStream out) {
      this.out = out;
    }

    @Override
    public long getPos() {
      return position;
    }

    @Override
    public void write(int b) throws IOException {
      out.write(b);
      position++;
    }

    @Override
    public void write(byte[] bytes, int from, int count) throws IOException {
      out.write(bytes, from, count);
      position += count;
    }

    @Override
    public void flush() throws IOException {
      out.flush();
    }

    @Override
    public void close() throws IOException {
      out.close();
    }
  }
}
