package yardage.service.pipelines;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.stereotype.Service;
import org.springframework.transaction.annotation.Transactional;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.schedules.ScheduleService;
import yardage.service.tests.KeptTests;
import yardage.service.web.ApiException;

/** Checks and keeps pipelines, and tells the scheduler. */
@Service
public class PipelineService {
  private final DocumentStore documents;
  private final Drafts drafts;
  private final ScheduleService schedules;
  private final KeptTests tests;

  PipelineService(
      DocumentStore documents, Drafts drafts, ScheduleService schedules, KeptTests tests) {
    this.tests = tests;
    this.documents = documents;
    this.drafts = drafts;
    this.schedules = schedules;
  }

  public PipelineCheck check(String text) {
    return check(text, List.of());
  }

  /**
   * @param together the texts of other pipelines that may not be kept yet
   */
  public PipelineCheck check(String text, List<String> together) {
    return drafts.check(new Drafts.Draft(text, together, Map.of())).check();
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
