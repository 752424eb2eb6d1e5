package yardage.service.overview;

import java.util.List;
import org.springframework.context.event.ContextClosedEvent;
import org.springframework.context.event.EventListener;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import yardage.service.documents.DocumentStore;
import yardage.service.lake.LakeService;
import yardage.service.runs.RunService;
import yardage.service.runs.RunState;
import yardage.service.runs.RunView;
import yardage.service.web.ApiException;
import yardage.service.web.Open;

/** The overview and the health check. */
@RestController
@RequestMapping("/api/v1")
class OverviewController {
  private final DocumentStore documents;
  private final LakeService lake;
  private final RunService runs;
  private volatile boolean ending;

  OverviewController(DocumentStore documents, LakeService lake, RunService runs) {
    this.documents = documents;
    this.lake = lake;
    this.runs = runs;
  }

  record Overview(
      int feeds,
      int pipelines,
      int tables,
      long running,
      long queued,
      String inbox,
      List<RunView.RunSummary> latestRuns) {}

  record Health(String status) {}

  /** First of all that happens when the service is told to stop. */
  @EventListener
  void ending(ContextClosedEvent event) {
    ending = true;
  }

  /** Says no from the moment on which the service was told to stop, while it still answers. */
  @Open
  @GetMapping("/health")
  Health health() {
    if (ending) {
      throw new ApiException(
          HttpStatus.SERVICE_UNAVAILABLE,
          "service-ends",
          "The service was told to stop, and ends",
          "Start it again: yardage start");
    }
    // Asking for a count proves that the database answers.
    runs.count(RunState.RUNNING);
    return new Health("up");
  }

  @GetMapping("/overview")
  Overview overview() {
    return new Overview(
        documents.latest(DocumentStore.Kind.FEED).size(),
        documents.latest(DocumentStore.Kind.PIPELINE).size(),
        lake.tables().size(),
        runs.count(RunState.RUNNING),
        runs.count(RunState.QUEUED),
        lake.lake().inbox().toString(),
        runs.list("", "", Long.MAX_VALUE, 8));
  }
}
