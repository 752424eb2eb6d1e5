package yardage.core.format.parquet;

import java.io.EOFException;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.SeekableByteChannel;
import java.nio.file.NoSuchFileException;
import org.apache.parquet.PlainReadOptions;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.hadoop.metadata.ParquetMetadata;
import org.apache.parquet.io.InputFile;
import org.apache.parquet.io.SeekableInputStream;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

/** An object as the library for Parquet reads it. */
record StoredInput(Place place) implements InputFile {
  @Override
  public long getLength() throws IOException {
    return place
        .storage()
        .stat(place.address())
        .map(Storage.Stat::sizeBytes)
        .orElseThrow(() -> new NoSuchFileException(place.toString()));
  }

  @Override
  public SeekableInputStream newStream() throws IOException {
    return new Ranges(place.open());
  }

  /** An object as a Parquet file, with this project's own decompression. */
  static ParquetFileReader reader(Place place) throws IOException {
    return ParquetFileReader.open(new StoredInput(place), new PlainReadOptions(new PageCodecs()));
  }

  /** As {@link #reader(Place)}, of a file whose footer is known. */
  static ParquetFileReader reader(Place place, ParquetMetadata footer) throws IOException {
    StoredInput input = new StoredInput(place);
    return new ParquetFileReader(
        input, footer, new PlainReadOptions(new PageCodecs()), input.newStream());
  }

  /** Reads what it is asked for, and nothing beyond. */
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
    public int read(ByteBuffer buffer) throws IOException {
      return channel.read(buffer);
    }

    @Override
    public void readFully(byte[] bytes) throws IOException {
      readFully(ByteBuffer.wrap(bytes));
    }

    @Override
    public void readFully(byte[] bytes, int start, int length) throws IOException {
      readFully(ByteBuffer.wrap(bytes, start, length));
    }

    @Override
    public void readFully(ByteBuffer buffer) throws IOException {
      while (buffer.hasRemaining()) {
        if (channel.read(buffer) < 0) {
          throw new EOFException("it ends %,d bytes early".formatted(buffer.remaining()));
        }
      }
    }

    @Override
    public void close() throws IOException {
      channel.close();
    }
  }
}
