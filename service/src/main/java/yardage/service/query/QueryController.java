package yardage.service.query;

import java.util.Map;
import java.util.Optional;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import yardage.service.web.OnlyReads;

/** Queries. */
@RestController
@RequestMapping("/api/v1/query")
class QueryController {
  private static final int DEFAULT_LIMIT = 1000;
  private static final int MAX_LIMIT = 100_000;

  private final QueryService queries;

  QueryController(QueryService queries) {
    this.queries = queries;
  }

  /**
   * @param parameters values of what the query writes as {@code :name}, as text; null for a null
   */
  record Query(
      String sql, Optional<Integer> limit, Optional<Map<String, Optional<String>>> parameters) {}

  @OnlyReads
  @PostMapping
  ResultRows query(@RequestBody Query body) {
    return queries.query(
        body.sql() == null ? "" : body.sql(),
        body.parameters().orElse(Map.of()),
        Math.max(1, Math.min(body.limit().orElse(DEFAULT_LIMIT), MAX_LIMIT)));
  }
}
