package yardage.service.query;

import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.io.OutputStream;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.column.Schema;
import yardage.core.format.export.DelimitedRows;
import yardage.core.format.export.JsonRows;
import yardage.core.format.export.RowsWriter;
import yardage.core.lake.ParquetRows;
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;

/** Tables and queries for other programs, streamed. */
@RestController
@RequestMapping("/api/v1/exports")
class ExportController {
  private final QueryService queries;

  ExportController(QueryService queries) {
    this.queries = queries;
  }

  /** The formats. */
  enum Format {
    csv("text/csv;charset=UTF-8"),
    jsonl("application/x-ndjson"),
    parquet("application/vnd.apache.parquet");

    private final String mediaType;

    Format(String mediaType) {
      this.mediaType = mediaType;
    }

    RowsWriter writer(Schema schema, OutputStream out, boolean asIs) throws IOException {
      return switch (this) {
        case csv -> new DelimitedRows(schema, out, asIs);
        case jsonl -> new JsonRows(schema, out);
        case parquet -> new ParquetRows(schema, out);
      };
    }
  }

  /**
   * What to export: either a table or a query.
   *
   * @param asOf the table as it was: a snapshot's number, a date or a time
   * @param format csv, jsonl or parquet
   * @param asIs whether text in csv that a spreadsheet would take for a formula stays as it is
   */
  record Export(
      Optional<String> table,
      Optional<String> sql,
      Optional<String> asOf,
      Optional<String> format,
      Optional<Boolean> asIs) {}

  @OnlyReads
  @PostMapping
  void export(@RequestBody Export body, HttpServletResponse response) throws IOException {
    Format format = format(body.format().orElse("csv"));
    if (body.table().isPresent() == body.sql().isPresent()
        || (body.asOf().isPresent() && body.sql().isPresent())) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "wrong-value",
          "An export is of a table, perhaps as of a time, or of a query",
          "Name one of the two; a query says its time itself, with FOR SYSTEM_TIME AS OF");
    }
    String name = body.table().orElse("query");
    queries.stream(
        body.sql().orElse(name),
        () ->
            body.sql().isPresent()
                ? queries.prepare(body.sql().get())
                : queries.prepare(queries.table(name, body.asOf())),
        schema -> {
          // Only now: what fails before the first row is told as a problem.
          response.setContentType(format.mediaType);
          response.setHeader(
              "Content-Disposition", "attachment; filename=\"%s.%s\"".formatted(name, format));
          return format.writer(schema, response.getOutputStream(), body.asIs().orElse(false));
        });
  }

  private static Format format(String name) {
    try {
      return Format.valueOf(name);
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "unknown-format",
          "There is no format [%s]".formatted(name),
          "Use csv, jsonl or parquet");
    }
  }
}
