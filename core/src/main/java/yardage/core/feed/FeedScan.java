package yardage.core.feed;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Queue;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.atomic.AtomicLong;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.ScanSource;
import yardage.core.exec.StepTally;
import yardage.core.exec.Turns;
import yardage.core.exec.Worker;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RecordParser;
import yardage.core.format.record.RejectedRecord;
import yardage.core.storage.Place;

/**
 * Reads some files of a feed under its contract. All declared columns are checked, whichever are
 * asked for. Rows that do not fit go to the set-aside writer and are counted; past the feed's limit
 * the scan fails.
 *
 * <p>Each file has a worker of its own while there are files enough; workers without one help with
 * those that are large, and small ones that lie together are read together. A batch's place follows
 * from its file, chunk and place in the chunk, so the order of rows does not depend on who read
 * what.
 */
public final class FeedScan implements ScanSource {
  /** Smaller files are left to one worker. */
  private static final long WORTH_HELP_BYTES = 4L << 20;

  /** A worker's buffer that is larger is let go of with the file that needed it. */
  private static final int MOST_KEPT_BYTES = 4 << 20;

  /** Batches of one chunk: a chunk of a megabyte never has as many. */
  private static final int CHUNK_BITS = 10;

  /** Files up to this size are read together with their neighbours. */
  private static final int SMALL_BYTES = 1 << 15;

  private static final int MOST_TOGETHER = 1 << 10;

  private static final int MOST_TOLD = 10;

  /** A worker for whose buffer there is no memory waits for another to end its file. */
  private final Turns turns = new Turns();

  private final FeedDefinition feed;
  private final int[] columns;
  private final StepTally tally;
  private final SetAsideWriter setAside;
  private final Queue<String> notes = new ConcurrentLinkedQueue<>();
  private final RecordFormat format;
  private final Contract contract;
  private final List<FileReading> files;
  private final AtomicLong setAsideCount = new AtomicLong();
  private final Map<String, AtomicLong> countByReason = new ConcurrentHashMap<>();
  private final Map<String, AtomicLong> nulled = new ConcurrentHashMap<>();
  private final Map<String, AtomicLong> cut = new ConcurrentHashMap<>();
  private final FieldSightings changes = new FieldSightings();
  private final Map<Integer, WorkerState> workers = new ConcurrentHashMap<>();

  /** What a worker keeps from file to file. */
  private static final class WorkerState {
    private Chunk chunk = new Chunk();
    private ChunkSources joined;
    private FieldMap fields;
    private RecordFormat format;
    private RecordParser parser;

    /** For small files only, as it has a buffer of its own. */
    ChunkSources joined() {
      joined = joined == null ? ChunkSources.joined() : joined;
      return joined;
    }

    RecordParser parser(RecordFormat wanted, FieldMap at) {
      if (format != wanted || !at.equals(fields)) {
        fields = at;
        format = wanted;
        parser = wanted.parser(at);
      }
      return parser;
    }
  }

  public FeedScan(FeedFiles what, Place inbox, StepTally tally, SetAsideWriter setAside) {
    this.feed = what.feed();
    this.columns = what.columns();
    this.tally = tally;
    this.setAside = setAside;
    this.format = Formats.of(feed, inbox, notes::add);
    this.contract = new Contract(feed, what.run(), what.takenAt());
    RecordFormat replayed = Formats.ofReplays(feed, inbox);
    this.files =
        what.files().stream()
            .map(
                f ->
                    new FileReading(
                        feed,
                        f,
                        inbox.at(f.address()),
                        Replays.isReplay(f.path()) ? replayed : format))
            .toList();
  }

  @Override
  public List<Split> splits() {
    List<Split> out = new ArrayList<>();
    for (int i = 0, behind; i < files.size(); i = behind) {
      behind = together(i);
      out.add(split(i, behind));
    }
    int helpers = Runtime.getRuntime().availableProcessors() - 1;
    for (int i = 0; i < files.size(); i++) {
      if (files.get(i).file().sizeBytes() >= WORTH_HELP_BYTES) {
        for (int h = 0; h < helpers; h++) {
          out.add(split(i, i + 1));
        }
      }
    }
    return out;
  }

  /** Behind the last of the files from {@code first} on that are read together. */
  private int together(int first) {
    String path = files.get(first).file().path();
    // What columns that folders give are told by.
    String folder = path.substring(0, path.lastIndexOf('/') + 1);
    int behind = first;
    long bytes = 0;
    while (behind < files.size()
        && behind - first < MOST_TOGETHER
        && isSmall(files.get(behind))
        && bytes < ChunkSources.JOINED_BYTES
        && isIn(folder, files.get(behind).file().path())) {
      bytes += files.get(behind++).file().sizeBytes();
    }
    return Math.max(behind, first + 1);
  }

  private static boolean isIn(String folder, String path) {
    return path.startsWith(folder) && path.indexOf('/', folder.length()) < 0;
  }

