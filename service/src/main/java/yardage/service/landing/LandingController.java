package yardage.service.landing;

import io.swagger.v3.oas.annotations.Parameter;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.feed.FeedDefinition;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.feeds.FeedService;
import yardage.service.pipelines.PipelineService;
import yardage.service.runs.RunService;
import yardage.service.runs.RunView;
import yardage.service.web.ApiException;

/** Takes feeds into raw tables. */
@RestController
class LandingController {
  private final FeedService feeds;
  private final DocumentStore documents;
  private final PipelineService pipelines;
  private final RunService runs;

  LandingController(
      FeedService feeds, DocumentStore documents, PipelineService pipelines, RunService runs) {
    this.feeds = feeds;
    this.documents = documents;
    this.pipelines = pipelines;
    this.runs = runs;
  }

  /**
   * @param table the raw table; {@code raw} and the feed's name when absent
   */
  record LandRequest(Optional<String> table) {}

  /**
   * @param pipeline that lands the feed, and can be scheduled
   */
  record Landing(String pipeline, String table, RunView.RunSummary run) {}

  record OnboardRequest(List<String> texts) {
    OnboardRequest {
      texts = texts == null ? List.of() : List.copyOf(texts);
    }
  }

  record Onboarding(List<Landing> landings) {}

  /** Lands a feed's new files; the pipeline is made the first time. */
  @PostMapping("/api/v1/feeds/{name}/land")
  Landing land(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody LandRequest body) {
    return land(name, body.table(), person.name());
  }

  private Landing land(String name, Optional<String> wanted, String by) {
    FeedDefinition feed = feeds.require(name);
    String table = wanted.orElse("raw." + name.replace('-', '_'));
    String pipeline = "land-" + name;
    boolean all = !feed.intake().onlyNew();
    String text =
        """
        pipeline: %s
        about: Lands feed %s as it is, so that it can be transformed again.
        steps:
          rows:
            read: {feed: %s}
          landed:
            from: rows
            write: {table: %s, mode: %s, columns: follow}
        """
            .formatted(pipeline, name, name, table, all ? "replace" : "append");
    var before = documents.find(DocumentStore.Kind.PIPELINE, pipeline);
    if (before.isPresent()
        && wanted.isPresent()
        && !before.get().text().contains("table: " + table)) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "lands-elsewhere",
          "Pipeline [%s] lands this feed in another table".formatted(pipeline),
          "Change that pipeline, or land without naming a table");
    }
    if (before.isEmpty()) {
      pipelines.save(pipeline, text, by, Optional.of(0));
    }
    return new Landing(pipeline, table, runs.request(pipeline, Map.of(), by));
  }

  /** Saves proposed feeds and lands each in a raw table. */
  @PostMapping("/api/v1/feeds/onboard")
  Onboarding onboard(
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody OnboardRequest body) {
    if (body.texts().isEmpty()) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "missing-value",
          "There is no feed to keep: [texts] is empty",
          "Send the documents that were proposed, as [texts]");
    }
    List<FeedDefinition> sound =
        body.texts().stream()
            .map(
                text -> {
                  FeedDefinition.Parsed parsed = FeedDefinition.parse(text);
                  if (parsed.feed().isEmpty()) {
                    throw ApiException.invalidDocument("feed", parsed.problems());
                  }
                  return parsed.feed().get();
                })
            .toList();
    for (int i = 0; i < sound.size(); i++) {
      feeds.save(sound.get(i).name(), body.texts().get(i), person.name(), Optional.empty());
    }
    return new Onboarding(
        sound.stream().map(f -> land(f.name(), Optional.empty(), person.name())).toList());
  }
}
