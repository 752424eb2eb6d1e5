package yardage.core.exec;

import java.io.BufferedOutputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.FrameReader;
import yardage.core.column.FrameWriter;
import yardage.core.column.Type;

/**
 * What a stage gives, as a file for a later one: frames behind each other, each with its length,
 * its input, the number of inputs that its rows tell apart, and its sequence in front (big-endian,
 * 4, 4, 4 and 8 bytes).
 */
final class FrameFile {
  private static final int HEADER_BYTES = 20;

  private FrameFile() {}

  /** Writes all batches, each worker its own at a time. */
  static final class Writer implements Sink, AutoCloseable {
    private final DataOutputStream out;

    Writer(Path file) {
      try {
        out = new DataOutputStream(new BufferedOutputStream(Files.newOutputStream(file), 1 << 16));
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }

    @Override
    public BatchConsumer consumer(Worker worker) {
      FrameWriter frames = new FrameWriter();
      return batch -> {
        byte[] frame = frames.write(batch);
        synchronized (out) {
          try {
            out.writeInt(frame.length);
            out.writeInt(batch.input());
            out.writeInt(batch.inputs());
            out.writeLong(batch.sequence());
            out.write(frame);
          } catch (IOException e) {
            throw new UncheckedIOException(e);
          }
        }
      };
    }

    @Override
    public void close() {
      try {
        out.close();
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
  }

  private record Frame(int input, int inputs, long sequence, long at, int length) {}

  /** The rows of a file, in their order; frames are read when their turn comes. */
  static ScanSource read(Path file, List<Type> types) {
    List<Frame> frames = new ArrayList<>();
    try (FileChannel channel = FileChannel.open(file)) {
      ByteBuffer header = ByteBuffer.allocate(HEADER_BYTES);
      for (long at = 0; at < channel.size(); ) {
        read(channel, at, header.clear());
        int length = header.getInt();
        frames.add(
            new Frame(
                header.getInt(), header.getInt(), header.getLong(), at + HEADER_BYTES, length));
        at += HEADER_BYTES + length;
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    frames.sort(Comparator.comparingInt(Frame::input).thenComparingLong(Frame::sequence));
    int inputs = frames.stream().mapToInt(Frame::inputs).max().orElse(1);
    return new ScanSource() {
      @Override
      public List<Split> splits() {
        List<Split> out = new ArrayList<>();
        for (Frame f : frames) {
          out.add((worker, next) -> next.accept(frame(file, f, types).withSequence(0)));
        }
        return out;
      }

      @Override
      public int inputs() {
        return inputs;
      }
    };
  }

  private static Batch frame(Path file, Frame frame, List<Type> types) {
    try (FileChannel channel = FileChannel.open(file)) {
      ByteBuffer bytes = ByteBuffer.allocate(frame.length());
      read(channel, frame.at(), bytes);
      return FrameReader.read(bytes.array(), types);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static void read(FileChannel channel, long at, ByteBuffer into) throws IOException {
    while (into.hasRemaining()) {
      int n = channel.read(into, at + into.position());
      if (n < 0) {
        throw new IOException("The file is cut");
      }
    }
    into.flip();
  }
}
