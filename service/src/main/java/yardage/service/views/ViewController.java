package yardage.service.views;

import io.swagger.v3.oas.annotations.Parameter;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.document.Problem;
import yardage.core.view.ViewDocument;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.query.ResultRows;
import yardage.service.web.OnlyReads;

/** Views: the list, one of them, checking, saving. */
@RestController
@RequestMapping("/api/v1/views")
class ViewController {
  private final ViewService views;
  private final DocumentStore documents;

  ViewController(ViewService views, DocumentStore documents) {
    this.views = views;
    this.documents = documents;
  }

  /**
   * A view.
   *
   * @param inFrom how queries name it
   * @param parameters the values that its query asks for; with any, no other query can name it
   */
  record ViewSummary(
      String name,
      String inFrom,
      String about,
      String sql,
      List<String> parameters,
      int version,
      Instant savedAt,
      String savedBy) {}

  record ViewDetail(ViewSummary summary, String text) {}

  record ViewText(String text, Optional<Integer> basedOn) {}

  record ViewToCheck(String text) {}

  /** A query to keep; what else its document says stays. */
  record QueryToKeep(String about, String sql, Optional<Integer> basedOn) {}

  /**
   * @param columns what its query gives; none where something is wrong with it
   */
  record ViewReport(
      String name, boolean sound, List<Problem> problems, List<ResultRows.ResultColumn> columns) {}

  @GetMapping
  List<ViewSummary> list() {
    return documents.latest(DocumentStore.Kind.VIEW).stream().map(ViewController::summary).toList();
  }

  private static ViewSummary summary(StoredDocument d) {
    Optional<ViewDocument> view = ViewDocument.parse(d.text()).document();
    return new ViewSummary(
        d.name(),
        view.map(ViewDocument::inFrom).orElse(""),
        view.map(ViewDocument::about).orElse(""),
        view.map(v -> v.sql().text().strip()).orElse(""),
        view.map(ViewDocument::parameters).orElse(List.of()),
        d.version(),
        d.savedAt(),
        d.savedBy());
  }

  private static ViewDetail detail(StoredDocument d) {
    return new ViewDetail(summary(d), d.text());
  }

  @GetMapping("/{name}")
  ViewDetail detail(@PathVariable String name) {
    return detail(documents.require(DocumentStore.Kind.VIEW, name));
  }

  /** All versions of a view, the newest first. */
  @GetMapping("/{name}/versions")
  List<ViewSummary> versions(@PathVariable String name) {
    documents.require(DocumentStore.Kind.VIEW, name);
    return documents.versions(DocumentStore.Kind.VIEW, name).stream()
        .map(ViewController::summary)
        .toList();
  }

  @GetMapping("/{name}/versions/{version}")
  ViewDetail version(@PathVariable String name, @PathVariable int version) {
    return detail(documents.require(DocumentStore.Kind.VIEW, name, version));
  }

  @PutMapping("/{name}")
  ViewDetail save(
      @PathVariable String name,
      @RequestBody ViewText body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    return detail(
        views.save(name, body.text() == null ? "" : body.text(), person.name(), body.basedOn()));
  }

  /** Keeps a query under a name, whether there is one of it or not. */
  @PutMapping("/{name}/query")
  ViewDetail keep(
      @PathVariable String name,
      @RequestBody QueryToKeep body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    return detail(
        views.keep(
            name,
            body.about() == null ? "" : body.about(),
            body.sql() == null ? "" : body.sql(),
            person.name(),
            body.basedOn()));
  }

  /** What is wrong with a text, and which columns its query gives; it is not run. */
  @OnlyReads
  @PostMapping("/check")
  ViewReport check(@RequestBody ViewToCheck body) {
    ViewService.CheckedView checked = views.check(body.text() == null ? "" : body.text());
    return new ViewReport(
        checked.parsed().name(),
        checked.parsed().problems().isEmpty(),
        checked.parsed().problems(),
        checked.columns().fields().stream()
            .map(f -> new ResultRows.ResultColumn(f.name(), f.type().toString()))
            .toList());
  }

  @DeleteMapping("/{name}")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void remove(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    views.remove(name, person.name());
  }
}
