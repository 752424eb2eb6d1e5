package yardage.core.format.parquet;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNotNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.List;
import java.util.LongSummaryStatistics;
import java.util.Optional;
import java.util.SplittableRandom;
import java.util.UUID;
import java.util.stream.LongStream;
import java.util.stream.Stream;
import org.apache.iceberg.Schema;
import org.apache.iceberg.parquet.ParquetSchemaUtil;
import org.apache.iceberg.types.Types;
import org.apache.parquet.PlainReadOptions;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.example.data.Group;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.io.LocalInputFile;
import org.apache.parquet.io.OutputFile;
import org.apache.parquet.io.PositionOutputStream;
import org.apache.parquet.schema.MessageType;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import yardage.core.column.*;
import yardage.core.format.FileFormatException;
import yardage.core.lake.ParquetRows;
import yardage.core.plan.KeyBits;
import yardage.core.plan.KeyRange;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.Rows;

/** Our chunks against another reader of the same file, and against what was written. */
class DataFileTest {
  private static final Schema SCHEMA =
      new Schema(
          Types.NestedField.optional(1, "i", Types.IntegerType.get()),
          Types.NestedField.optional(2, "l", Types.LongType.get()),
          Types.NestedField.optional(3, "d", Types.DoubleType.get()),
          Types.NestedField.optional(4, "narrow", Types.DecimalType.of(7, 2)),
          Types.NestedField.optional(5, "wide", Types.DecimalType.of(18, 4)),
          Types.NestedField.optional(6, "t", Types.StringType.get()),
          Types.NestedField.optional(7, "day", Types.DateType.get()),
          Types.NestedField.optional(8, "at", Types.TimestampType.withoutZone()),
          Types.NestedField.optional(9, "b", Types.BooleanType.get()),
          Types.NestedField.optional(10, "vast", Types.DecimalType.of(25, 6)),
          Types.NestedField.optional(11, "clock", Types.TimeType.get()),
          Types.NestedField.optional(12, "instant", Types.TimestampType.withZone()),
          Types.NestedField.optional(13, "id", Types.UUIDType.get()),
          Types.NestedField.optional(14, "bytes", Types.BinaryType.get()),
          Types.NestedField.optional(15, "f", Types.FloatType.get()));

  private static final List<Type> TYPES =
      List.of(
          Type.INT,
          Type.BIGINT,
          Type.DOUBLE,
          Type.decimal(7, 2),
          Type.decimal(18, 4),
          Type.VARCHAR,
          Type.DATE,
          Type.TIMESTAMP,
          Type.BOOLEAN,
          Type.decimal(25, 6),
          Type.TIME,
          Type.TIMESTAMP_TZ,
          Type.UUID,
          Type.BINARY,
          Type.FLOAT);

  @TempDir Path folder;

  static Stream<int[]> shapes() {
    // Rows, distinct values, one null in so many (0 for none, 1 for all).
    return Stream.of(
        new int[][] {
          {1, 1, 0},
          {1, 1, 1},
          {7, 7, 2},
          {100, 1, 0},
          {ChunkEncoder.PAGE_ROWS - 1, 50, 5},
          {ChunkEncoder.PAGE_ROWS, 3, 0},
          {ChunkEncoder.PAGE_ROWS + 1, 40_000, 9},
          {70_000, 70_000, 0},
          {70_000, 200, 1},
          {70_000, 33_000, 100}
        });
  }

  /** Keys, and whether so few rows have one that the others are left out. */
  record Keys(String of, int column, long step, boolean few) {}

  static Stream<Keys> keys() {
    return Stream.of(
        new Keys("a few of a dictionary", 0, 10, true),
        new Keys("nearly all of a dictionary", 0, 1, false),
        new Keys("a few of a dictionary with nulls", 2, 7, true),
        new Keys("a few that stand as they are", 1, 1_000, true),
        new Keys("none that is there", 1, 2_000_001, true));
  }

