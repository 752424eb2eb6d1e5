package yardage.service.overview;

import java.util.List;
import org.springframework.context.ConfigurableApplicationContext;
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
  private final ConfigurableApplicationContext context;

  OverviewController(
      DocumentStore documents,
      LakeService lake,
      RunService runs,
      ConfigurableApplicationContext context) {
    this.documents = documents;
    this.lake = lake;
    this.runs = runs;
    this.context = context;
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

  /** Says no from the moment on which the service was told to stop, while it still answers. */
  @Open
  @GetMapping("/health")
  Health health() {
    if (context.isClosed()) {
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
