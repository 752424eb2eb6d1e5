package yardage.service.runs;

import java.time.Instant;
import java.util.List;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RestController;

/** What came of the rules of check steps. */
@RestController
class CheckController {
  private static final int MOST = 2000;

  private final CheckMapper mapper;

  private final RunService runs;

  CheckController(CheckMapper mapper, RunService runs) {
    this.mapper = mapper;
    this.runs = runs;
  }

  /**
   * One rule in one run.
   *
   * @param outcome met, set-aside, warned or stopped
   */
  record CheckOutcome(
      long run,
      Instant at,
      String step,
      String rule,
      String outcome,
      long rows,
      long failed,
      String words) {
    static CheckOutcome of(CheckMapper.Kept k) {
      return new CheckOutcome(
          k.runId(),
          k.endedAt(),
          k.step(),
          k.rule(),
          k.outcome(),
          k.rowsIn(),
          k.failed(),
          k.words());
    }
  }

  @GetMapping("/api/v1/runs/{id}/checks")
  List<CheckOutcome> ofRun(@PathVariable long id) {
    runs.find(id);
    return mapper.ofRun(id).stream().map(CheckOutcome::of).toList();
  }

  /** The newest runs of a pipeline, the oldest of them first. */
  @GetMapping("/api/v1/pipelines/{name}/checks")
  List<CheckOutcome> ofPipeline(@PathVariable String name) {
    runs.requireKnown(name);
    return mapper.ofPipeline(name, MOST).stream().map(CheckOutcome::of).toList();
  }
}
