package yardage.service.pipelines;

import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BiFunction;
import java.util.function.Function;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.exec.ExecutionContext;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.insight.DuplicateInsight;
import yardage.core.pipeline.insight.JoinInsight;
import yardage.core.pipeline.insight.JoinMending;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailedException;
import yardage.service.feeds.CatalogOfNow;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.looks.LookDesk;
import yardage.service.web.ApiException;

/** Looks into a pipeline's joins and dedupes without publishing anything. */
@Service
class DiagnosisService {
  private final FeedService feeds;
  private final LakeService lake;
  private final LookDesk desk;
  private final Clock clock;

  DiagnosisService(FeedService feeds, LakeService lake, LookDesk desk, Clock clock) {
    this.feeds = feeds;
    this.lake = lake;
    this.desk = desk;
    this.clock = clock;
  }

  JoinInsight join(String text, String step) {
    return look(
        text,
        step,
        JoinInsight::joins,
        "joins on keys",
        (check, run) -> JoinInsight.of(check, run, step));
  }

  /** The document with the step put in that a remedy offers. */
  String mended(String text, String step, String remedy) {
    JoinInsight insight = join(text, step);
    try {
      return JoinMending.apply(text, insight, remedy)
          .orElseThrow(
              () ->
                  new ApiException(
                      HttpStatus.UNPROCESSABLE_ENTITY,
                      "no-such-step",
                      "No step can take away [%s]".formatted(remedy),
                      "Fix the keys where they come from, or with SQL of your own"));
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "cannot-mend",
          e.getMessage(),
          "Diagnose the step [%s] again and pick one of its remedies".formatted(step));
    }
  }

  DuplicateInsight duplicates(String text, String step, String find, int most) {
    return look(
        text,
        step,
        DuplicateInsight::dedupes,
        "removes duplicates",
        (check, run) -> DuplicateInsight.of(check, run, step, find, most));
  }

  /**
   * @param steps those that can be looked into
   * @param does what these do, in words
   */
  private <T> T look(
      String text,
      String step,
      Function<PipelineDocument, List<String>> steps,
      String does,
      BiFunction<PipelineCheck, PipelineRun, T> insight) {
    PipelineDocument document = PipelineDocument.parse(text);
    Catalog now = CatalogOfNow.of(feeds, lake);
    PipelineCheck check = PipelineCheck.of(document, now, Map.of());
    if (check.hasErrors()) {
      throw ApiException.invalidDocument(document.name(), check.problems());
    }
    // Steps of parts are there once the check has put them in.
    List<String> there = steps.apply(check.document());
    if (!there.contains(step)) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "no-such-step",
          "The document has no step [%s] that %s".formatted(step, does),
          there.isEmpty()
              ? "None of its steps " + does
              : "There %s %s"
                  .formatted(there.size() == 1 ? "is" : "are", String.join(", ", there)));
    }
    return desk.look(
        "diagnosis",
        "%s, %s".formatted(document.name(), step),
        context -> look(check, now, step, context, insight));
  }

  private <T> T look(
      PipelineCheck check,
      Catalog now,
      String step,
      ExecutionContext context,
      BiFunction<PipelineCheck, PipelineRun, T> insight) {
    try {
      PipelineRun run =
          new PipelineRun(
              check,
              new PipelineRun.Setting(
                  "look",
                  clock.instant(),
                  lake.lake(),
                  now,
                  // A look is at all that is there, whatever was taken in before.
                  feed -> Map.of(),
                  Optional.empty(),
                  context,
                  line -> {}));
      return insight.apply(check, run);
    } catch (RunFailedException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          e.code(),
          e.getMessage(),
          "Fix what stops the steps before [%s], then look again".formatted(step));
    }
  }
}
