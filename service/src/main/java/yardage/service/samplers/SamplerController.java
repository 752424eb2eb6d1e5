package yardage.service.samplers;

import io.swagger.v3.oas.annotations.Parameter;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
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
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Problem;
import yardage.core.sampler.Block;
import yardage.core.sampler.Chosen;
import yardage.core.sampler.SamplerDocument;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.query.ResultRows;
import yardage.service.web.OnlyReads;

/** Samplers: the list, one of them, checking, saving, and what their blocks answer. */
@RestController
@RequestMapping("/api/v1/samplers")
class SamplerController {
  private final SamplerService samplers;
  private final DocumentStore documents;
  private final Clock clock;

  SamplerController(SamplerService samplers, DocumentStore documents, Clock clock) {
    this.samplers = samplers;
    this.documents = documents;
    this.clock = clock;
  }

  record SamplerSummary(
      String name,
      String title,
      String about,
      int version,
      Instant savedAt,
      String savedBy,
      int blocks) {}

  /**
   * What can be chosen for the whole page.
   *
   * @param begins what is chosen when the page is opened
   */
  record SamplerChoice(String column, String label, boolean many, List<String> begins) {}

  /**
   * A part of the page.
   *
   * @param width in twelfths of the page
   * @param form number, chart, table, rows or text
   * @param kind of the chart; empty for other forms
   * @param text in Markdown; empty for other forms
   */
  record SamplerBlock(
      String name, String title, int width, String form, String kind, String unit, String text) {}

  record SamplerPage(
      String name,
      String title,
      String about,
      List<SamplerChoice> choices,
      Map<String, List<String>> paths,
      List<SamplerBlock> blocks) {}

  /**
   * @param refreshesAt when the page is worked out by itself the next time
   */
  record SamplerDetail(
      SamplerSummary summary,
      String text,
      Optional<SamplerPage> page,
      Optional<Instant> refreshesAt) {}

  record SamplerText(String text, Optional<Integer> basedOn) {}

  record SamplerToCheck(String text) {}

  /**
   * @param name what the block is called; where that is taken a number follows
   * @param content its fields, as they stand in a document
   */
  record BlockToKeep(String name, Map<String, Object> content) {}

  /**
   * @param page what the text makes; none where something is wrong with it
   */
  record SamplerReport(
      String name, boolean sound, List<Problem> problems, Optional<SamplerPage> page) {}

  /**
   * @param sampler a page that is kept
   * @param text or one that is written just now
   * @param block what is asked
   * @param column or the column whose values are asked
   * @param chosen of each column the values that its rows may have; null is a null
   */
  record SamplerQuestion(
      Optional<String> sampler,
      Optional<String> text,
      Optional<String> block,
      Optional<String> column,
      Optional<Map<String, List<Optional<String>>>> chosen) {}

  /**
   * An answer.
   *
   * @param by the columns that it goes by: a path's is the first that has not come down to one
   *     value
   * @param passed columns of which something is chosen, but that these rows do not have
   * @param at when it was worked out; its tables have not changed since
   */
  record SamplerAnswer(
      ResultRows rows, List<String> by, List<String> passed, String sql, Instant at) {}

  @GetMapping
  List<SamplerSummary> list() {
    return documents.latest(DocumentStore.Kind.SAMPLER).stream()
        .map(SamplerController::summary)
        .toList();
  }

  private static SamplerSummary summary(StoredDocument d) {
    Optional<SamplerDocument> page = SamplerDocument.parse(d.text()).document();
    return new SamplerSummary(
        d.name(),
        page.map(SamplerDocument::title).orElse(d.name()),
        page.map(SamplerDocument::about).orElse(""),
        d.version(),
        d.savedAt(),
        d.savedBy(),
        page.map(p -> p.blocks().size()).orElse(0));
  }

  @GetMapping("/{name}")
  SamplerDetail detail(@PathVariable String name) {
    return detail(documents.require(DocumentStore.Kind.SAMPLER, name));
  }

