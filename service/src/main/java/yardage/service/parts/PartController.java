package yardage.service.parts;

import io.swagger.v3.oas.annotations.Parameter;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.document.Problem;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.CatalogWith;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PartDocument;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.feeds.FeedService;
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;

/** Parts: the list, one of them, checking, saving. */
@RestController
@RequestMapping("/api/v1/parts")
class PartController {
  private final DocumentStore documents;
  private final FeedService catalog;

  PartController(DocumentStore documents, FeedService catalog) {
    this.documents = documents;
    this.catalog = catalog;
  }

  record PartSummary(
      String name,
      String about,
      int version,
      Instant savedAt,
      String savedBy,
      List<String> inputs,
      List<String> parameters,
      List<String> usedBy) {}

  record PartDetail(PartSummary summary, String text, List<String> steps) {}

  record PartText(String text, Optional<Integer> basedOn) {}

  /** A pipeline that uses the part, and what a text of the part would make wrong in it. */
  record UserReport(String pipeline, List<Problem> problems) {}

  record PartReport(boolean sound, String name, List<Problem> problems, List<UserReport> usedBy) {}

  @GetMapping
  List<PartSummary> list() {
    return documents.latest(DocumentStore.Kind.PART).stream().map(this::summary).toList();
  }

  private PartSummary summary(StoredDocument d) {
    Optional<PartDocument> part = PartDocument.parse(d.text()).part();
    return new PartSummary(
        d.name(),
        part.map(PartDocument::about).orElse(""),
        d.version(),
        d.savedAt(),
        d.savedBy(),
        part.map(PartDocument::inputs).orElse(List.of()),
        part.map(p -> List.copyOf(p.parameters().keySet())).orElse(List.of()),
        users(d.name()).stream().map(StoredDocument::name).toList());
  }

  private List<StoredDocument> users(String part) {
    return documents.latest(DocumentStore.Kind.PIPELINE).stream()
        .filter(d -> PipelineDocument.parse(d.text()).parts().contains(part))
        .toList();
  }

  @GetMapping("/{name}")
  PartDetail detail(@PathVariable String name) {
    StoredDocument d = documents.require(DocumentStore.Kind.PART, name);
    return new PartDetail(
        summary(d),
        d.text(),
        PartDocument.parse(d.text()).part().map(PartDocument::stepNames).orElse(List.of()));
  }

  /** Says what is wrong with a text, by itself and in the pipelines that use the part. */
  @OnlyReads
  @PostMapping("/check")
  PartReport check(@RequestBody PartText body) {
    return report(body.text() == null ? "" : body.text());
  }

  private PartReport report(String text) {
    PartDocument.Parsed parsed = PartDocument.parse(text);
    if (parsed.part().isEmpty()) {
      return new PartReport(false, parsed.name(), parsed.problems(), List.of());
    }
    Catalog with = new WithPart(catalog, parsed.part().get());
    List<UserReport> users = new ArrayList<>();
    boolean sound = true;
    for (StoredDocument d : users(parsed.name())) {
      PipelineCheck check = PipelineCheck.of(PipelineDocument.parse(d.text()), with, Map.of());
      sound &= !check.hasErrors();
      users.add(new UserReport(d.name(), check.problems()));
    }
    return new PartReport(sound, parsed.name(), List.of(), users);
  }

  /** Keeps a part; refused when a pipeline that uses it could not run with it, unless anyway. */
  @PutMapping("/{name}")
  PartDetail save(
      @PathVariable String name,
      @RequestParam(defaultValue = "false") boolean anyway,
      @RequestBody PartText body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    PartReport report = report(body.text() == null ? "" : body.text());
    if (!report.problems().isEmpty()) {
      throw ApiException.invalidDocument(name, report.problems());
    }
    ApiException.checkOwnName(report.name(), name);
    if (!report.sound() && !anyway) {
      UserReport broken =
          report.usedBy().stream()
              .filter(
                  u -> u.problems().stream().anyMatch(p -> p.severity() == Problem.Severity.ERROR))
              .findFirst()
              .orElseThrow();
      throw ApiException.invalidDocument(
          "pipeline %s, which uses the part,".formatted(broken.pipeline()), broken.problems());
    }
    documents.save(DocumentStore.Kind.PART, name, body.text(), person.name(), body.basedOn());
    return detail(name);
  }

  /** What there is, with another text of one part. */
  private record WithPart(Catalog others, PartDocument changed) implements CatalogWith {
    @Override
    public Optional<PartDocument> part(String name) {
      return name.equals(changed.name()) ? Optional.of(changed) : others.part(name);
    }
  }
}
