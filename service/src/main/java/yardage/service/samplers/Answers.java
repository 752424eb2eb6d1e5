package yardage.service.samplers;

import java.time.Clock;
import java.time.Instant;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.springframework.stereotype.Service;
import yardage.core.lake.TableName;
import yardage.core.sampler.SamplerSql;
import yardage.service.documents.DocumentStore;
import yardage.service.lake.LakeService;
import yardage.service.looks.LookDesk;
import yardage.service.query.QueryService;
import yardage.service.query.ResultRows;

/**
 * Answers that were given, for whoever asks the same again. One holds as long as each of its tables
 * and all stars and views are what they were; the longest unused go first.
 */
@Service
class Answers {
  /** Values that are kept, of all answers together. */
  private static final int MOST_CELLS = 500_000;

  private final QueryService queries;
  private final LakeService lake;
  private final DocumentStore documents;
  private final LookDesk desk;
  private final Clock clock;
  private final Map<SamplerSql.Asked, Kept> kept = new LinkedHashMap<>(64, 0.75f, true);
  private int cells;

  Answers(
      QueryService queries, LakeService lake, DocumentStore documents, LookDesk desk, Clock clock) {
    this.queries = queries;
    this.lake = lake;
    this.documents = documents;
    this.desk = desk;
    this.clock = clock;
  }

  /**
   * @param at when it was worked out
   */
  record Answer(ResultRows rows, Instant at) {}

  private record Kept(Answer answer, Map<TableName, String> tables, List<String> documents) {
    int cells() {
      return Math.max(1, answer.rows().rows().size() * answer.rows().columns().size());
    }
  }

  Answer to(SamplerSql.Asked asked) {
    return known(asked, versions())
        // Somebody may have asked the same while this waited.
        .orElseGet(() -> desk.inTurn(() -> known(asked, versions()).orElseGet(() -> anew(asked))));
  }

  private Answer anew(SamplerSql.Asked asked) {
    List<String> documents = versions();
    QueryService.Dated dated = queries.dated(asked.sql(), asked.parameters(), asked.most());
    Answer answer = new Answer(dated.rows(), clock.instant());
    if (dated.states().isPresent()) {
      keep(asked, new Kept(answer, dated.states().get(), documents));
    }
    return answer;
  }

  /** What queries may name beside tables, as it is now. */
  private List<String> versions() {
    return Stream.of(DocumentStore.Kind.STAR, DocumentStore.Kind.VIEW)
        .flatMap(kind -> documents.newest(kind).stream().map(v -> kind + " " + v))
        .toList();
  }

  private Optional<Answer> known(SamplerSql.Asked asked, List<String> documents) {
    Optional<Kept> there = kept(asked);
    if (there.isEmpty() || !there.get().documents().equals(documents)) {
      return Optional.empty();
    }
    Map<TableName, String> now = lake.states();
    return there
        .filter(
            k ->
                k.tables().entrySet().stream()
                    .allMatch(t -> t.getValue().equals(now.get(t.getKey()))))
        .map(Kept::answer);
  }

  private synchronized Optional<Kept> kept(SamplerSql.Asked asked) {
    return Optional.ofNullable(kept.get(asked));
  }

  private synchronized void keep(SamplerSql.Asked asked, Kept answer) {
    if (answer.cells() > MOST_CELLS / 4) {
      return;
    }
    Optional.ofNullable(kept.remove(asked)).ifPresent(before -> cells -= before.cells());
    kept.put(asked, answer);
    cells += answer.cells();
    Iterator<Kept> oldest = kept.values().iterator();
    while (cells > MOST_CELLS) {
      cells -= oldest.next().cells();
      oldest.remove();
    }
  }
}
