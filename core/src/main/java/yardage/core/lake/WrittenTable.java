package yardage.core.lake;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.List;
import java.util.Optional;
import org.apache.iceberg.ContentFileParser;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.PartitionSpec;
import org.apache.iceberg.PartitionSpecParser;
import org.apache.iceberg.SchemaParser;
import yardage.core.storage.Address;

/**
 * What a write made, not published yet.
 *
 * @param columns the table's columns that the files were written with, as the table format's JSON
 * @param spec how they are partitioned, likewise
 * @param files the files, likewise
 * @param rewrites whether files of {@link TableTarget#before} were written again
 * @param replaced addresses of those, which go
 * @param rewrittenRows how many rows were there before and were written again
 * @param removedRows how many rows were there before and are not any more
 * @param retypes whether that was because a column got another type
 * @param sketches of the values in the files
 */
public record WrittenTable(
    TableTarget target,
    String columns,
    String spec,
    List<String> files,
    boolean rewrites,
    List<String> replaced,
    long rewrittenRows,
    long removedRows,
    boolean retypes,
    List<ColumnSketches.Encoded> sketches) {
  private static final ObjectMapper JSON = new ObjectMapper();

  public WrittenTable {
    files = List.copyOf(files);
    replaced = List.copyOf(replaced);
    sketches = List.copyOf(sketches);
  }

  static WrittenTable of(TableWriter writer, TableTarget target, PartitionSpec spec) {
    return new WrittenTable(
        target,
        SchemaParser.toJson(writer.iceberg()),
        PartitionSpecParser.toJson(spec),
        writer.files().stream().map(f -> ContentFileParser.toJson(f, spec)).toList(),
        writer.rewritten().isPresent(),
        writer.replaced().stream().map(DataFile::location).toList(),
        writer.rewrittenRows(),
        writer.removedRows(),
        writer.retypes(),
        writer.sketches().encoded());
  }

  public TableName table() {
    return target.target().table();
  }

  /** Whether rows go with those that are appended. */
  public boolean removes() {
    return target.target().removal().isPresent();
  }

  org.apache.iceberg.Schema schema() {
    return SchemaParser.fromJson(columns);
  }

  List<DataFile> dataFiles() {
    PartitionSpec partitioning = PartitionSpecParser.fromJson(schema(), spec);
    return files.stream()
        .map(f -> (DataFile) ContentFileParser.fromJson(json(f), partitioning))
        .toList();
  }

  /** Where the files are. */
  public List<Address> addresses() {
    return files.stream().map(f -> new Address(json(f).get("file-path").asText())).toList();
  }

  private static JsonNode json(String text) {
    try {
      return JSON.readTree(text);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** The state that {@link #replaced} files are of. */
  Optional<String> before() {
    return target.before();
  }
}
