package yardage.core.format.parquet;

import java.io.BufferedOutputStream;
import java.io.FilterOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import org.apache.parquet.io.OutputFile;
import org.apache.parquet.io.PositionOutputStream;

/** Files of this machine, for a library that writes in small pieces: bytes go in large blocks. */
public final class LocalFiles {
  private static final int WRITE_BYTES = 1 << 18;

  private LocalFiles() {}

  /** A file to write, in a folder that is there. */
  public static OutputFile output(Path path) {
    return new Output(
        path.toString(),
        how ->
            new BufferedOutputStream(
                Files.newOutputStream(
                    path, StandardOpenOption.WRITE, StandardOpenOption.CREATE, how),
                WRITE_BYTES));
  }

  /**
   * A stream to write a file to; closing the file leaves the stream open.
   *
   * @param name for messages
   */
  public static OutputFile output(String name, OutputStream stream) {
    return new Output(name, how -> new KeptOpen(stream));
  }

  /** Opens what is written to, as a new file or over one that is there. */
  private interface Opening {
    OutputStream open(StandardOpenOption how) throws IOException;
  }

  private record Output(String name, Opening opening) implements OutputFile {
    @Override
    public PositionOutputStream create(long blockSizeHint) throws IOException {
      return new Counted(opening.open(StandardOpenOption.CREATE_NEW));
    }

    @Override
    public PositionOutputStream createOrOverwrite(long blockSizeHint) throws IOException {
      return new Counted(opening.open(StandardOpenOption.TRUNCATE_EXISTING));
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
