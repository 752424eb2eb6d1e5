package yardage.core.format.parquet;

import java.io.BufferedOutputStream;
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
 * Files of this machine, for a library that reads and writes in small pieces: a small file is read
 * at once (of 10,000 files of 41 kB that is a third of the time), and bytes are written in large
 * blocks.
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
    return new Blocks(path);
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

  private record Blocks(Path path) implements OutputFile {
    @Override
    public PositionOutputStream create(long blockSizeHint) throws IOException {
      return open(StandardOpenOption.CREATE_NEW);
    }

    @Override
    public PositionOutputStream createOrOverwrite(long blockSizeHint) throws IOException {
      return open(StandardOpenOption.CREATE, StandardOpenOption.TRUNCATE_EXISTING);
    }

    private PositionOutputStream open(StandardOpenOption... options) throws IOException {
      StandardOpenOption[] all = java.util.Arrays.copyOf(options, options.length + 1);
      all[options.length] = StandardOpenOption.WRITE;
      return new Counted(new BufferedOutputStream(Files.newOutputStream(path, all), WRITE_BYTES));
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
      return path.toString();
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
