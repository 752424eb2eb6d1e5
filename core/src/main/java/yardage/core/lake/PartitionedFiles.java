package yardage.core.lake;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.locks.ReentrantLock;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.DataFiles;
import org.apache.iceberg.FileFormat;
import org.apache.iceberg.MetricsConfig;
import org.apache.iceberg.PartitionData;
import org.apache.iceberg.PartitionSpec;
import org.apache.iceberg.parquet.ParquetSchemaUtil;
import org.apache.iceberg.parquet.ParquetUtil;
import org.apache.parquet.hadoop.metadata.ParquetMetadata;
import org.apache.parquet.schema.MessageType;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Schema;
import yardage.core.column.TextRoom;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.KeyNumbers;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.Parallel;
import yardage.core.exec.RowOrder;
import yardage.core.exec.RowsByNumber;
import yardage.core.exec.Turns;
import yardage.core.format.parquet.DataFileWriter;
import yardage.core.format.parquet.RowGroup;
import yardage.core.format.parquet.RowGroupMerge;
import yardage.core.format.parquet.StoredOutput;
import yardage.core.storage.Place;

/**
 * Rows on their way into data files. All workers share one open file per partition, so a partition
 * gets one file until that reaches the target size, however many workers write. Rows gather in a
 * buffer per partition; a full buffer is sorted if asked and encoded by the worker that filled it,
 * outside any lock, and takes its turn in the file. When memory runs short the fullest buffers go
 * early.
 */
final class PartitionedFiles {
  private static final int MOST_OPEN_FILES = 100;

  /** What an open file holds: its stream's buffer, and what its footer will say. */
  private static final long OPEN_FILE_BYTES = 288L << 10;

  private static final int ROW_GROUP_ROWS = 1 << 20;
  private static final long ROW_GROUP_BYTES = 64L << 20;

  /** Compressed, which is a third of what it is to who reads it. */
  private static final long COPIED_GROUP_BYTES = 32L << 20;

  private final Schema schema;
  private final PartitionSpec spec;
  private final Partitioning partitioning;
  private final FileFilling filling;
  private final int[] found;
  private final Place dataFolder;
  private final String run;
  private final Staging staging;
  private final MemoryPool.Reservation reservation;
  private final MessageType fileSchema;
  private final AtomicLong bufferedBytes = new AtomicLong();
  private final AtomicInteger fileNumber = new AtomicInteger();
  private final AtomicInteger openFiles = new AtomicInteger();
  private final AtomicLong writes = new AtomicLong();

  /** Who is writing buffers at the moment; what they hold is not free before they are done. */
  private final Turns flushes = new Turns();

  private final Map<Object, Partition> partitions = new ConcurrentHashMap<>();
  private final List<DataFile> files = new ArrayList<>();
  private final ColumnSketches sketches;
  private final AtomicLong sketchBytes = new AtomicLong();

  /**
   * @param schema the table's columns
   * @param iceberg the same with their numbers
   * @param partitioning over {@code schema}
   * @param run names the files; must be unlike that of any other run
   * @param reservation for the rows that wait; closed at the end
   */
  PartitionedFiles(
      Schema schema,
      org.apache.iceberg.Schema iceberg,
      PartitionSpec spec,
      Partitioning partitioning,
      FileFilling filling,
      Place tableFolder,
      String run,
      Staging staging,
      MemoryPool.Reservation reservation) {
    this.schema = schema;
    this.spec = spec;
    this.partitioning = partitioning;
    this.filling = filling;
    this.found = filling.found(schema);
    this.dataFolder = tableFolder.child("data");
    this.run = run;
    this.staging = staging;
    this.reservation = reservation;
    this.fileSchema = ParquetSchemaUtil.convert(iceberg, "table");
    this.sketches = new ColumnSketches(schema, iceberg);
  }

  /** Takes batches with the table's columns; one for each worker. */
  BatchConsumer router() {
    if (partitioning.fields().isEmpty()) {
      Partition only = partition(List.of());
      return only::append;
    }
    return new Routed();
  }

  /**
   * Takes rows that are all of one partition, for files of their own; its owner flushes it.
   *
   * @param folder below the table's data folder, empty or ending with a slash
   */
  Partition into(PartitionData values, String folder) {
    Partition own = new Partition(folder, values);
    partitions.put(own, own);
    return own;
  }

  /** The partitions that rows came for. */
  Set<PartitionData> touched() {
    return partitions.values().stream().map(p -> p.values).collect(Collectors.toSet());
  }

  /** Writes what waits and closes all files. */
  void finish(ExecutionContext context) {
    // Each is written and closed before the next: with thousands of partitions their open files
    // would take more memory than their rows.
    Parallel.forEach(List.copyOf(partitions.values()), context, Partition::finish);
    files.sort(Comparator.comparing(DataFile::location));
    reservation.close();
  }

