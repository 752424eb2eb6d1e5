package yardage.core.format.parquet;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.function.IntPredicate;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.LongStream;
import org.apache.iceberg.Schema;
import org.apache.iceberg.parquet.ParquetSchemaUtil;
import org.apache.iceberg.types.Types;
import org.apache.parquet.schema.MessageType;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.DoubleColumn;
import yardage.core.column.LongColumn;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.exec.LeftOut;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.ReadCache;
import yardage.core.expr.Literal;
import yardage.core.format.FileFormatException;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.KeyBits;
import yardage.core.plan.KeyRange;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.RandomColumns;

/**
 * Row groups and pages that are passed over, by bounds and by Bloom filters, for each type: no row
 * that meets a filter is lost, whether read from the file or from memory, at once or in ranges.
 */
@Tag("thorough")
class PassedRowsTest {
  private static final int PAGES = 6;
  private static final int ROWS = PAGES * ChunkEncoder.PAGE_ROWS - 1_000;
  private static final int POOL = 240;

  /** Each page has values from here on among those of the pool, but for the third, of nulls. */
  private static final int STEP = 20;

  private static final int NULLS = 2;

  private final long seed = Long.getLong("yardage.seed", 17);
  private final SplittableRandom random = new SplittableRandom(seed);

  static List<Type> types() {
    return RandomColumns.PLAIN.stream()
        .filter(t -> t.kind() != Type.Kind.BOOLEAN && t.kind() != Type.Kind.BINARY)
        .toList();
  }

  /** What was passed over. */
  private static final class Told implements Passed {
    private final Map<LeftOut.By, Long> rowGroups = new EnumMap<>(LeftOut.By.class);
    private long pages;

    @Override
    public void rowGroup(LeftOut.By by, ColumnFilter filter) {
      rowGroups.merge(by, 1L, Long::sum);
    }

    @Override
    public void pages(long count, ColumnFilter filter) {
      pages += count;
    }

    @Override
    public void read(boolean first, long pages, long unused, long bytes) {}
  }

  @ParameterizedTest
  @MethodSource("types")
  void noRowThatCountsIsLost(Type type, @TempDir Path folder) throws IOException {
    Column pool = pool(type);
    Column values = values(pool);
    long[] numbers = LongStream.range(0, ROWS).toArray();
    Path file = folder.resolve("rows.parquet");
    write(file, type, List.of(values, new LongColumn(Type.BIGINT, numbers, null, ROWS)));

    ReadCache cache = ReadCache.within(MemoryPool.root("test", 1L << 30), 1L << 29);
    Told told = new Told();
    for (int i = 0; i < 80; i++) {
      Case filter = filter(pool, values);
      Set<Long> wanted =
          LongStream.range(0, ROWS)
              .filter(r -> filter.meets.test((int) r))
              .boxed()
              .collect(Collectors.toSet());
      // From the file at first, then from memory.
      boolean kept = i % 2 == 1;
      Set<Long> read = read(file, type, filter.filter, kept ? cache : ReadCache.none(), told);
      String what = "%s, %s, seed %d".formatted(type, filter.filter.words(), seed);
      assertEquals(Set.of(), difference(wanted, read), what);
    }

    assertTrue(told.pages > 50, "pages " + told.pages);
    assertTrue(told.rowGroups.get(LeftOut.By.STATISTICS) > 0, told.rowGroups::toString);
    assertEquals(
        BloomFilters.take(type),
        told.rowGroups.getOrDefault(LeftOut.By.BLOOM_FILTER, 0L) > 0,
        told.rowGroups::toString);
  }

  @Test
  void whatIsDamagedIsToldAsSuch(@TempDir Path folder) throws IOException {
    Column pool = pool(Type.VARCHAR);
    Path file = folder.resolve("rows.parquet");
    long[] numbers = LongStream.range(0, ROWS).toArray();
    write(
        file,
        Type.VARCHAR,
        List.of(values(pool), new LongColumn(Type.BIGINT, numbers, null, ROWS)));
    byte[] whole = Files.readAllBytes(file);
    int footer = PageBuffer.getInt(whole, whole.length - 8);
    // Indexes and Bloom filters stand between the pages and the footer.
    int from = whole.length - 8 - footer - 2_000;
    int told = 0;
    for (int i = 0; i < 150; i++) {
      byte[] damaged = whole.clone();
      damaged[from + random.nextInt(2_000)] ^= (byte) (1 << random.nextInt(8));
      Files.write(file, damaged);
      DataFileReader.Wanted column = new DataFileReader.Wanted(1, Type.VARCHAR);
      ColumnFilter filter =
          ColumnFilter.of(
              new ColumnPredicate.Compared(
                  "v", ColumnPredicate.Op.EQ, literal(pool, random.nextInt(pool.size()))),
              column);
      try {
        read(file, Type.VARCHAR, filter, ReadCache.none(), new Told());
      } catch (FileFormatException e) {
        told++;
      }
    }
    assertTrue(told > 10, "told " + told);
  }

