package yardage.core.feed.propose;

import java.io.IOException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.feed.FileDiscovery;
import yardage.core.format.parquet.ParquetSchema;

/** Takes the columns that a Parquet file declares. */
final class ParquetGuess {
  private ParquetGuess() {}

  static Proposal.Shape of(FileDiscovery.Found file) throws IOException {
    List<Proposal.Column> columns = new ArrayList<>();
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
              field.type().equals(Type.VARCHAR) ? "" : "as the file declares it"));
    }
    return new Proposal.Shape("parquet", List.of("parquet: {}"), columns, List.of());
  }
}