  /** All versions of a page, the newest first. */
  @GetMapping("/{name}/versions")
  List<SamplerSummary> versions(@PathVariable String name) {
    documents.require(DocumentStore.Kind.SAMPLER, name);
    return documents.versions(DocumentStore.Kind.SAMPLER, name).stream()
        .map(SamplerController::summary)
        .toList();
  }

  @GetMapping("/{name}/versions/{version}")
  SamplerDetail version(@PathVariable String name, @PathVariable int version) {
    return detail(documents.require(DocumentStore.Kind.SAMPLER, name, version));
  }

  private SamplerDetail detail(StoredDocument d) {
    Optional<SamplerDocument> page = SamplerDocument.parse(d.text()).document();
    return new SamplerDetail(
        summary(d),
        d.text(),
        page.map(SamplerController::page),
        page.flatMap(SamplerDocument::refresh).flatMap(s -> s.next(clock.instant())));
  }

  private static SamplerPage page(SamplerDocument d) {
    List<SamplerChoice> choices = new ArrayList<>();
    d.choices()
        .values()
        .forEach(
            c ->
                choices.add(new SamplerChoice(c.column().text(), c.label(), c.many(), c.begins())));
    Map<String, List<String>> paths = new LinkedHashMap<>();
    d.paths().forEach((n, columns) -> paths.put(n, columns.stream().map(TextValue::text).toList()));
    return new SamplerPage(
        d.name(),
        d.title(),
        d.about(),
        choices,
        paths,
        d.blocks().stream().map(SamplerController::block).toList());
  }

  private static SamplerBlock block(Block b) {
    if (b.content() instanceof Block.Answer a) {
      String form = a.form().name().toLowerCase(Locale.ROOT);
      return new SamplerBlock(b.name(), b.title(), b.width(), form, a.kind(), a.unit(), "");
    }
    Block.Words words = (Block.Words) b.content();
    return new SamplerBlock(b.name(), b.title(), b.width(), "text", "", "", words.markdown());
  }

  @PutMapping("/{name}")
  SamplerDetail save(
      @PathVariable String name,
      @RequestBody SamplerText body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    return detail(
        samplers.save(name, body.text() == null ? "" : body.text(), person.name(), body.basedOn()));
  }

  /** Puts a block at the end of a page, or begins a page with it. */
  @PostMapping("/{name}/blocks")
  SamplerDetail keep(
      @PathVariable String name,
      @RequestBody BlockToKeep body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    return detail(
        samplers.keep(
            name,
            body.name() == null || body.name().isBlank() ? "block" : body.name(),
            body.content() == null ? Map.of() : body.content(),
            person.name()));
  }

  @DeleteMapping("/{name}")
  @ResponseStatus(HttpStatus.NO_CONTENT)
  void remove(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    documents.remove(DocumentStore.Kind.SAMPLER, name, person.name());
  }

  /** What is wrong with a text; no query is run. */
  @OnlyReads
  @PostMapping("/check")
  SamplerReport check(@RequestBody SamplerToCheck body) {
    SamplerDocument.Parsed parsed = samplers.check(body.text() == null ? "" : body.text());
    return new SamplerReport(
        parsed.name(),
        parsed.document().isPresent(),
        parsed.problems(),
        parsed.document().map(SamplerController::page));
  }

  /** What a block answers, or the values that can be chosen of a column. */
  @OnlyReads
  @PostMapping("/answer")
  SamplerAnswer answer(@RequestBody SamplerQuestion body) {
    SamplerDocument page = samplers.page(given(body.sampler()), given(body.text()));
    Chosen chosen = new Chosen(body.chosen() == null ? Map.of() : body.chosen().orElse(Map.of()));
    SamplerService.Answered a =
        given(body.column())
            .map(c -> samplers.values(page, c, chosen))
            .orElseGet(() -> samplers.answer(page, given(body.block()).orElse(""), chosen));
    return new SamplerAnswer(
        a.answer().rows(), a.asked().by(), a.asked().passed(), a.asked().sql(), a.answer().at());
  }

  private static Optional<String> given(Optional<String> text) {
    return text == null ? Optional.empty() : text;
  }
}
