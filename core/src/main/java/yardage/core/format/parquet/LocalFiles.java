package yardage.core.format.parquet;

import java.io.BufferedOutputStream;
import java.io.FilterOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import org.apache.parquet.io.DelegatingSeekableInputStream;
import org.apache.parquet.io.InputFile;
import org.apache.parquet.io.LocalInputFile;
import org.apache.parquet.io.OutputFile;
import org.apache.parquet.io.PositionOutputStream;
import org.apache.parquet.io.SeekableInputStream;

/**
 * Files of this machine, for a library that reads and writes in small pieces: a small file that is
 * wanted as a whole is read at once, and bytes are written in large blocks.
 */
public final class LocalFiles {
  private static final long READ_AT_ONCE_BYTES = 1L << 20;
  private static final int WRITE_BYTES = 1 << 18;

  private LocalFiles() {}

  /**
   * A file to read.
   *
   * @throws IOException when it is not there
   */
  public static InputFile input(Path path) throws IOException {
    return Files.size(path) <= READ_AT_ONCE_BYTES
        ? new InMemory(path, Files.readAllBytes(path))
        : new LocalInputFile(path);
  }

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

  private record InMemory(Path path, byte[] bytes) implements InputFile {
    @Override
    public long getLength() {
      return bytes.length;
    }

    @Override
    public SeekableInputStream newStream() {
      Bytes in = new Bytes(bytes);
      return new DelegatingSeekableInputStream(in) {
        @Override
        public long getPos() {
          return in.at;
        }

        @Override
        public void seek(long position) {
          in.at = (int) position;
        }

        @Override
        public void readFully(ByteBuffer to) throws IOException {
          int n = to.remaining();
          if (n > bytes.length - in.at) {
            throw new java.io.EOFException("The file ends early");
          }
          to.put(bytes, in.at, n);
          in.at += n;
        }
      };
    }

    @Override
    public String toString() {
      return path.toString();
    }
  }

  /** Bytes with a place that can be set. */
  private static final class Bytes extends java.io.InputStream {
    private final byte[] bytes;
    private int at;

    Bytes(byte[] bytes) {
      this.bytes = bytes;
    }

    @Override
    public int read() {
      return at < bytes.length ? bytes[at++] & 0xff : -1;
    }

    @Override
    public int read(byte[] to, int from, int count) {
      int n = Math.min(count, bytes.length - at);
      if (n <= 0) {
        return count == 0 ? 0 : -1;
      }
      System.arraycopy(bytes, at, to, from, n);
      at += n;
      return n;
    }
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
