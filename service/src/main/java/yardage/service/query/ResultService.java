package yardage.service.query;

import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import org.springframework.stereotype.Service;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.KeptRows;
import yardage.core.exec.StepFailedException;
import yardage.service.looks.LookDesk;

/** Runs queries whose rows are kept for a while, and looks for words in them. */
@Service
class ResultService {
  /** Rows of a result that are kept. */
  private static final long MOST_ROWS = 1_000_000;

  private final QueryService queries;
  private final LookDesk desk;
  private final ResultShelf shelf;

  ResultService(QueryService queries, LookDesk desk, ResultShelf shelf) {
    this.queries = queries;
    this.shelf = shelf;
    this.desk = desk;
  }

  /**
   * A column to sort by.
   *
   * @param column its place, from 0
   */
  record Sorting(int column, boolean descending) {}

  /** Rows that are kept on disk, and the first of them. */
  record KeptQuery(KeptRows rows, ResultRows first) {}

  /**
   * Runs a query and keeps its rows.
   *
   * @param sort by what they are sorted, in place of the query's own order
   * @param first how many of them are given at once
   */
  KeptQuery keep(
      String sql, Map<String, Optional<String>> given, Optional<Sorting> sort, int first) {
    return desk.look(
        "query", sql, context -> keep(queries.prepare(sql, given).sorted(sort), first, context));
  }

  private static KeptQuery keep(PreparedQuery asked, int first, ExecutionContext context) {
    long start = System.nanoTime();
    PreparedQuery prepared = asked.run(context);
    KeptRows rows;
    try {
      rows = prepared.executor(context).keep(prepared.plan(), prepared.step(), MOST_ROWS);
    } catch (StepFailedException e) {
      throw ShownRows.refusal(e);
    }
    try {
      long millis = (System.nanoTime() - start) / 1_000_000;
      return new KeptQuery(
          rows,
          new ResultRows(
              prepared.columns(),
              ShownRows.shown(rows.rows(0, first)),
              rows.isTruncated(),
              millis,
              prepared.notes()));
    } catch (RuntimeException e) {
      rows.close();
      throw e;
    }
  }

  /** The numbers of the rows of a kept result in which a value holds some words. */
  long[] found(ResultShelf.Kept kept, String words) {
    return kept.found(words)
        .map(ResultShelf.Found::rows)
        .orElseGet(
            () ->
                desk.look(
                    "find rows",
                    words,
                    context -> {
                      String wanted = words.toLowerCase(Locale.ROOT);
                      long[] rows = kept.rows().matching(row -> holds(row, wanted), context);
                      shelf.found(kept, new ResultShelf.Found(words, rows));
                      return rows;
                    }));
  }

  private static boolean holds(List<Object> row, String wanted) {
    return row.stream()
        .anyMatch(
            v ->
                v != null
                    && String.valueOf(ShownRows.json(v)).toLowerCase(Locale.ROOT).contains(wanted));
  }
}
