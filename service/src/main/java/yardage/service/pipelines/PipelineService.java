package yardage.service.pipelines;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.springframework.stereotype.Service;
import org.springframework.transaction.annotation.Transactional;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.compile.PlannedTables;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.feeds.FeedService;
import yardage.service.schedules.ScheduleService;
import yardage.service.tests.KeptTests;
import yardage.service.web.ApiException;

/** Checks and keeps pipelines, and tells the scheduler. */
@Service
public class PipelineService {
  private final DocumentStore documents;
  private final FeedService feeds;
  private final ScheduleService schedules;
  private final KeptTests tests;

  PipelineService(
      DocumentStore documents, FeedService feeds, ScheduleService schedules, KeptTests tests) {
    this.tests = tests;
    this.documents = documents;
    this.feeds = feeds;
    this.schedules = schedules;
  }

  public PipelineCheck check(String text) {
    return check(text, List.of());
  }

  /**
   * @param together the texts of other pipelines that may not be kept yet
   */
  public PipelineCheck check(String text, List<String> together) {
    PipelineDocument document = PipelineDocument.parse(text);
    PlannedTables catalog =
        new PlannedTables(
            feeds,
            document.name(),
            () ->
                Stream.concat(
                        together.stream(), documents.texts(DocumentStore.Kind.PIPELINE).stream())
                    .toList());
    return PipelineCheck.of(document, catalog, Map.of());
  }

  /**
   * @throws ApiException when the document has errors: only what can run is kept; or when its tests
   *     must pass and do not
   */
  @Transactional
  public StoredDocument save(String name, String text, String by, Optional<Integer> basedOn) {
    PipelineCheck check = check(text);
    if (check.hasErrors()) {
      throw ApiException.invalidDocument(name, check.problems());
    }
    ApiException.checkOwnName(check.document().name(), name);
    if (check.document().testsMustPass()) {
      tests.requirePassed(name, text);
    }
    StoredDocument saved = documents.save(DocumentStore.Kind.PIPELINE, name, text, by, basedOn);
    schedules.scheduleChanged(name, check.document().schedule());
    return saved;
  }
}
