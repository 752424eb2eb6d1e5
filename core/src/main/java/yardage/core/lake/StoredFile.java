package yardage.core.lake;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.channels.SeekableByteChannel;
import java.nio.file.NoSuchFileException;
import org.apache.iceberg.exceptions.NotFoundException;
import org.apache.iceberg.io.InputFile;
import org.apache.iceberg.io.OutputFile;
import org.apache.iceberg.io.PositionOutputStream;
import org.apache.iceberg.io.SeekableInputStream;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

/** An object as the library for the table format reads and writes it. */
record StoredFile(Place place) implements InputFile, OutputFile {
  @Override
  public String location() {
    return place.toString();
  }

  @Override
  public boolean exists() {
    return place.exists();
  }

  @Override
  public long getLength() {
    return place.stat().map(Storage.Stat::sizeBytes).orElseThrow(() -> missing(null));
  }

  private NotFoundException missing(Throwable cause) {
    return new NotFoundException(cause, "File [%s] is not there", place);
  }

  @Override
  public SeekableInputStream newStream() {
    try {
      return new Ranges(place.open());
    } catch (NoSuchFileException e) {
      throw missing(e);
    } catch (IOException e) {
      throw failed("read", e);
    }
  }

  @Override
  public PositionOutputStream create() {
    return write(false);
  }

  @Override
  public PositionOutputStream createOrOverwrite() {
    return write(true);
  }

  private PositionOutputStream write(boolean replace) {
    try {
      return new Counted(new BufferedOutputStream(place.write(replace)));
    } catch (IOException e) {
      throw failed("write", e);
    }
  }

  private UncheckedIOException failed(String what, IOException e) {
    return new UncheckedIOException("Cannot %s [%s]: %s".formatted(what, place, e.getMessage()), e);
  }

  @Override
  public InputFile toInputFile() {
    return this;
  }

  private static final class Ranges extends SeekableInputStream {
    private final SeekableByteChannel channel;

    Ranges(SeekableByteChannel channel) {
      this.channel = channel;
    }

    @Override
    public long getPos() throws IOException {
      return channel.position();
    }

    @Override
    public void seek(long position) throws IOException {
      channel.position(position);
    }

    @Override
    public int read() throws IOException {
      ByteBuffer one = ByteBuffer.allocate(1);
      return channel.read(one) < 0 ? -1 : one.get(0) & 0xff;
    }

    @Override
    public int read(byte[] bytes, int offset, int length) throws IOException {
      return channel.read(ByteBuffer.wrap(bytes, offset, length));
    }

    @Override
    public void close() throws IOException {
      channel.close();
    }
  }

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
    public void write(byte[] bytes, int offset, int length) throws IOException {
      out.write(bytes, offset, length);
      position += length;
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
