package yardage.core.format.parquet;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.hadoop.metadata.ParquetMetadata;
import yardage.core.column.Type;

/**
 * What a file says of itself, with its columns found by their numbers once for all who read it.
 * Immutable.
 */
record FileLayout(ParquetMetadata footer, Map<Integer, Field> fields) {
  /**
   * A column.
   *
   * @param leaves what of it is stored, in the order of the file; one unless it is nested
   */
  record Field(org.apache.parquet.schema.Type type, List<ColumnDescriptor> leaves) {}

  FileLayout {
    fields = Map.copyOf(fields);
  }

  static FileLayout of(ParquetMetadata footer) {
    List<ColumnDescriptor> leaves = footer.getFileMetaData().getSchema().getColumns();
    Map<Integer, Field> fields = new LinkedHashMap<>();
    for (org.apache.parquet.schema.Type type : footer.getFileMetaData().getSchema().getFields()) {
      if (type.getId() != null) {
        fields.putIfAbsent(
            type.getId().intValue(),
            new Field(
                type, leaves.stream().filter(c -> c.getPath()[0].equals(type.getName())).toList()));
      }
    }
    return new FileLayout(footer, fields);
  }

  Optional<Field> find(DataFileReader.Wanted wanted) {
    return Optional.ofNullable(fields.get(wanted.fieldId()));
  }

  /** The leaves of what is wanted and there, with the types of the whole columns. */
  Map<ColumnDescriptor, Type> leaves(List<DataFileReader.Wanted> wanted) {
    Map<ColumnDescriptor, Type> out = new LinkedHashMap<>();
    for (DataFileReader.Wanted column : wanted) {
      find(column).ifPresent(f -> f.leaves().forEach(leaf -> out.put(leaf, column.type())));
    }
    return out;
  }
}