  @ParameterizedTest
  @MethodSource("keys")
  void leavesOutRowsThatDoNotCountAndNoOthers(Keys keys) throws IOException {
    int rows = 5 * ChunkEncoder.PAGE_ROWS + 17;
    SplittableRandom random = new SplittableRandom(5);
    int[] coded = random.ints(rows, 0, 40).toArray();
    long[] plain = random.longs(rows, 0, 1_000_000).toArray();
    long[] nulls = Bits.allocate(rows);
    String[] texts = new String[rows];
    for (int r = 0; r < rows; r++) {
      if (r % 3 == 0) {
        Bits.set(nulls, r);
      }
      texts[r] = "roll " + random.nextInt(1_000);
    }
    List<Column> columns =
        List.of(
            new IntColumn(Type.INT, coded, null, rows),
            new LongColumn(Type.BIGINT, plain, null, rows),
            new IntColumn(Type.DATE, coded.clone(), nulls, rows),
            TextColumn.of(texts));
    Schema schema =
        new Schema(
            Types.NestedField.optional(1, "i", Types.IntegerType.get()),
            Types.NestedField.optional(2, "l", Types.LongType.get()),
            Types.NestedField.optional(3, "day", Types.DateType.get()),
            Types.NestedField.optional(4, "t", Types.StringType.get()));
    List<DataFileReader.Wanted> wanted =
        List.of(
            new DataFileReader.Wanted(4, Type.VARCHAR),
            new DataFileReader.Wanted(1, Type.INT),
            new DataFileReader.Wanted(2, Type.BIGINT),
            new DataFileReader.Wanted(3, Type.DATE));
    Path file = folder.resolve("keyed.parquet");
    MessageType message = ParquetSchemaUtil.convert(schema, "table");
    try (DataFileWriter writer =
        new DataFileWriter(StoredOutput.output(LocalStorage.place(file)), message)) {
      writer.write(RowGroup.encode(columns, message));
      writer.finish();
    }
    long[] counting = LongStream.iterate(0, k -> k + keys.step()).limit(38).toArray();
    KeyBits bits =
        KeyBits.of(new LongColumn(Type.BIGINT, counting, null, 38), 0, (int) (counting[37] + 1));
    KeyRange range =
        new KeyRange(keys.column() + 1, counting[0], counting[37], false, Optional.of(bits));

    List<List<Object>> read = new ArrayList<>();
    try (DataFileReader reader = new DataFileReader(LocalStorage.place(file))) {
      int half = 2 * ChunkEncoder.PAGE_ROWS;
      for (DataFileReader.RowRange some :
          List.of(
              new DataFileReader.RowRange(0, 0, half),
              new DataFileReader.RowRange(0, half, rows))) {
        reader.readRows(
            some,
            new DataFileReader.Asked(wanted, List.of(range), List.of()),
            Passed.NOBODY,
            b -> read.addAll(Rows.rows(List.of(b))));
      }
    }

    List<List<Object>> counted = new ArrayList<>();
    for (int r = 0; r < rows; r++) {
      Column key = columns.get(keys.column());
      long value = keys.column() == 1 ? plain[r] : coded[r];
      if (!keys.few() || !key.isNull(r) && Arrays.stream(counting).anyMatch(k -> k == value)) {
        counted.add(
            Arrays.asList(
                texts[r],
                coded[r],
                plain[r],
                Bits.get(nulls, r) ? null : LocalDate.ofEpochDay(coded[r])));
      }
    }
    assertEquals(counted, read);
  }

  @ParameterizedTest
  @MethodSource("shapes")
  void givesBackWhatWasWrittenHereAndToAnotherReader(int[] shape) throws IOException {
    List<Column> columns = columns(shape[0], shape[1], shape[2]);
    Path file = folder.resolve("rows.parquet");
    MessageType schema = ParquetSchemaUtil.convert(SCHEMA, "table");
    try (DataFileWriter writer =
        new DataFileWriter(StoredOutput.output(LocalStorage.place(file)), schema)) {
      writer.write(RowGroup.encode(columns, schema));
      writer.write(RowGroup.encode(columns, schema));
      writer.finish();
    }

    List<List<Object>> ours = new ArrayList<>();
    List<DataFileReader.Wanted> wanted = new ArrayList<>();
    for (int c = 0; c < TYPES.size(); c++) {
      wanted.add(new DataFileReader.Wanted(c + 1, TYPES.get(c)));
    }
    try (DataFileReader reader = new DataFileReader(LocalStorage.place(file))) {
      for (int g = 0; g < reader.rowGroupCount(); g++) {
        reader.readRowGroup(g, wanted, b -> ours.addAll(Rows.rows(List.of(b))));
      }
    }
    List<List<Object>> theirs = readByTheLibrary(file);

    List<List<Object>> written =
        new ArrayList<>(Rows.rows(List.of(new Batch(columns, shape[0], 0))));
    written.addAll(List.copyOf(written));
    assertEquals(written, ours);
    assertEquals(written, theirs);
  }