  private static Set<Long> difference(Set<Long> of, Set<Long> without) {
    Set<Long> out = new HashSet<>(of);
    out.removeAll(without);
    return out;
  }

  private void write(Path file, Type type, List<Column> columns) throws IOException {
    MessageType message =
        ParquetSchemaUtil.convert(
            new Schema(
                Types.NestedField.optional(1, "v", inTable(type)),
                Types.NestedField.optional(2, "n", Types.LongType.get())),
            "table");
    int[] found = BloomFilters.take(type) ? new int[] {0} : new int[0];
    try (DataFileWriter writer =
        new DataFileWriter(StoredOutput.output(LocalStorage.place(file)), message)) {
      writer.write(RowGroup.encode(columns, message, DistinctRows.NOBODY, found));
      writer.finish();
    }
  }

  private static org.apache.iceberg.types.Type inTable(Type type) {
    return switch (type.kind()) {
      case INT -> Types.IntegerType.get();
      case BIGINT -> Types.LongType.get();
      case FLOAT -> Types.FloatType.get();
      case DOUBLE -> Types.DoubleType.get();
      case DECIMAL -> Types.DecimalType.of(type.precision(), type.scale());
      case VARCHAR -> Types.StringType.get();
      case DATE -> Types.DateType.get();
      case TIME -> Types.TimeType.get();
      case TIMESTAMP -> Types.TimestampType.withoutZone();
      case TIMESTAMP_TZ -> Types.TimestampType.withZone();
      case UUID -> Types.UUIDType.get();
      default -> throw new IllegalStateException(type.toString());
    };
  }

  /** Different values in their order, of which each second one is never written. */
  private Column pool(Type type) {
    RandomColumns columns = new RandomColumns(seed);
    Set<Object> seen = new HashSet<>();
    ColumnBuilder all = ColumnBuilder.of(type);
    for (int tries = 0; tries < 400 && seen.size() < POOL; tries++) {
      Column some = columns.column(type, 100);
      for (int r = 0; r < some.size() && seen.size() < POOL; r++) {
        if (!some.isNull(r) && seen.add(some.value(r))) {
          all.append(some, r);
        }
      }
    }
    Column unordered = all.build();
    int[] order =
        IntStream.range(0, unordered.size())
            .boxed()
            .sorted((a, b) -> Values.compare(unordered, a, unordered, b))
            .mapToInt(Integer::intValue)
            .toArray();
    return unordered.gather(order, order.length);
  }

  private Column values(Column pool) {
    ColumnBuilder out = ColumnBuilder.of(pool.type());
    Column none = Literal.of(pool.type(), null).column(1);
    int step = pool.size() * STEP / POOL;
    for (int r = 0; r < ROWS; r++) {
      int page = r / ChunkEncoder.PAGE_ROWS;
      if (page == NULLS || page % 2 == 1 && random.nextInt(5) == 0) {
        out.append(none, 0);
      } else {
        // Away from both ends, and the even ones alone.
        int at = step + page * step + random.nextInt(4 * step);
        out.append(pool, Math.min(pool.size() - step / 2 - 1, at) / 2 * 2);
      }
    }
    return out.build();
  }

  /** A filter, and which rows meet it, one by one. */
  private record Case(ColumnFilter filter, IntPredicate meets) {}

  private Case of(ColumnPredicate predicate, Column values, IntPredicate meets) {
    return new Case(
        ColumnFilter.of(predicate, new DataFileReader.Wanted(1, values.type())),
        r -> !values.isNull(r) && meets.test(r));
  }

