package yardage.core.format.record;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.function.IntConsumer;

/**
 * Whole records of one file, as UTF-8 bytes {@code buffer[start, end)}; {@link #PADDING} readable
 * bytes follow. A worker owns its chunk and lets a {@link Chunker} fill it again and again.
 */
public final class Chunk {
  /** Bytes behind the end that may be read, for eight-byte steps. */
  public static final int PADDING = 16;

  public static final int TARGET_BYTES = 1 << 20;

  /** Told how large the buffer is about to be, so that a budget can refuse. */
  public IntConsumer reserve = bytes -> {};

  /** The file, and the entry if it is an archive: how records name where they came from. */
  public String file = "";

  /** Where the declared fields lie in it. */
  public FieldMap fields;

  /** What must stand before and after its records to make a file of them alone. */
  public String before = "";

  public String after = "";

  private final int targetBytes;
  public byte[] buffer;
  public int start;
  public int end;

  /** Offset in the file of {@code buffer[0]}; may be negative when the chunk has a prologue. */
  public long byteOffset;

  /** The 1-based line of {@code buffer[start]}. */
  public long line;

  /** The 0-based number of the first record, where the format counts them; else 0. */
  public long firstRecord;

  /** 0-based among the chunks of its file. */
  public int ordinal;

  /** Where the records lie, if the chunker found them one by one. */
  public final RecordPlaces records = new RecordPlaces();

  /** What is wrong with the one record that the chunk holds; null for a sound chunk. */
  public RejectedRecord.Failure defect;

  public Chunk() {
    this(TARGET_BYTES);
  }

  /**
   * @param targetBytes how much chunkers put into it, if records are not longer
   */
  public Chunk(int targetBytes) {
    this.targetBytes = targetBytes;
    this.buffer = new byte[targetBytes + PADDING];
  }

  /** Makes room for more bytes behind the end, and the padding behind them. */
  public void room(int bytes) {
    int needed = Math.addExact(end, bytes + PADDING);
    if (needed > buffer.length) {
      long grown = Math.max((long) needed, buffer.length * 2L);
      int length = (int) Math.min(Integer.MAX_VALUE - 64, grown);
      reserve.accept(length);
      buffer = Arrays.copyOf(buffer, length);
    }
  }

  /** Appends bytes {@code from[start, end)}. */
  public void append(byte[] from, int start, int end) {
    room(end - start);
    System.arraycopy(from, start, buffer, this.end, end - start);
    this.end += end - start;
  }

  public int targetBytes() {
    return targetBytes;
  }

  /** The text of some bytes; what is not UTF-8 shows as replacement characters. */
  public String text(int from, int to) {
    return new String(buffer, from, Math.max(0, to - from), StandardCharsets.UTF_8);
  }
}
