package yardage.core.lake;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.apache.iceberg.TableProperties;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.format.parquet.BloomFilters;

/**
 * How a table's files are filled. The table remembers it, for whoever puts them together.
 *
 * @param sort of rows inside each block
 * @param findBy columns whose values readers look for one by one: blocks have Bloom filters of them
 * @param targetBytes the size at which a partition's file is closed and the next one begun
 */
public record FileFilling(SortWithin sort, List<String> findBy, long targetBytes) {
  /** The table format's own way to say which columns have Bloom filters. */
  private static final String FIND_BY = TableProperties.PARQUET_BLOOM_FILTER_COLUMN_ENABLED_PREFIX;

  public static final FileFilling PLAIN =
      new FileFilling(SortWithin.NONE, List.of(), TableWriter.DEFAULT_TARGET_BYTES);

  public FileFilling {
    findBy = List.copyOf(findBy);
  }

  static FileFilling of(Map<String, String> properties) {
    List<String> findBy = new ArrayList<>();
    properties.forEach(
        (name, value) -> {
          if (name.startsWith(FIND_BY) && value.equals("true")) {
            findBy.add(name.substring(FIND_BY.length()));
          }
        });
    findBy.sort(null);
    String target = properties.get(TableProperties.WRITE_TARGET_FILE_SIZE_BYTES);
    return new FileFilling(
        SortWithin.ofProperty(properties.get(SortWithin.PROPERTY)),
        findBy,
        target == null ? TableWriter.DEFAULT_TARGET_BYTES : Long.parseLong(target));
  }

  /** Puts this into a table's properties, in place of what was said before. */
  void put(Map<String, String> properties) {
    properties.put(TableProperties.WRITE_TARGET_FILE_SIZE_BYTES, String.valueOf(targetBytes));
    properties.keySet().removeIf(name -> name.startsWith(FIND_BY));
    findBy.forEach(column -> properties.put(FIND_BY + column, "true"));
    if (!sort.isEmpty() || properties.containsKey(SortWithin.PROPERTY)) {
      properties.put(SortWithin.PROPERTY, sort.property());
    }
  }

  /** The places of the columns that have Bloom filters; those that are gone have none. */
  int[] found(Schema schema) {
    return findBy.stream().mapToInt(schema::indexOf).filter(c -> c >= 0).toArray();
  }

  /** Whether rows can be found by values of a type. */
  public static boolean isFound(Type type) {
    return BloomFilters.take(type);
  }

  /**
   * @throws LakeException when a column is not there, or has no order or no Bloom filters
   */
  void check(Schema schema) {
    sort.check(schema);
    for (String column : findBy) {
      int at = schema.indexOf(column);
      if (at < 0 || !isFound(schema.field(at).type())) {
        throw new LakeException(
            "Rows cannot be found by [%s]; columns are %s".formatted(column, schema.names()));
      }
    }
  }
}