  /** The files written; all of them after {@link #finish}. */
  List<DataFile> files() {
    return List.copyOf(files);
  }

  /** Of all rows that were encoded here; those of row groups that were copied are not looked at. */
  ColumnSketches sketches() {
    return sketches;
  }

  void abandon() {
    partitions.values().forEach(Partition::abandon);
    reservation.close();
  }

  private Partition partition(List<Object> key) {
    return partitions.computeIfAbsent(
        key, k -> new Partition(partitioning.folder(key), partitioning.data(spec, key)));
  }

  /** Sorts each batch's rows by partition, then hands every partition its rows. */
  private final class Routed implements BatchConsumer {
    private final KeyNumbers numbers = new KeyNumbers(partitioning.keyTypes());
    private final RowsByNumber byPartition = new RowsByNumber();
    private Partition[] byNumber = new Partition[16];

    @Override
    public void accept(Batch batch) {
      int rows = batch.rowCount();
      Column[] keys = partitioning.keys(batch);
      int known = numbers.count();
      int[] number = numbers.numberOf(keys, rows);
      int count = numbers.count();
      if (count > byNumber.length) {
        byNumber = Arrays.copyOf(byNumber, Math.max(count, byNumber.length * 2));
      }
      int next = known;
      for (int first : numbers.firstRows(known, rows)) {
        byNumber[next++] =
            partition(Arrays.asList(Arrays.stream(keys).map(k -> k.value(first)).toArray()));
      }
      byPartition.sort(number, rows, count);
      for (int n = 0; n < count; n++) {
        int start = byPartition.start(n);
        int end = byPartition.start(n + 1);
        if (end - start == rows && rows > 0) {
          byNumber[n].append(batch);
        } else if (end > start) {
          byNumber[n].append(batch, byPartition.order(), start, end);
        }
      }
    }
  }

  /**
   * Closes the file that was not written for longest, when there are too many: its partition's next
   * rows begin another.
   */
  private void makeRoomToOpen() {
    if (openFiles.incrementAndGet() <= MOST_OPEN_FILES) {
      return;
    }
    partitions.values().stream()
        .filter(p -> p.writer != null && !p.fileLock.isHeldByCurrentThread())
        .min(Comparator.comparingLong(p -> p.lastWritten))
        .ifPresent(Partition::closeFileIfFree);
  }

  /**
   * Claims memory for rows that were buffered. When there is not enough the fullest buffers are
   * written; when all are empty, what others are writing at the moment is waited for.
   */
  private void grew(long bytes) {
    long now = bufferedBytes.addAndGet(bytes);
    while (!reservation.tryShare(now)) {
      Partition fullest =
          partitions.values().stream()
              .max(Comparator.comparingLong(Partition::bufferedBytes))
              .orElseThrow();
      if (fullest.bufferedBytes() > 0) {
        fullest.flush();
      } else if (!flushes.awaitAnother()) {
        reservation.resize(bufferedBytes.get());
        return;
      }
      now = bufferedBytes.get();
    }
  }

  /** One partition: the rows that wait, and the file that is open. */
  final class Partition {
    private final String folder;
    private final PartitionData values;
    private final ReentrantLock fileLock = new ReentrantLock();
    private ColumnBuilder[] buffer;
    private int rows;
    private volatile long bytes;

    /** Row groups that are copied, until they make one. */
    private RowGroupMerge copied;

    private volatile long copiedBytes;
    private volatile DataFileWriter writer;
    private volatile long lastWritten;
    private Place file;

    /** Of the open file; they are written at its end. */
    private long bloomBytes;

    Partition(String folder, PartitionData values) {
      this.folder = folder;
      this.values = values;
    }

    private long bufferedBytes() {
      return bytes + copiedBytes;
    }

    /**
     * Takes all rows of a file of this table, page by page as they are.
     *
     * @return false, and nothing was taken, when that cannot be: its rows must be read then
     */
    boolean copy(Place from) {
      if (!filling.sort().isEmpty() || found.length > 0) {
        // Rows are sorted, and looked for, over a whole row group.
        return false;
      }
      boolean full;
      long more;
      synchronized (this) {
        if (copied == null) {
          copied = new RowGroupMerge(fileSchema);
        }
        if (!copied.take(from)) {
          return false;
        }
        more = copied.sizeBytes() - copiedBytes;
        copiedBytes = copied.sizeBytes();
        full = copied.rowCount() >= ROW_GROUP_ROWS || copiedBytes >= COPIED_GROUP_BYTES;
      }
      grew(more);
      if (full) {
        flush();
      }
      return true;
    }

    void append(Batch batch) {
      append(batch, null, 0, batch.rowCount());
    }

    /**
     * Appends rows {@code selection[from, to)}, or rows {@code [from, to)} when there is no
     * selection.
     */
    private void append(Batch batch, int[] selection, int from, int to) {
      TextRoom.accounted(() -> buffer(batch, selection, from, to));
    }

