package yardage.service.query;

import java.util.Map;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import yardage.core.format.NativeLibraries;
import yardage.service.BesideStart;

/**
 * Plans and runs a query that reads nothing, beside the start: the first plan in a fresh JVM takes
 * seconds, and nobody should wait for it.
 */
@Component
class EngineWarmUp {
  private static final Logger LOG = LoggerFactory.getLogger(EngineWarmUp.class);
  private static final String QUERY =
      """
      select a.x, count(*) as n, sum(b.y) as s
      from (values (1, 'one'), (2, 'two')) as a(x, name)
      left join (values (1, 2.5), (3, 4.5)) as b(x, y) on a.x = b.x
      where upper(trim(a.name)) <> 'three' group by a.x order by n desc
      """;

  private final QueryService queries;

  EngineWarmUp(QueryService queries) {
    this.queries = queries;
    NativeLibraries.load();
  }

  @EventListener(ApplicationReadyEvent.class)
  void warmUp() {
    BesideStart.run("yardage-warm-up", this::run);
  }

  private void run() {
    try {
      queries.run(QUERY, Map.of(), 10);
    } catch (RuntimeException e) {
      LOG.warn("Warming up failed; the first query will be slow", e);
    }
  }
}
