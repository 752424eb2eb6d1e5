package yardage.service.query;

import java.security.Principal;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import yardage.service.web.OnlyReads;

/** Results of many rows, which are kept for a while and read a page at a time. */
@RestController
@RequestMapping("/api/v1/results")
class ResultController {
  private static final int MOST_PAGE = 2_000;
  private static final int FIRST_PAGE = 1_000;

  private final ResultService results;
  private final ResultShelf shelf;

  ResultController(ResultService results, ResultShelf shelf) {
    this.results = results;
    this.shelf = shelf;
  }

  /**
   * What to keep the rows of.
   *
   * @param parameters values of what the query writes as {@code :name}, as text; null for a null
   * @param sort by what its rows are sorted, in place of the query's own order
   */
  record ResultQuery(
      String sql,
      Optional<Map<String, Optional<String>>> parameters,
      Optional<ResultService.Sorting> sort) {}

  /**
   * A result that is kept.
   *
   * @param id by which its rows are read
   * @param rowCount of all rows that are kept, a million at most
   * @param first the first of them; {@code truncated} says whether there are more than are kept
   */
  record KeptResult(String id, long rowCount, ResultRows first) {}

  /**
   * Some rows.
   *
   * @param rowCount of all rows, or of all that hold the words
   */
  record ResultPage(long from, long rowCount, List<List<Object>> rows) {}

  @OnlyReads
  @PostMapping
  KeptResult keep(@RequestBody ResultQuery body, Principal asker) {
    ResultService.KeptQuery kept =
        results.keep(
            body.sql() == null ? "" : body.sql(),
            body.parameters() == null ? Map.of() : body.parameters().orElse(Map.of()),
            body.sort() == null ? Optional.empty() : body.sort(),
            FIRST_PAGE);
    return new KeptResult(
        shelf.keep(asker.getName(), kept.rows()), kept.rows().rowCount(), kept.first());
  }

  /**
   * Rows of a result.
   *
   * @param from the first one, from 0
   * @param count 2,000 at most
   * @param words only rows that hold these in one of their values, letters of either case
   */
  @GetMapping("/{id}/rows")
  ResultPage rows(
      @PathVariable String id,
      @RequestParam(defaultValue = "0") long from,
      @RequestParam(defaultValue = "100") int count,
      @RequestParam(defaultValue = "") String words,
      Principal asker) {
    ResultShelf.Kept kept = shelf.of(asker.getName(), id);
    int most = Math.max(0, Math.min(count, MOST_PAGE));
    long begin = Math.max(0, from);
    if (words.isBlank()) {
      return new ResultPage(
          begin, kept.rows().rowCount(), ShownRows.shown(kept.rows().rows(begin, most)));
    }
    long[] found = results.found(kept, words.strip());
    int at = (int) Math.min(begin, found.length);
    return new ResultPage(begin, found.length, ShownRows.shown(kept.rows().rows(found, at, most)));
  }

  @OnlyReads
  @DeleteMapping("/{id}")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void remove(@PathVariable String id, Principal asker) {
    shelf.remove(asker.getName(), id);
  }
}
