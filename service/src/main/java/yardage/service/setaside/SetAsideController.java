package yardage.service.setaside;

import io.swagger.v3.oas.annotations.Parameter;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.stream.Collectors;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import tools.jackson.databind.json.JsonMapper;
import yardage.core.feed.SetAsideStore;
import yardage.core.format.export.DelimitedRows;
import yardage.service.access.AccessService;
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;

/** Set-aside rows of a run. */
@RestController
@RequestMapping("/api/v1/runs/{run}/set-aside")
class SetAsideController {
  private final SetAsideService rows;
  private final JsonMapper json;

  SetAsideController(SetAsideService rows, JsonMapper json) {
    this.rows = rows;
    this.json = json;
  }

  @GetMapping
  SetAsideView.SetAsidePage setAside(
      @PathVariable long run,
      @RequestParam(defaultValue = "") String reason,
      @RequestParam(defaultValue = "") String state,
      @RequestParam(defaultValue = "0") long offset,
      @RequestParam(defaultValue = "50") int limit) {
    return rows.page(run, reason, state, Math.max(0, offset), Math.max(1, Math.min(limit, 500)));
  }

  @GetMapping("/{number}")
  SetAsideView.SetAsideRow setAsideRow(@PathVariable long run, @PathVariable long number) {
    return rows.row(run, number);
  }

  /** What a record would come to under the feed's newest contract; nothing is kept. */
  @OnlyReads
  @PostMapping("/{number}/check")
  SetAsideView.CorrectionCheck checkCorrection(
      @PathVariable long run,
      @PathVariable long number,
      @RequestBody SetAsideView.Correction body) {
    return rows.check(run, number, body.text() == null ? "" : body.text());
  }

  @PutMapping("/{number}")
  SetAsideView.SetAsideRow correct(
      @PathVariable long run,
      @PathVariable long number,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody SetAsideView.Correction body) {
    return rows.correct(run, number, body.text() == null ? "" : body.text(), person.name());
  }

  @PostMapping("/replay")
  SetAsideView.ReplayAnswer replay(
      @PathVariable long run,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody SetAsideView.ReplayRequest body) {
    return rows.replay(run, body, person.name());
  }

  /** Takes corrections back, and replays that no run has taken in. */
  @PostMapping("/withdraw")
  SetAsideView.WithdrawAnswer withdraw(
      @PathVariable long run, @RequestBody SetAsideView.WithdrawRequest body) {
    return rows.withdraw(run, body);
  }

  /**
   * All rows, as JSON lines or as delimited text. Text that a spreadsheet would take for a formula
   * gets an apostrophe in front, in delimited text only.
   */
  @GetMapping("/export")
  void export(
      @PathVariable long run,
      @RequestParam(defaultValue = "") String reason,
      @RequestParam(defaultValue = "jsonl") String format,
      HttpServletResponse response)
      throws IOException {
    if (!format.equals("jsonl") && !format.equals("csv")) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "unknown-format",
          "There is no format [%s]".formatted(format),
          "Use jsonl or csv");
    }
    boolean csv = format.equals("csv");
    rows.each(run, reason, row -> false);
    response.setContentType(csv ? "text/csv" : "application/x-ndjson");
    response.setCharacterEncoding(StandardCharsets.UTF_8.name());
    response.setHeader(
        "Content-Disposition",
        "attachment; filename=\"set-aside-run-%d.%s\"".formatted(run, csv ? "csv" : "jsonl"));
    PrintWriter out = response.getWriter();
    if (csv) {
      out.print("number,feed,file,line,reasons,messages,original\r\n");
    }
    rows.each(
        run,
        reason,
        row -> {
          out.print(csv ? csv(row) : json.writeValueAsString(row) + "\n");
          if (out.checkError()) {
            throw new UncheckedIOException(new IOException("The reader went away"));
          }
          return true;
        });
  }

  private static String csv(SetAsideStore.Row row) {
    return row.number()
        + ","
        + cell(row.feed())
        + ","
        + cell(row.file())
        + ","
        + row.line()
        + ","
        + cell(
            row.failures().stream()
                .map(f -> f.field().isEmpty() ? f.reason() : f.field() + ": " + f.reason())
                .collect(Collectors.joining("; ")))
        + ","
        + cell(
            row.failures().stream()
                .map(SetAsideStore.Failure::message)
                .collect(Collectors.joining("; ")))
        + ","
        + cell(row.original())
        + "\r\n";
  }

  private static String cell(String text) {
    return '"' + DelimitedRows.harmless(text).replace("\"", "\"\"") + '"';
  }
}