  /** The library's own decoder, value by value, over the pages that it finds itself. */
  private static List<List<Object>> readByTheLibrary(Path file) throws IOException {
    List<List<Object>> theirs = new ArrayList<>();
    TheirReader.read(file).forEach(record -> theirs.add(values(record)));
    return theirs;
  }

  /**
   * Whatever stands in a file, it is copied, refused, or told by its name: nothing else happens.
   */
  @Test
  void damagedFilesAreToldByTheirNames() throws IOException {
    MessageType schema = ParquetSchemaUtil.convert(SCHEMA, "table");
    Path whole = folder.resolve("whole");
    try (DataFileWriter writer =
        new DataFileWriter(StoredOutput.output(LocalStorage.place(whole)), schema)) {
      writer.write(RowGroup.encode(columns(3_000, 40, 7), schema));
      writer.finish();
    }
    byte[] bytes = Files.readAllBytes(whole);
    SplittableRandom random = new SplittableRandom(77);
    int told = 0;
    for (int i = 0; i < 400; i++) {
      byte[] damaged =
          i % 4 == 0 ? Arrays.copyOf(bytes, random.nextInt(bytes.length)) : bytes.clone();
      for (int flips = i % 4 == 0 ? 0 : 1 + random.nextInt(3); flips > 0; flips--) {
        // Where the file says what is where, above all.
        int at = bytes.length - 1 - random.nextInt(i % 4 == 1 ? bytes.length : 1_500);
        damaged[at] ^= (byte) (1 << random.nextInt(8));
      }
      Path file = folder.resolve("damaged-" + i);
      Files.write(file, damaged);
      RowGroupMerge merge = new RowGroupMerge(schema);
      try {
        if (!merge.take(LocalStorage.place(file))) {
          assertEquals(0, merge.rowCount(), "nothing was taken of what was refused");
        }
      } catch (FileFormatException e) {
        told++;
        assertTrue(e.getMessage().contains("damaged-" + i + "] cannot be read"), e.getMessage());
      }
    }

    assertTrue(told > 150, told + " of 400 were told");
  }

  /** Files of unlike dictionaries, of several pages and row groups, and of nulls alone. */
  @Test
  void copiedRowGroupsHoldTheSameRowsInTheSameOrder() throws IOException {
    MessageType schema = ParquetSchemaUtil.convert(SCHEMA, "table");
    RowGroupMerge merge = new RowGroupMerge(schema);
    List<List<Object>> written = new ArrayList<>();
    int[][] shapes = {
      {3_000, 40, 7},
      {2_000, 2_000, 0},
      {1_024, 3, 1},
      {70_000, 30_000, 5},
      {40_000, 2_900, 0},
      {3_000, 90, 7},
      {5_000, 1, 0}
    };
    for (int s = 0; s < shapes.length; s++) {
      List<Column> columns = columns(shapes[s][0], shapes[s][1], shapes[s][2]);
      Path file = folder.resolve("part-" + s);
      try (DataFileWriter writer =
          new DataFileWriter(StoredOutput.output(LocalStorage.place(file)), schema)) {
        for (int g = 0; g < (s == 0 ? 2 : 1); g++) {
          writer.write(RowGroup.encode(columns, schema));
          written.addAll(Rows.rows(List.of(new Batch(columns, shapes[s][0], 0))));
        }
        writer.finish();
      }
      assertTrue(merge.take(LocalStorage.place(file)));
    }
    Path small = folder.resolve("small");
    try (DataFileWriter writer =
        new DataFileWriter(StoredOutput.output(LocalStorage.place(small)), schema)) {
      writer.write(RowGroup.encode(columns(1_023, 5, 0), schema));
      writer.finish();
    }
    Path whole = folder.resolve("whole");
    int rows;
    try (DataFileWriter writer =
        new DataFileWriter(StoredOutput.output(LocalStorage.place(whole)), schema)) {
      assertFalse(merge.take(LocalStorage.place(small)), "its pages are too small to keep");
      rows = merge.rowCount();
      writer.write(merge.finish());
      assertEquals(0, merge.rowCount());
      assertEquals(0, merge.sizeBytes());
      writer.finish();
    }

    assertEquals(written.size(), rows);
    assertEquals(written, readByTheLibrary(whole));
    try (ParquetFileReader reader =
        ParquetFileReader.open(new LocalInputFile(whole), new PlainReadOptions(new PageCodecs()))) {
      assertEquals(1, reader.getRowGroups().size());
      var numbers = reader.getRowGroups().get(0).getColumns().get(1);
      assertEquals(
          written.stream().filter(r -> r.get(1) == null).count(),
          numbers.getStatistics().getNumNulls());
      LongSummaryStatistics all =
          written.stream()
              .filter(r -> r.get(1) != null)
              .mapToLong(r -> (Long) r.get(1))
              .summaryStatistics();
      assertEquals(all.getMin(), numbers.getStatistics().genericGetMin());
      assertEquals(all.getMax(), numbers.getStatistics().genericGetMax());
      assertEquals(
          new java.util.HashSet<>(List.of(Encoding.PLAIN, Encoding.RLE_DICTIONARY, Encoding.RLE)),
          numbers.getEncodings(),
          "where the dictionary was full, values stand in the place of codes");
      assertNotNull(reader.readColumnIndex(numbers));
    }
  }