    private void buffer(Batch batch, int[] selection, int from, int to) {
      boolean full;
      long more;
      synchronized (this) {
        if (buffer == null) {
          buffer = ColumnBuilder.of(schema);
        }
        long now = 0;
        for (int c = 0; c < buffer.length; c++) {
          if (selection == null) {
            buffer[c].appendAll(batch.column(c));
          } else {
            buffer[c].append(batch.column(c), selection, from, to);
          }
          now += buffer[c].sizeBytes();
        }
        rows += to - from;
        more = now - bytes;
        bytes = now;
        full = rows >= ROW_GROUP_ROWS || bytes >= ROW_GROUP_BYTES;
      }
      grew(more);
      if (full) {
        flush();
      }
    }

    /** Encodes what waits and writes it as row groups. */
    void flush() {
      flushes.during(this::writeBuffer);
    }

    private void writeBuffer() {
      Optional<List<Column>> columns = Optional.empty();
      Optional<RowGroup> whole = Optional.empty();
      long freed;
      synchronized (this) {
        if (rows > 0) {
          columns = Optional.of(Arrays.stream(buffer).map(ColumnBuilder::build).toList());
        }
        if (copied != null && copied.rowCount() > 0) {
          whole = Optional.of(copied.finish());
        }
        freed = bytes + copiedBytes;
        buffer = null;
        rows = 0;
        bytes = 0;
        copiedBytes = 0;
      }
      whole.ifPresent(this::write);
      columns.ifPresent(c -> write(RowGroup.encode(sorted(c), fileSchema, sketches, found)));
      long now = sketches.sizeBytes();
      freed -= now - sketchBytes.getAndSet(now);
      reservation.tryResize(bufferedBytes.addAndGet(-freed));
    }

    private void write(RowGroup group) {
      // Asked for outside of the lock: making room writes other partitions' rows.
      boolean reserved = writer == null;
      long more = group.bloomBytes() + (reserved ? OPEN_FILE_BYTES : 0);
      if (more > 0) {
        grew(more);
      }
      fileLock.lock();
      try {
        bloomBytes += group.bloomBytes();
        lastWritten = writes.incrementAndGet();
        if (writer == null) {
          makeRoomToOpen();
          file =
              dataFolder.child(
                  folder + "rows-" + run + "-" + fileNumber.getAndIncrement() + ".parquet");
          staging.note(file.address());
          writer = new DataFileWriter(StoredOutput.output(file), fileSchema);
          if (!reserved) {
            bufferedBytes.addAndGet(OPEN_FILE_BYTES);
          }
          reserved = false;
        }
        writer.write(group);
        if (writer.bytesSoFar() >= filling.targetBytes()) {
          closeFile();
        }
      } finally {
        fileLock.unlock();
        if (reserved) {
          reservation.tryResize(bufferedBytes.addAndGet(-OPEN_FILE_BYTES));
        }
      }
    }

    private List<Column> sorted(List<Column> columns) {
      if (filling.sort().isEmpty()) {
        return columns;
      }
      int[] numbers = IntStream.range(0, columns.get(0).size()).toArray();
      new RowOrder(filling.sort().keys(schema)).sort(columns, numbers);
      return columns.stream().map(c -> c.gather(numbers, numbers.length)).toList();
    }

    /** Writes what waits and closes the file. */
    void finish() {
      flush();
      closeFile();
    }

    private void closeFile() {
      fileLock.lock();
      try {
        if (writer == null) {
          return;
        }
        ParquetMetadata footer = writer.finish();
        long rowCount = writer.rowCount();
        writer.close();
        writer = null;
        openFiles.decrementAndGet();
        reservation.tryResize(bufferedBytes.addAndGet(-OPEN_FILE_BYTES - bloomBytes));
        bloomBytes = 0;
        DataFile data =
            DataFiles.builder(spec)
                .withPath(file.toString())
                .withFormat(FileFormat.PARQUET)
                .withFileSizeInBytes(file.stat().orElseThrow().sizeBytes())
                .withPartition(values)
                .withMetrics(
                    ParquetUtil.footerMetrics(footer, Stream.empty(), MetricsConfig.getDefault()))
                .withSplitOffsets(ParquetUtil.getSplitOffsets(footer))
                .withRecordCount(rowCount)
                .build();
        synchronized (files) {
          files.add(data);
        }
      } finally {
        fileLock.unlock();
      }
    }

    /** Closes the file unless another worker is at it, which this one must not wait for. */
    private void closeFileIfFree() {
      if (fileLock.tryLock()) {
        try {
          closeFile();
        } finally {
          fileLock.unlock();
        }
      }
    }

    void abandon() {
      fileLock.lock();
      try {
        if (writer != null) {
          writer.close();
          writer = null;
        }
      } finally {
        fileLock.unlock();
      }
    }
  }
}
