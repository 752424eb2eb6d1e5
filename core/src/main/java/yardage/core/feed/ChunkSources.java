package yardage.core.feed;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.record.Swar;

/**
 * Which file each record of a chunk came from: all of them from one, or from several small files
 * whose records were put behind one another so that each does not cost a batch of its own. Of the
 * latter, a parser knows places in the chunk alone, and they are told as places in the files here.
 * One thread at a time.
 */
final class ChunkSources {
  /** What one file gave. */
  record Part(
      FileReading file, String name, long line, long byteOffset, String before, String after) {
    static Part of(FileReading file, Chunk chunk) {
      return new Part(
          file, chunk.file, chunk.line, chunk.byteOffset + chunk.start, chunk.before, chunk.after);
    }
  }

  private static final int JOINED_BYTES = 1 << 19;

  final Chunk chunk;
  private final boolean joined;
  private final List<Part> parts = new ArrayList<>();
  private final Map<String, Part> byName = new HashMap<>();

  /** Where each part starts in the chunk, and at what line of it. */
  private int[] starts = new int[64];

  private long[] lines = new long[64];
  private long nextLine = 1;
  private int last;

  private ChunkSources(Chunk chunk, boolean joined) {
    this.chunk = chunk;
    this.joined = joined;
  }

  /** A chunk of one file. */
  static ChunkSources alone(FileReading file, Chunk chunk) {
    ChunkSources out = new ChunkSources(chunk, false);
    out.parts.add(Part.of(file, chunk));
    return out;
  }

  /** An empty chunk, for parts of several files. */
  static ChunkSources joined() {
    ChunkSources out = new ChunkSources(new Chunk(JOINED_BYTES), true);
    out.clear();
    return out;
  }

  boolean isEmpty() {
    return parts.isEmpty();
  }

  List<Part> parts() {
    return parts;
  }

  /** Whether records can be put behind those that are there. */
  boolean takes(Chunk next) {
    return isEmpty()
        || next.fields.equals(chunk.fields)
            && chunk.end + next.end - next.start <= chunk.targetBytes();
  }

  /** Puts a file's records behind those that are there. */
  void add(FileReading file, Chunk from) {
    int n = parts.size();
    if (n == starts.length) {
      starts = Arrays.copyOf(starts, n * 2);
      lines = Arrays.copyOf(lines, n * 2);
    }
    chunk.fields = from.fields;
    starts[n] = chunk.end;
    lines[n] = nextLine;
    parts.add(Part.of(file, from));
    nextLine += Swar.count(from.buffer, from.start, from.end, '\n');
    chunk.append(from.buffer, from.start, from.end);
    Arrays.fill(chunk.buffer, chunk.end, chunk.end + Chunk.PADDING - 1, (byte) 0);
  }

  void clear() {
    parts.clear();
    byName.clear();
    nextLine = 1;
    last = 0;
    chunk.start = 0;
    chunk.end = 0;
    chunk.line = 1;
    chunk.byteOffset = 0;
    chunk.defect = null;
  }

  /** Notes how many records each file had. */
  void count(ParsedRecords records) {
    int n = records.rowCount();
    if (!joined) {
      parts.get(0).file().records.addAndGet(n);
      return;
    }
    for (int r = 0; r < n; r++) {
      parts.get(at(records.places().byteOffset(r))).file().records.incrementAndGet();
    }
  }

  /** As the parser gave them, or with their places in the files. */
  ParsedRecords inFiles(ParsedRecords records) {
    return joined
        ? new ParsedRecords(
            records.columns(),
            records.rowCount(),
            records.failures(),
            new InFiles(records.places()))
        : records;
  }

  RejectedRecord inFiles(RejectedRecord record) {
    if (!joined) {
      return record;
    }
    int i = at(record.byteOffset());
    Part part = parts.get(i);
    return new RejectedRecord(
        part.name(),
        part.line() + record.line() - lines[i],
        part.byteOffset() + record.byteOffset() - starts[i],
        record.original(),
        record.failures());
  }

  /** The part that a line of the chunk is in. */
  Part atLine(long line) {
    return joined
        ? parts.get(found(Arrays.binarySearch(lines, 0, parts.size(), line)))
        : parts.get(0);
  }

  /** A line of the chunk as a line of its file. */
  long lineInFile(long line) {
    if (!joined) {
      return line;
    }
    int i = found(Arrays.binarySearch(lines, 0, parts.size(), line));
    return parts.get(i).line() + line - lines[i];
  }

  /** What the file gave that a record names. */
  Part named(String file) {
    if (!joined) {
      return parts.get(0);
    }
    if (byName.isEmpty()) {
      parts.forEach(p -> byName.put(p.name(), p));
    }
    return byName.get(file);
  }

  /** Where records that are replayed come from; these are always alone. */
  Optional<Replays.Origin> origin() {
    return joined ? Optional.empty() : parts.get(0).file().origin();
  }

  /** The part that a place in the chunk is in; places are mostly asked for in their order. */
  private int at(long position) {
    int n = parts.size();
    if (starts[last] > position) {
      last = found(Arrays.binarySearch(starts, 0, n, (int) position));
    }
    while (last + 1 < n && starts[last + 1] <= position) {
      last++;
    }
    return last;
  }

  private static int found(int search) {
    return search >= 0 ? search : -search - 2;
  }

  private final class InFiles implements ParsedRecords.Places {
    private final ParsedRecords.Places inChunk;

    InFiles(ParsedRecords.Places inChunk) {
      this.inChunk = inChunk;
    }

    @Override
    public String file(int row) {
      return parts.get(at(inChunk.byteOffset(row))).name();
    }

    @Override
    public long line(int row) {
      int i = at(inChunk.byteOffset(row));
      return parts.get(i).line() + inChunk.line(row) - lines[i];
    }

    @Override
    public long record(int row) {
      return inChunk.record(row);
    }

    @Override
    public long byteOffset(int row) {
      long position = inChunk.byteOffset(row);
      int i = at(position);
      return parts.get(i).byteOffset() + position - starts[i];
    }

    @Override
    public String original(int row) {
      return inChunk.original(row);
    }
  }
}
