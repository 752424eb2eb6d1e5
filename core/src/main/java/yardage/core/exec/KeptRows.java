package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.PrimitiveIterator;
import java.util.function.Predicate;
import java.util.stream.LongStream;
import yardage.core.column.Batch;
import yardage.core.column.FrameReader;
import yardage.core.column.FrameWriter;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/**
 * The rows of a result on disk, to be read a page at a time for as long as somebody looks at them.
 * In memory is the place of each frame. Thread-safe once it is filled.
 */
public final class KeptRows implements AutoCloseable {
  private final List<Type> types;
  private final Scratch.Room room;
  private final long most;
  private final List<Frame> frames = new ArrayList<>();
  private long rowCount;
  private boolean truncated;

  private record Frame(long firstRow, int rows, long at, int length) {}

  private KeptRows(Schema schema, Scratch.Room room, long most) {
    this.types = schema.types();
    this.room = room;
    this.most = most;
  }

  /**
   * @param most rows that are kept
   */
  static KeptRows in(Scratch scratch, Schema schema, StepTally tally, long most) {
    return new KeptRows(schema, scratch.file(tally), most);
  }

  /** Where they come from: one worker, in their order. */
  Sink sink() {
    FrameWriter writer = new FrameWriter();
    return worker ->
        batch -> {
          int taken = (int) Math.min(batch.rowCount(), most - rowCount);
          if (taken > 0) {
            byte[] frame = writer.write(batch);
            frames.add(new Frame(rowCount, taken, room.write(frame), frame.length));
            rowCount += taken;
          }
          if (taken < batch.rowCount()) {
            truncated = true;
            throw CollectSink.EnoughRows.INSTANCE;
          }
        };
  }

  public long rowCount() {
    return rowCount;
  }

  /** Whether the result has more rows than were kept. */
  public boolean isTruncated() {
    return truncated;
  }

  /** Some rows, from one that is counted from 0; fewer at the end. */
  public List<List<Object>> rows(long from, int count) {
    long first = Math.max(0, from);
    return rows(LongStream.range(first, Math.min(rowCount, from + count)));
  }

  /** The rows with these numbers. */
  public List<List<Object>> rows(long[] numbers, int from, int count) {
    int end = Math.min(numbers.length, from + count);
    return rows(Arrays.stream(numbers, Math.min(from, end), end));
  }

  /** Each frame is read once where numbers go up. */
  private synchronized List<List<Object>> rows(LongStream numbers) {
    List<List<Object>> out = new ArrayList<>();
    int read = -1;
    Batch batch = null;
    for (PrimitiveIterator.OfLong n = numbers.iterator(); n.hasNext(); ) {
      long number = n.nextLong();
      int frame = frameOf(number);
      if (frame != read) {
        batch = read(frames.get(frame));
        read = frame;
      }
      out.add(batch.row((int) (number - frames.get(frame).firstRow())));
    }
    return out;
  }

  private int frameOf(long row) {
    int low = 0;
    int high = frames.size() - 1;
    while (low < high) {
      int middle = (low + high + 1) >>> 1;
      if (frames.get(middle).firstRow() <= row) {
        low = middle;
      } else {
        high = middle - 1;
      }
    }
    return low;
  }

  private Batch read(Frame frame) {
    return FrameReader.read(room.read(frame.at(), frame.length()), types);
  }

  /**
   * The numbers of the rows that a test accepts.
   *
   * @param context whose memory holds them while they are looked for, and who may cancel it
   */
  public long[] matching(Predicate<List<Object>> test, ExecutionContext context) {
    try (MemoryPool.Reservation reservation =
        context.memory().reservation(new StepTally("result", "sql"), "rows that were found")) {
      long[] found = new long[16];
      int n = 0;
      for (Frame frame : frames) {
        context.cancel().check();
        Batch batch = read(frame);
        for (int r = 0; r < frame.rows(); r++) {
          if (test.test(batch.row(r))) {
            if (n == found.length) {
              reservation.resize(4L * n * Long.BYTES);
              found = Arrays.copyOf(found, 2 * n);
            }
            found[n++] = frame.firstRow() + r;
          }
        }
      }
      return Arrays.copyOf(found, n);
    }
  }

  @Override
  public synchronized void close() {
    room.close();
  }
}
