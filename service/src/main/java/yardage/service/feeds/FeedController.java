package yardage.service.feeds;

import io.swagger.v3.oas.annotations.Parameter;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.document.Problem;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedException;
import yardage.core.feed.FileDiscovery;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.tables.LakeService;
import yardage.service.web.ApiException;

/** Feeds: the list, one of them with its files, checking and saving. */
@RestController
@RequestMapping("/api/v1/feeds")
class FeedController {
  private final FeedService feeds;
  private final DocumentStore documents;
  private final LakeService lake;

  FeedController(FeedService feeds, DocumentStore documents, LakeService lake) {
    this.feeds = feeds;
    this.documents = documents;
    this.lake = lake;
  }

  record FeedSummary(
      String name,
      String about,
      int version,
      Instant savedAt,
      String savedBy,
      List<String> files,
      int columns) {}

  record FeedColumn(String name, String type, boolean required) {}

  record FeedFile(String path, long sizeBytes, Instant modifiedAt) {}

  record FeedDetail(
      String name,
      String about,
      int version,
      String text,
      List<FeedColumn> columns,
      List<FeedFile> files,
      Optional<String> filesProblem,
      List<FeedVersion> versions) {}

  record FeedVersion(int version, String savedBy, Instant savedAt) {}

  record FeedText(String text, Optional<Integer> basedOn) {}

  record FeedCheck(boolean sound, List<Problem> problems) {}

  @GetMapping
  List<FeedSummary> list() {
    return documents.latest(DocumentStore.Kind.FEED).stream().map(this::summary).toList();
  }

  private FeedSummary summary(StoredDocument d) {
    FeedDefinition f = FeedDefinition.parse(d.text()).feed().orElseThrow();
    return new FeedSummary(
        d.name(), f.about(), d.version(), d.savedAt(), d.savedBy(), f.files(), f.columns().size());
  }

  @GetMapping("/{name}")
  FeedDetail detail(@PathVariable String name) {
    StoredDocument d =
        documents
            .find(DocumentStore.Kind.FEED, name)
            .orElseThrow(() -> ApiException.notFound("feed", name));
    return detail(d);
  }

  private FeedDetail detail(StoredDocument d) {
    FeedDefinition f = FeedDefinition.parse(d.text()).feed().orElseThrow();
    List<FeedFile> files = List.of();
    Optional<String> problem = Optional.empty();
    try {
      files =
          FileDiscovery.find(lake.lake().inbox(), f).stream()
              .map(x -> new FeedFile(x.path(), x.sizeBytes(), x.modified()))
              .toList();
    } catch (FeedException e) {
      problem = Optional.of(e.getMessage());
    }
    List<FeedVersion> versions =
        documents.versions(DocumentStore.Kind.FEED, d.name()).stream()
            .map(v -> new FeedVersion(v.version(), v.savedBy(), v.savedAt()))
            .toList();
    List<FeedColumn> columns =
        f.columns().stream()
            .map(c -> new FeedColumn(c.name(), c.rule().type().toString(), c.rule().required()))
            .toList();
    return new FeedDetail(
        d.name(), f.about(), d.version(), d.text(), columns, files, problem, versions);
  }

  @GetMapping("/{name}/versions/{version}")
  FeedText version(@PathVariable String name, @PathVariable int version) {
    StoredDocument d =
        documents
            .find(DocumentStore.Kind.FEED, name, version)
            .orElseThrow(
                () -> ApiException.notFound("version of feed " + name, String.valueOf(version)));
    return new FeedText(d.text(), Optional.of(d.version()));
  }

  @PostMapping("/check")
  FeedCheck check(@RequestBody FeedText body) {
    FeedDefinition.Parsed parsed = FeedDefinition.parse(body.text() == null ? "" : body.text());
    return new FeedCheck(parsed.feed().isPresent(), parsed.problems());
  }

  @PutMapping("/{name}")
  FeedDetail save(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody FeedText body) {
    return detail(
        feeds.save(name, body.text() == null ? "" : body.text(), person.name(), body.basedOn()));
  }
}
