package yardage.service.query;

import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.io.OutputStream;
import java.security.Principal;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
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
  private static final int KEPT = 200;
  private static final Pattern ID = Pattern.compile("[A-Za-z0-9-]{8,64}");

  private final QueryService queries;
  private final Map<String, QueryService.Exported> ended =
      new LinkedHashMap<>() {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, QueryService.Exported> eldest) {
          return size() > KEPT;
        }
      };

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
   * @param id a name of the asker's choice, by which to ask afterwards what the export came to
   * @param parameters values of what the query writes as {@code :name}, as text; null for a null
   */
  record Export(
      Optional<String> table,
      Optional<String> sql,
      Optional<String> asOf,
      Optional<String> format,
      Optional<Boolean> asIs,
      Optional<String> id,
      Optional<Map<String, Optional<String>>> parameters) {}

  @OnlyReads
  @PostMapping
  void export(@RequestBody Export body, Principal asker, HttpServletResponse response)
      throws IOException {
    Format format = format(body.format().orElse("csv"));
    if (body.table().isPresent() == body.sql().isPresent()
        || (body.asOf().isPresent() && body.sql().isPresent())) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "wrong-value",
          "An export is of a table, perhaps as of a time, or of a query",
          "Name one of the two; a query says its time itself, with FOR SYSTEM_TIME AS OF");
    }
    if (body.id().isPresent() && !ID.matcher(body.id().get()).matches()) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "wrong-value",
          "An export's id has 8 to 64 letters, digits and hyphens",
          "Choose a random one, or leave it out");
    }
    String name = body.table().orElse("query");
    QueryService.Exported exported =
        queries.stream(
            body.sql().orElse(name),
            () ->
                body.sql().isPresent()
                    ? queries.prepare(body.sql().get(), body.parameters().orElse(Map.of()))
                    : queries.prepare(queries.table(name, body.asOf())),
            schema -> {
              // Only now: what fails before the first row is told as a problem.
              response.setContentType(format.mediaType);
              response.setHeader(
                  "Content-Disposition", "attachment; filename=\"%s.%s\"".formatted(name, format));
              return format.writer(schema, response.getOutputStream(), body.asIs().orElse(false));
            });
    // The answer's last bytes leave only when this returns, so who has them all can ask.
    synchronized (ended) {
      body.id().ifPresent(id -> ended.put(key(asker, id), exported));
    }
  }

  /** What an export of the same person came to, of the last few hundred since the start. */
  @GetMapping("/{id}")
  QueryService.Exported exported(@PathVariable String id, Principal asker) {
    synchronized (ended) {
      return Optional.ofNullable(ended.get(key(asker, id)))
          .orElseThrow(() -> ApiException.notFound("export that ended", id));
    }
  }

  private static String key(Principal asker, String id) {
    return asker.getName() + " " + id;
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