  @Test
  void exportsAreReadByAnotherReader() throws IOException {
    List<Column> columns = columns(5_000, 300, 7);
    List<yardage.core.column.Schema.Field> fields = new ArrayList<>();
    for (int c = 0; c < TYPES.size(); c++) {
      fields.add(
          new yardage.core.column.Schema.Field(SCHEMA.columns().get(c).name(), TYPES.get(c)));
    }
    var ours = new yardage.core.column.Schema(fields);
    Path file = folder.resolve("export.parquet");
    try (var out = Files.newOutputStream(file)) {
      ParquetRows rows = new ParquetRows(ours, out);
      rows.write(new Batch(columns, 5_000, 0));
      rows.write(new Batch(columns, 5_000, 1));
      rows.finish();
    }

    List<List<Object>> written = new ArrayList<>(Rows.rows(List.of(new Batch(columns, 5_000, 0))));
    written.addAll(List.copyOf(written));
    assertEquals(written, readByTheLibrary(file));
  }

  @Test
  void writesStatisticsAndIndexesAndADictionaryWhereItPays() throws IOException {
    List<Column> columns = columns(50_000, 300, 7);
    Path file = folder.resolve("rows.parquet");
    MessageType schema = ParquetSchemaUtil.convert(SCHEMA, "table");
    try (DataFileWriter writer =
        new DataFileWriter(StoredOutput.output(LocalStorage.place(file)), schema)) {
      writer.write(RowGroup.encode(columns, schema));
      writer.finish();
    }

    try (ParquetFileReader reader =
        ParquetFileReader.open(new LocalInputFile(file), new PlainReadOptions(new PageCodecs()))) {
      var chunk = reader.getRowGroups().get(0).getColumns().get(0);
      assertTrue(chunk.getStatistics().hasNonNullValue());
      assertTrue(chunk.hasDictionaryPage());
      var index = reader.readColumnIndex(chunk);
      assertNotNull(index);
      assertEquals(4, index.getMinValues().size(), "a page of 16,384 rows each");
      assertNotNull(reader.readOffsetIndex(chunk));
    }
    assertTrue(
        java.nio.file.Files.size(file) < 50_000 * 20, "smaller than a third of the plain values");
  }

  @Test
  void aDiskThatFillsUpLeavesNoStreamOpen() {
    MessageType schema = ParquetSchemaUtil.convert(SCHEMA, "table");
    FullDisk disk = new FullDisk(20_000);

    IOException refused =
        assertThrows(
                UncheckedIOException.class,
                () -> {
                  try (DataFileWriter writer = new DataFileWriter(disk, schema)) {
                    for (int i = 0; i < 50; i++) {
                      writer.write(RowGroup.encode(columns(5000, 5000, 0), schema));
                    }
                  }
                })
            .getCause();

    assertEquals("No space left on device", refused.getMessage());
    assertTrue(disk.closed);
  }

  private static List<Column> columns(int rows, int distinct, int nullEvery) {
    SplittableRandom random = new SplittableRandom(rows * 31L + distinct);
    List<Column> out = new ArrayList<>();
    for (Type type : TYPES) {
      ColumnBuilder builder = ColumnBuilder.of(type);
      for (int r = 0; r < rows; r++) {
        long v = distinct == rows ? r : random.nextInt(distinct);
        if (nullEvery > 0 && random.nextInt(nullEvery) == 0) {
          builder.appendNull();
        } else {
          builder.append(value(type, v), 0);
        }
      }
      out.add(builder.build());
    }
    return out;
  }

