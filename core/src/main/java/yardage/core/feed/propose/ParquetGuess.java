package yardage.core.feed.propose;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.feed.FileDiscovery;
import yardage.core.format.parquet.ParquetFormat;
import yardage.core.format.parquet.ParquetSchema;

/** Takes the columns that a Parquet file declares, and values of its first rows. */
final class ParquetGuess {
  private static final int SAMPLE_ROWS = 1000;
  private static final ObjectMapper JSON = new ObjectMapper();

  private ParquetGuess() {}

  static Proposal.Shape of(FileDiscovery.Found file) throws IOException {
    List<Proposal.Column> columns = new ArrayList<>();
    List<JsonNode> rows = new ArrayList<>();
    for (String row : ParquetFormat.firstRows(file.path(), file.location(), SAMPLE_ROWS)) {
      rows.add(JSON.readTree(row));
    }
    for (Schema.Field field : ParquetSchema.of(file.path(), file.location()).fields()) {
      Map<String, String> settings = new LinkedHashMap<>();
      if (!field.nullable()) {
        settings.put("required", "true");
      }
      columns.add(
          new Proposal.Column(
              field.name(),
              field.type(),
              settings,
              field.type().equals(Type.VARCHAR)
                  ? ParquetSchema.whyText(file.path(), file.location(), field.name()).orElse("")
                  : "as the file declares it",
              field.type().isNested() ? List.of() : values(rows, field.name())));
    }
    return new Proposal.Shape("parquet", List.of("parquet: {}"), columns, List.of());
  }

  private static List<ColumnGuess.Value> values(List<JsonNode> rows, String field) {
    List<ColumnGuess.Value> out = new ArrayList<>();
    for (int r = 0; r < rows.size(); r++) {
      JsonNode value = rows.get(r).path(field);
      out.add(
          new ColumnGuess.Value(
              r + 1,
              value.isMissingNode() || value.isNull()
                  ? Optional.empty()
                  : Optional.of(value.asText())));
    }
    return out;
  }
}