  private boolean isSmall(FileReading file) {
    return feed.trailer().isEmpty()
        && file.file().sizeBytes() <= SMALL_BYTES
        && file.format().joins()
        && !file.isReplay();
  }

  private Split split(int first, int behind) {
    return new Split() {
      @Override
      public void read(Worker worker, BatchConsumer out) {
        turns.during(() -> FeedScan.this.read(files.subList(first, behind), worker, out));
      }

      @Override
      public long place() {
        return first;
      }
    };
  }

  private void read(List<FileReading> together, Worker worker, BatchConsumer out) {
    WorkerState state = workers.computeIfAbsent(worker.ordinal(), n -> new WorkerState());
    try (MemoryPool.Reservation buffer = reservation(worker)) {
      turns.insist(buffer, state.chunk.buffer.length);
      state.chunk.reserve = buffer::resize;
      if (together.size() == 1) {
        readAlone(together.get(0), state, out);
      } else {
        try (MemoryPool.Reservation joined = reservation(worker)) {
          turns.insist(joined, state.joined().chunk.buffer.length);
          state.joined().chunk.reserve = joined::resize;
          readTogether(together, state, out);
        }
      }
    } finally {
      if (state.chunk.buffer.length > MOST_KEPT_BYTES) {
        // It has grown for one long record.
        state.chunk = new Chunk();
      }
      if (state.joined != null && state.joined.chunk.buffer.length > MOST_KEPT_BYTES) {
        state.joined = null;
      }
    }
    for (FileReading file : together) {
      if (file.claimEnd()) {
        tally.files.read.increment();
        file.damage().ifPresent(d -> setAsideDamaged(file, d.getMessage()));
        file.holdAgainstTrailer();
      }
    }
  }

  private MemoryPool.Reservation reservation(Worker worker) {
    return worker.context().memory().reservation(tally, "records as they are read");
  }

  private void readAlone(FileReading file, WorkerState state, BatchConsumer out) {
    while (file.next(state.chunk)) {
      Chunk chunk = state.chunk;
      parse(ChunkSources.alone(file, chunk), state, (long) chunk.ordinal << CHUNK_BITS, out);
    }
  }

  /** Puts the records of files behind one another, as far as they are alike. */
  private void readTogether(List<FileReading> files, WorkerState state, BatchConsumer out) {
    ChunkSources joined = state.joined();
    long sequence = 0;
    for (FileReading file : files) {
      while (file.next(state.chunk)) {
        Chunk chunk = state.chunk;
        boolean joins = chunk.defect == null && chunk.end - chunk.start <= SMALL_BYTES;
        if (!joins || !joined.takes(chunk)) {
          sequence = parseJoined(state, sequence, out);
        }
        if (joins) {
          joined.add(file, chunk);
        } else {
          sequence = parse(ChunkSources.alone(file, chunk), state, sequence, out);
        }
      }
    }
    parseJoined(state, sequence, out);
  }

  private long parseJoined(WorkerState state, long sequence, BatchConsumer out) {
    ChunkSources joined = state.joined();
    if (joined.isEmpty()) {
      return sequence;
    }
    try {
      return parse(joined, state, sequence, out);
    } finally {
      joined.clear();
    }
  }

  /** Gives the sequence of the next batch. */
  private long parse(ChunkSources sources, WorkerState state, long sequence, BatchConsumer out) {
    Chunk chunk = sources.chunk;
    try {
      Output output = new Output(sources, sequence, out);
      state.parser(sources.parts().get(0).file().format(), chunk.fields).parse(chunk, output);
      tally.bytesRead.add(chunk.end - chunk.start);
      return output.sequence;
    } finally {
      sources.parts().forEach(p -> p.file().done());
    }
  }

  private void setAsideDamaged(FileReading file, String message) {
    new Output(ChunkSources.alone(file, new Chunk(0)), 0, batch -> {})
        .reject(
            new RejectedRecord(
                file.file().path(),
                0,
                0,
                "",
                List.of(new RejectedRecord.Failure("", Reason.DAMAGED_FILE, message))));
  }

  /** Counts, and hands on. */
  private final class Output implements RecordOutput, Contract.Outcome {
    private final ChunkSources sources;
    private final BatchConsumer out;
    private long sequence;

    Output(ChunkSources sources, long firstSequence, BatchConsumer out) {
      this.sources = sources;
      this.sequence = firstSequence;
      this.out = out;
    }

    @Override
    public void records(ParsedRecords records) {
      tally.rowsIn.add(records.rowCount());
      sources.count(records);
      contract.enforce(sources.inFiles(records), sources.origin(), sequence++, this);
    }

    @Override
    public void reject(RejectedRecord record) {
      RejectedRecord inFile = sources.inFiles(record);
      tally.rowsIn.increment();
      sources.named(inFile.file()).file().records.incrementAndGet();
      setAside(inFile);
    }

    @Override
    public void stray(String field, long count, long line, String example) {
      String path = sources.fileAt(line).file().path();
      changes.unknown(field, count, path, sources.lineInFile(line), example);
    }