  private Case filter(Column pool, Column values) {
    Type type = pool.type();
    int at = random.nextInt(pool.size());
    switch (random.nextInt(8)) {
      case 0 -> {
        return random.nextBoolean()
            ? of(new ColumnPredicate.Null("v", false), values, r -> true)
            : new Case(
                of(new ColumnPredicate.Null("v", true), values, r -> true).filter, values::isNull);
      }
      case 1 -> {
        if (pool.value(at) instanceof String text) {
          String beginning = text.substring(0, text.offsetByCodePoints(0, text.isEmpty() ? 0 : 1));
          return of(
              new ColumnPredicate.Beginning("v", Literal.of(type, beginning)),
              values,
              r -> values.value(r).toString().startsWith(beginning));
        }
      }
      case 2 -> {
        Optional<Case> keys = isWhole(type) ? keys(pool, values) : Optional.empty();
        if (keys.isPresent()) {
          return keys.get();
        }
      }
      case 3, 4 -> {
        int[] some = random.ints(1 + random.nextInt(4), 0, pool.size()).toArray();
        List<Literal> literals = IntStream.of(some).mapToObj(i -> literal(pool, i)).toList();
        Set<Object> boxed = IntStream.of(some).mapToObj(pool::value).collect(Collectors.toSet());
        return of(
            new ColumnPredicate.OneOf("v", literals), values, r -> boxed.contains(values.value(r)));
      }
      default -> {
        // As below.
      }
    }
    ColumnPredicate.Op op =
        ColumnPredicate.Op.values()[random.nextInt(ColumnPredicate.Op.values().length)];
    return of(
        new ColumnPredicate.Compared("v", op, literal(pool, at)),
        values,
        r -> {
          int c = Values.compare(values, r, pool, at);
          return switch (op) {
            case EQ -> c == 0;
            case LT -> c < 0;
            case LE -> c <= 0;
            case GT -> c > 0;
            case GE -> c >= 0;
          };
        });
  }

  private Optional<Case> keys(Column pool, Column values) {
    int from = random.nextInt(pool.size() - 4);
    int[] some = random.ints(3, from, from + 4).sorted().toArray();
    Column keys = pool.gather(some, some.length);
    long smallest = Values.whole(keys, 0);
    long largest = Values.whole(keys, some.length - 1);
    if (largest - smallest < 0 || largest - smallest >= 1 << 20) {
      return Optional.empty();
    }
    KeyBits bits = KeyBits.of(keys, smallest, (int) (largest - smallest) + 1);
    boolean isInt = pool.type().held() == Type.Held.INTS;
    KeyRange range =
        new KeyRange(
            0,
            isInt ? (Object) (int) smallest : (Object) smallest,
            isInt ? (Object) (int) largest : (Object) largest,
            false,
            Optional.of(bits));
    ColumnFilter filter = ColumnFilter.of(range, "v", new DataFileReader.Wanted(1, pool.type()));
    return Optional.of(new Case(filter, r -> bits.has(values, r)));
  }

  private static boolean isWhole(Type type) {
    return type.kind() != Type.Kind.DECIMAL
        && (type.held() == Type.Held.INTS || type.held() == Type.Held.LONGS);
  }

  /** A value of a column as a constant. */
  private static Literal literal(Column column, int row) {
    Type type = column.type();
    return switch (type.held()) {
      case INTS -> Literal.of(type, (int) Values.whole(column, row));
      case LONGS -> Literal.of(type, Values.whole(column, row));
      case DOUBLES -> Literal.of(type, ((DoubleColumn) column).values()[row]);
      case WIDES, BYTES ->
          Literal.of(
              type,
              type.kind() == Type.Kind.UUID ? column.value(row).toString() : column.value(row));
      default -> throw new IllegalStateException(type.toString());
    };
  }

  private Set<Long> read(Path file, Type type, ColumnFilter filter, ReadCache cache, Told told)
      throws IOException {
    Set<Long> out = new HashSet<>();
    List<DataFileReader.Wanted> wanted =
        new ArrayList<>(List.of(new DataFileReader.Wanted(2, Type.BIGINT)));
    if (random.nextBoolean()) {
      wanted.add(new DataFileReader.Wanted(1, type));
    }
    DataFileReader.Asked asked = new DataFileReader.Asked(wanted, List.of(), List.of(filter));
    try (DataFileReader reader =
        new DataFileReader(LocalStorage.place(file), cache, file.toFile().length())) {
      for (DataFileReader.RowRange range : reader.ranges(0, wanted)) {
        reader.readRows(
            range,
            asked,
            told,
            batch -> {
              long[] numbers = ((LongColumn) batch.column(0)).values();
              for (int r = 0; r < batch.rowCount(); r++) {
                assertTrue(out.add(numbers[r]), "twice");
              }
            });
      }
    }
    return out;
  }
}
