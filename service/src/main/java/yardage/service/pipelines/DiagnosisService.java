package yardage.service.pipelines;

import java.time.Clock;
import java.util.Map;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.exec.CancelToken;
import yardage.core.exec.ExecutionContext;
import yardage.core.pipeline.JoinInsight;
import yardage.core.pipeline.PipelineCheck;
import yardage.core.pipeline.PipelineDocument;
import yardage.core.pipeline.PipelineRun;
import yardage.core.pipeline.RunFailedException;
import yardage.service.feeds.FeedService;
import yardage.service.runs.EngineMemory;
import yardage.service.tables.LakeService;
import yardage.service.web.ApiException;

/** Looks into a pipeline's joins without publishing anything. */
@Service
class DiagnosisService {
  private final FeedService feeds;
  private final LakeService lake;
  private final EngineMemory memory;
  private final Clock clock;

  DiagnosisService(FeedService feeds, LakeService lake, EngineMemory memory, Clock clock) {
    this.feeds = feeds;
    this.lake = lake;
    this.memory = memory;
    this.clock = clock;
  }

  JoinInsight join(String text, String step) {
    PipelineDocument document = PipelineDocument.parse(text);
    PipelineCheck check = PipelineCheck.of(document, feeds, Map.of());
    if (check.hasErrors()) {
      throw ApiException.invalidDocument(document.name(), check.problems());
    }
    if (!JoinInsight.joins(document).contains(step)) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "no-such-join",
          "The document has no step [%s] that joins on keys".formatted(step),
          JoinInsight.joins(document).isEmpty()
              ? "Only joins can be diagnosed"
              : "There are " + String.join(", ", JoinInsight.joins(document)));
    }
    try {
      PipelineRun run =
          new PipelineRun(
              check,
              new PipelineRun.Setting(
                  "look",
                  clock.instant(),
                  lake.lake(),
                  feeds,
                  // A look is at all that is there, whatever was taken in before.
                  feed -> Map.of(),
                  Optional.empty(),
                  new ExecutionContext(
                      memory.forQuery(),
                      new CancelToken(),
                      Runtime.getRuntime().availableProcessors()),
                  line -> {}));
      return JoinInsight.of(check, run, step);
    } catch (RunFailedException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          e.code(),
          e.getMessage(),
          "Mend what stops the steps before the join, then look again");
    }
  }
}