    @Override
    public void rows(Batch batch) {
      if (feed.trailer().isPresent() && !sources.parts().get(0).file().isReplay()) {
        // Files with a trailer are read alone: all rows are of one.
        sources.parts().get(0).file().sum(batch);
      }
      out.accept(project(batch));
    }

    @Override
    public void setAside(RejectedRecord record) {
      ChunkSources.Part part = sources.named(record.file());
      part.file().setAside.incrementAndGet();
      tally.setAside.increment();
      countByReason
          .computeIfAbsent(record.failures().get(0).reason().code(), r -> new AtomicLong())
          .incrementAndGet();
      setAside.write(feed.name(), tally.step(), record, part.before(), part.after());
      if (part.file().isReplay()) {
        // It counted when it first came; that it does not fit yet must not stop new files.
        return;
      }
      checkLimit();
    }

    @Override
    public void nulled(String column, long values) {
      nulled.computeIfAbsent(column, c -> new AtomicLong()).addAndGet(values);
    }

    @Override
    public void cut(String column, long values) {
      cut.computeIfAbsent(column, c -> new AtomicLong()).addAndGet(values);
    }
  }

  /** The step that reads. */
  public String step() {
    return tally.step();
  }

  /** What came of it so far; all of it once every split is read. */
  public FeedReport report() {
    return new FeedReport(
        feed.name(),
        tally.step(),
        taken(),
        counts(countByReason),
        setAsideCount.get(),
        feed.limit().share(),
        worst(),
        nulled(),
        notes(),
        warnings(),
        feed.change() == ChangePolicy.STOP && !changes.isEmpty()
            ? Optional.of(changes.message(feed.name()))
            : Optional.empty());
  }

  private List<IntakeFile> taken() {
    return files.stream()
        .map(FileReading::taken)
        .flatMap(Optional::stream)
        .sorted(Comparator.comparing(IntakeFile::path))
        .toList();
  }

  private static Map<String, Long> counts(Map<String, AtomicLong> of) {
    Map<String, Long> out = new TreeMap<>();
    of.forEach((what, n) -> out.put(what, n.get()));
    return out;
  }

  private List<String> notes() {
    List<String> out = new ArrayList<>(notes);
    long others = files.stream().mapToLong(FileReading::otherLines).sum();
    if (others > 0) {
      out.add(
          "%,d lines do not begin with [%s] and are not rows"
              .formatted(others, feed.edits().rowsBegin()));
    }
    return out;
  }

  /**
   * Each kind in one line: files without a byte, archives without an entry, last lines that may be
   * cut, entries that were skipped.
   */
  private List<String> warnings() {
    List<String> out = new ArrayList<>();
    tell(
        out,
        "file is empty, with 0 bytes",
        "files are empty, with 0 bytes",
        files.stream().filter(f -> f.file().sizeBytes() == 0).map(f -> f.file().path()).toList());
    tell(
        out,
        "file ends within a line, which may be cut",
        "files end within a line, which may be cut",
        files.stream().filter(FileReading::isWithoutEnd).map(f -> f.file().path()).toList());
    new TreeMap<>(cut)
        .forEach(
            (column, n) ->
                out.add(
                    "%,d values of %s have digits beyond microseconds, which are cut"
                        .formatted(n.get(), column)));
    List<String> told = files.stream().flatMap(f -> f.told().stream()).toList();
    told.stream().limit(MOST_TOLD).forEach(out::add);
    if (told.size() > MOST_TOLD) {
      out.add("%,d more of this kind".formatted(told.size() - MOST_TOLD));
    }
    return out;
  }

  private static void tell(List<String> out, String one, String several, List<String> paths) {
    if (!paths.isEmpty()) {
      out.add(
          "%,d %s: %s%s"
              .formatted(
                  paths.size(),
                  paths.size() == 1 ? one : several,
                  String.join(", ", paths.subList(0, Math.min(3, paths.size()))),
                  paths.size() > 3 ? ", …" : ""));
    }
  }

  /** How many values did not fit and became null so far, by column. */
  public Map<String, Long> nulled() {
    return counts(nulled);
  }

  /** The fields that no column takes, as far as they were seen. */
  public List<FieldSightings.Sighting> unknownFields() {
    return changes.all();
  }

  /** Closes what a scan that was stopped has left open. */
  public void close() {
    files.forEach(FileReading::close);
  }

  private Optional<FeedReport.WorstFile> worst() {
    return files.stream()
        .max(Comparator.comparingLong(f -> f.setAside.get()))
        .map(
            f ->
                new FeedReport.WorstFile(
                    f.file(), f.isReplay(), f.records.get(), f.setAside.get()));
  }

  private void checkLimit() {
    long now = setAsideCount.incrementAndGet();
    Optional<Long> most = feed.limit().rows();
    if (most.isPresent() && now > most.get()) {
      throw report().moreThan(most.get());
    }
  }

  private Batch project(Batch batch) {
    List<Column> out = new ArrayList<>();
    for (int c : columns) {
      out.add(batch.column(c));
    }
    return batch.withColumns(out);
  }
}
