package yardage.service.feeds;

import io.swagger.v3.oas.annotations.Parameter;
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
import yardage.core.feed.FeedDefinition;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;

/** Feeds: the list, one of them with its files, proposing, checking and saving. */
@RestController
@RequestMapping("/api/v1/feeds")
class FeedController {
  private final FeedService feeds;
  private final DocumentStore documents;

  private final QuarantineService quarantine;

  FeedController(FeedService feeds, DocumentStore documents, QuarantineService quarantine) {
    this.feeds = feeds;
    this.documents = documents;
    this.quarantine = quarantine;
  }

  @GetMapping
  List<FeedView.FeedSummary> list() {
    return feeds.summaries();
  }

  @GetMapping("/{name}")
  FeedView.FeedDetail detail(@PathVariable String name) {
    return feeds.detail(name);
  }

  @GetMapping("/{name}/versions/{version}")
  FeedView.FeedText version(@PathVariable String name, @PathVariable int version) {
    StoredDocument d =
        documents
            .find(DocumentStore.Kind.FEED, name, version)
            .orElseThrow(
                () -> ApiException.notFound("version of feed " + name, String.valueOf(version)));
    return new FeedView.FeedText(d.text(), Optional.of(d.version()));
  }

  @OnlyReads
  @PostMapping("/check")
  FeedView.FeedCheck check(@RequestBody FeedView.FeedText body) {
    FeedDefinition.Parsed parsed = FeedDefinition.parse(body.text() == null ? "" : body.text());
    return new FeedView.FeedCheck(parsed.feed().isPresent(), parsed.problems());
  }

  @PutMapping("/{name}")
  FeedView.FeedDetail save(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody FeedView.FeedText body) {
    feeds.save(name, body.text() == null ? "" : body.text(), person.name(), body.basedOn());
    return feeds.detail(name);
  }

  /** Feeds for files that are there: a proposal for each kind, to be saved or not. */
  @OnlyReads
  @PostMapping("/propose")
  FeedView.FeedProposals propose(@RequestBody FeedView.ProposeRequest body) {
    return feeds.propose(
        body.connection() == null ? Optional.empty() : body.connection(),
        body.files() == null ? List.of() : body.files());
  }

  /** The first rows of a file under a contract that need not be saved. */
  @OnlyReads
  @PostMapping("/preview")
  FeedView.FeedPreviewView preview(@RequestBody FeedView.PreviewRequest body) {
    return feeds.preview(body);
  }

  /** How the newest files differ from the contract. */
  @GetMapping("/{name}/changes")
  FeedView.FeedChangesView changes(@PathVariable String name) {
    return feeds.changes(name);
  }

  /** Saves the contract that the newest files fit, as the next version. */
  @PostMapping("/{name}/accept")
  FeedView.AcceptAnswer accept(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    return feeds.accept(name, person.name());
  }

  /** Puts files into quarantine: no run and no query reads them until they are given back. */
  @PostMapping("/{name}/quarantine")
  FeedView.FeedDetail quarantine(
      @PathVariable String name,
      @RequestBody FeedView.QuarantineRequest body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    quarantine.put(
        feeds.require(name),
        body.paths() == null ? List.of() : body.paths(),
        body.why() == null ? "" : body.why().orElse(""),
        person.name());
    return feeds.detail(name);
  }

  /** Gives files in quarantine back: the next run reads them. */
  @PostMapping("/{name}/release")
  FeedView.FeedDetail release(
      @PathVariable String name, @RequestBody FeedView.ReleaseRequest body) {
    quarantine.release(feeds.require(name).name(), body.paths() == null ? List.of() : body.paths());
    return feeds.detail(name);
  }

  /** Lets a pipeline take files in again that it has taken before. */
  @PostMapping("/{name}/again")
  FeedView.AgainAnswer again(@PathVariable String name, @RequestBody FeedView.AgainRequest body) {
    return feeds.again(name, body);
  }
}
