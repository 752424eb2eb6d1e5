package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.IntStream;
import yardage.core.column.Batch;
import yardage.core.column.FrameReader;
import yardage.core.column.FrameWriter;
import yardage.core.column.Type;

/**
 * Rows in parts, each a list of frames. Frames stay in memory while the pool has room for them and
 * nobody asks for it, and go to a scratch file otherwise. Any number of workers add at the same
 * time; each part is read afterwards, as often as need be, until {@link #close}.
 */
final class Exchange implements AutoCloseable, MemoryPool.Holder {
  private static final ThreadLocal<FrameWriter> WRITER = ThreadLocal.withInitial(FrameWriter::new);

  private final List<Type> types;
  private final ExecutionContext context;
  private final StepTally tally;
  private final MemoryPool.Reservation reservation;
  private final List<Part> parts = new ArrayList<>();
  private Scratch.Room room;
  private volatile long heldBytes;
  private int inputs = 1;

  /** A frame in memory, or where it lies in the file. */
  private static final class Frame {
    static final int OVERHEAD_BYTES = 64;
    private final int input;
    private final long sequence;
    private final int rows;
    private final int length;
    private byte[] bytes;
    private long at;

    Frame(Batch batch, byte[] bytes) {
      this.input = batch.input();
      this.sequence = batch.sequence();
      this.rows = batch.rowCount();
      this.length = bytes.length;
      this.bytes = bytes;
    }
  }

  private static final class Part {
    private final List<Frame> frames = new ArrayList<>();
    private final AtomicLong rows = new AtomicLong();
    private final AtomicLong rowBytes = new AtomicLong();
  }

  /**
   * @param types of the columns that are kept
   * @param what for, in words that follow "memory for"
   */
  Exchange(int parts, List<Type> types, ExecutionContext context, StepTally tally, String what) {
    this.types = types;
    this.context = context;
    this.tally = tally;
    this.reservation = context.memory().reservation(tally, what);
    for (int p = 0; p < parts; p++) {
      this.parts.add(new Part());
    }
    context.memory().add(this);
  }

  int parts() {
    return parts.size();
  }

  long rows(int part) {
    return parts.get(part).rows.get();
  }

  /** About how much memory the rows of a part take when they are columns again. */
  long rowBytes(int part) {
    return parts.get(part).rowBytes.get();
  }

  /** Makes room for another part, and gives its number. */
  synchronized int addPart() {
    parts.add(new Part());
    return parts.size() - 1;
  }

  void add(int part, Batch batch) {
    if (batch.rowCount() == 0) {
      return;
    }
    Frame frame = new Frame(batch, WRITER.get().write(batch));
    int last = batch.inputs();
    synchronized (this) {
      inputs = Math.max(inputs, last);
      Part to = parts.get(part);
      to.rows.addAndGet(batch.rowCount());
      to.rowBytes.addAndGet(batch.sizeBytes());
      long more = frame.length + Frame.OVERHEAD_BYTES;
      // What is in the file still needs an entry in the list; that little is never refused.
      if (room == null && reservation.tryHold(heldBytes + more)) {
        heldBytes += more;
      } else {
        if (room == null || heldBytes > 0) {
          spill();
        }
        frame.at = room.write(frame.bytes);
        frame.bytes = null;
      }
      to.frames.add(frame);
    }
  }

  /** Adds rows {@code rows[from, to)} of a batch that may be large, as many to a frame as fit. */
  void add(int part, Batch batch, int[] rows, int from, int to) {
    for (int at = from; at < to; ) {
      context.cancel().check();
      int[] some = Arrays.copyOfRange(rows, at, LongLists.end(batch, rows, at, to));
      add(part, batch.gather(some, some.length));
      at += some.length;
    }
  }

  @Override
  public long heldBytes() {
    return heldBytes;
  }

  @Override
  public synchronized void giveBack() {
    if (heldBytes > 0) {
      spill();
    }
  }

  /** Writes the frames that are in memory to the file. */
  private void spill() {
    if (room == null) {
      room = context.scratch().file(tally);
    }
    for (Part part : parts) {
      for (Frame frame : part.frames) {
        if (frame.bytes != null) {
          frame.at = room.write(frame.bytes);
          frame.bytes = null;
        }
      }
    }
    heldBytes = 0;
    reservation.resize(0);
  }

  List<Type> types() {
    return types;
  }

  /** Where each frame of a part starts, counted in rows, and the end. */
  long[] frameStarts(int part) {
    List<Frame> frames = parts.get(part).frames;
    long[] out = new long[frames.size() + 1];
    for (int f = 0; f < frames.size(); f++) {
      out[f + 1] = out[f] + frames.get(f).rows;
    }
    return out;
  }

  int frames(int part) {
    return parts.get(part).frames.size();
  }

  Batch frame(int part, int ordinal) {
    Frame frame = parts.get(part).frames.get(ordinal);
    byte[] bytes;
    Scratch.Room file;
    synchronized (this) {
      bytes = frame.bytes;
      file = room;
    }
    if (bytes == null) {
      bytes = file.read(frame.at, frame.length);
    }
    try {
      return FrameReader.read(bytes, types);
    } catch (IllegalStateException e) {
      throw new StepFailedException(
          tally.step(),
          new java.io.UncheckedIOException(
              "Scratch is damaged: " + e.getMessage() + "; is the disk failing?",
              new java.io.IOException(e)));
    }
  }

  /** Gives the rows of a part, in the order in which they were added. */
  void read(int part, BatchConsumer out) {
    for (int f = 0; f < frames(part); f++) {
      context.cancel().check();
      out.accept(frame(part, f));
    }
  }

  /** What is made of the rows of one part. */
  interface PartReader {
    void read(int part, BatchConsumer out);
  }

  /** How many inputs the places of the rows tell apart. */
  synchronized int inputs() {
    return inputs;
  }

  /** Reads part by part; rows come with their places. */
  ScanSource source(Turns turns, PartReader reader) {
    return new ScanSource() {
      @Override
      public List<Split> splits() {
        return Exchange.this.splits(turns, reader);
      }

      @Override
      public int inputs() {
        return Exchange.this.inputs();
      }
    };
  }

  /** A split for each part. */
  List<ScanSource.Split> splits(Turns turns, PartReader reader) {
    return IntStream.range(0, parts())
        .<ScanSource.Split>mapToObj(p -> (worker, out) -> turns.during(() -> reader.read(p, out)))
        .toList();
  }

  /** Puts the frames of a part in the order of their batches. */
  void sortBySequence(int part) {
    parts
        .get(part)
        .frames
        .sort(Comparator.comparingInt((Frame f) -> f.input).thenComparingLong(f -> f.sequence));
  }

  @Override
  public synchronized void close() {
    context.memory().remove(this);
    parts.clear();
    heldBytes = 0;
    reservation.close();
    if (room != null) {
      room.close();
      room = null;
    }
  }
}