  /** An output that takes so many bytes and then refuses, also when it is flushed or closed. */
  private static final class FullDisk implements OutputFile {
    private final long room;
    private boolean closed;

    FullDisk(long room) {
      this.room = room;
    }

    @Override
    public PositionOutputStream create(long blockSizeHint) {
      return new PositionOutputStream() {
        private long at;

        @Override
        public long getPos() {
          return at;
        }

        @Override
        public void write(int b) throws IOException {
          if (++at > room) {
            throw new IOException("No space left on device");
          }
        }

        @Override
        public void flush() throws IOException {
          if (at > room) {
            throw new IOException("No space left on device");
          }
        }

        @Override
        public void close() throws IOException {
          closed = true;
          flush();
        }
      };
    }

    @Override
    public PositionOutputStream createOrOverwrite(long blockSizeHint) {
      return create(blockSizeHint);
    }

    @Override
    public boolean supportsBlockSize() {
      return false;
    }

    @Override
    public long defaultBlockSize() {
      return 0;
    }
  }

  private static List<Object> values(Group group) {
    List<Object> row = new ArrayList<>();
    for (int c = 0; c < TYPES.size(); c++) {
      Type type = TYPES.get(c);
      boolean isNull = group.getFieldRepetitionCount(c) == 0;
      row.add(
          isNull
              ? null
              : switch (type.kind()) {
                case INT -> group.getInteger(c, 0);
                case BIGINT -> group.getLong(c, 0);
                case FLOAT -> group.getFloat(c, 0);
                case DOUBLE -> group.getDouble(c, 0);
                case DECIMAL ->
                    type.isWide()
                        ? new BigDecimal(
                            new BigInteger(group.getBinary(c, 0).getBytes()), type.scale())
                        : BigDecimal.valueOf(
                            type.precision() < 10 ? group.getInteger(c, 0) : group.getLong(c, 0),
                            type.scale());
                case VARCHAR -> group.getString(c, 0);
                case DATE -> LocalDate.ofEpochDay(group.getInteger(c, 0));
                case TIMESTAMP -> Values.timestamp(group.getLong(c, 0));
                case BOOLEAN -> group.getBoolean(c, 0);
                case TIME -> LocalTime.ofNanoOfDay(group.getLong(c, 0) * 1_000);
                case TIMESTAMP_TZ -> Instant.EPOCH.plus(group.getLong(c, 0), ChronoUnit.MICROS);
                case UUID -> {
                  ByteBuffer bytes = group.getBinary(c, 0).toByteBuffer();
                  yield new UUID(bytes.getLong(), bytes.getLong());
                }
                case BINARY -> HexFormat.of().formatHex(group.getBinary(c, 0).getBytes());
                case STRUCT, LIST, MAP -> throw new AssertionError(type);
              });
    }
    return row;
  }

  private static Column value(Type type, long v) {
    return switch (type.kind()) {
      case INT, DATE -> new IntColumn(type, new int[] {(int) (v - 50)}, null, 1);
      case TIME -> new LongColumn(type, new long[] {v * 1_000_003 % 86_400_000_000L}, null, 1);
      // Both halves of what their first bit tells apart.
      case UUID -> Rows.column(type, List.of(new UUID(v << 60 ^ v, v * 31)));
      case BINARY ->
          Rows.column(type, List.of(Long.toHexString(v | 1L << 60).substring((int) v % 8 * 2)));
      case BIGINT, TIMESTAMP, TIMESTAMP_TZ ->
          new LongColumn(type, new long[] {(v - 20) * 1_000_003L}, null, 1);
      case DECIMAL ->
          type.isWide()
              ? Rows.column(
                  type,
                  List.of(
                      new BigDecimal(
                          BigInteger.TEN.pow(18).multiply(BigInteger.valueOf(v - 9)), 6)))
              : new LongColumn(
                  type,
                  new long[] {type.precision() == 7 ? v * 7 - 300 : v * 1_000_000_007L},
                  null,
                  1);
      case FLOAT -> new DoubleColumn(type, new double[] {(float) (v / 7.0)}, null, 1);
      case DOUBLE -> new DoubleColumn(new double[] {v / 7.0}, null, 1);
      case BOOLEAN -> new BooleanColumn(new byte[] {(byte) (v & 1)}, null, 1);
      case VARCHAR -> TextColumn.of(v == 0 ? "" : "rolo nº " + v);
      case STRUCT, LIST, MAP -> throw new AssertionError(type);
    };
  }
}
