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

  /** What files that are read together are put into. */
  static final int JOINED_BYTES = 1 << 19;

  final Chunk chunk;
  private final List<Part> parts = new ArrayList<>();
  private final Map<String, Part> byName = new HashMap<>();

  /** Where each part starts and at what line, as the parser tells places. */
  private long[] starts = new long[1];

  private long[] lines = new long[1];
  private long nextLine = 1;
  private int last;

  private ChunkSources(Chunk chunk) {
    this.chunk = chunk;
  }

  /** A chunk of one file: places in the chunk are told as places in the file already. */
  static ChunkSources alone(FileReading file, Chunk chunk) {
    ChunkSources out = new ChunkSources(chunk);
    Part part = Part.of(file, chunk);
    out.add(part, part.byteOffset(), part.line());
    return out;
  }

  /** An empty chunk, for parts of several files. */
  static ChunkSources joined() {
    ChunkSources out = new ChunkSources(new Chunk(JOINED_BYTES));
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
    chunk.fields = from.fields;
    add(Part.of(file, from), chunk.end, nextLine);
    nextLine += Swar.count(from.buffer, from.start, from.end, '\n');
    chunk.append(from.buffer, from.start, from.end);
    Arrays.fill(chunk.buffer, chunk.end, chunk.end + Chunk.PADDING - 1, (byte) 0);
  }

  private void add(Part part, long start, long line) {
    int n = parts.size();
    if (n == starts.length) {
      starts = Arrays.copyOf(starts, n * 2);
      lines = Arrays.copyOf(lines, n * 2);
    }
    starts[n] = start;
    lines[n] = line;
    parts.add(part);
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
    if (parts.size() == 1) {
      parts.get(0).file().records.addAndGet(n);
      return;
    }
    for (int r = 0; r < n; r++) {
      parts.get(at(records.places().byteOffset(r))).file().records.incrementAndGet();
    }
  }

  /** With their places in the files. */
  ParsedRecords inFiles(ParsedRecords records) {
    return new ParsedRecords(
        records.columns(), records.rowCount(), records.failures(), new InFiles(records.places()));
  }

  RejectedRecord inFiles(RejectedRecord record) {
    int i = at(record.byteOffset());
    return new RejectedRecord(
        parts.get(i).name(),
        lineIn(i, record.line()),
        byteIn(i, record.byteOffset()),
        record.original(),
        record.failures());
  }

  /** The file that a line of the chunk is in. */
  FileReading fileAt(long line) {
    return parts.get(partAt(lines, line)).file();
  }

  /** A line of the chunk as a line of its file. */
  long lineInFile(long line) {
    return lineIn(partAt(lines, line), line);
  }

  private long lineIn(int part, long line) {
    return parts.get(part).line() + line - lines[part];
  }

  private long byteIn(int part, long position) {
    return parts.get(part).byteOffset() + position - starts[part];
  }

  /** What the file gave that a record names. */
  Part named(String file) {
    if (parts.size() == 1) {
      return parts.get(0);
    }
    if (byName.isEmpty()) {
      parts.forEach(p -> byName.put(p.name(), p));
    }
    return byName.get(file);
  }

  /** Where records that are replayed come from; these are always alone. */
  Optional<Replays.Origin> origin() {
    return parts.get(0).file().origin();
  }

  /** The part that a place in the chunk is in; places are mostly asked for in their order. */
  private int at(long position) {
    if (starts[last] > position) {
      last = partAt(starts, position);
    }
    while (last + 1 < parts.size() && starts[last + 1] <= position) {
      last++;
    }
    return last;
  }

  /** The last part that begins at or before a place; the first where there is none. */
  private int partAt(long[] beginnings, long place) {
    int found = Arrays.binarySearch(beginnings, 0, parts.size(), place);
    return found >= 0 ? found : Math.max(0, -found - 2);
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
      return lineIn(at(inChunk.byteOffset(row)), inChunk.line(row));
    }

    @Override
    public long record(int row) {
      return inChunk.record(row);
    }

    @Override
    public long byteOffset(int row) {
      long position = inChunk.byteOffset(row);
      return byteIn(at(position), position);
    }

    @Override
    public String original(int row) {
      return inChunk.original(row);
    }
  }
}
