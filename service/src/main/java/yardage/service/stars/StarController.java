package yardage.service.stars;

import io.swagger.v3.oas.annotations.Parameter;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestAttribute;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Problem;
import yardage.core.document.YamlEdit;
import yardage.core.star.model.Hierarchies;
import yardage.core.star.model.StarCheck;
import yardage.core.star.model.StarModel;
import yardage.core.star.model.StarSteps;
import yardage.core.star.model.StarTables;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.query.QueryService;
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;

/** Stars: the list, one of them, checking, saving. */
@RestController
@RequestMapping("/api/v1/stars")
class StarController {
  private final DocumentStore documents;
  private final QueryService queries;

  StarController(DocumentStore documents, QueryService queries) {
    this.documents = documents;
    this.queries = queries;
  }

  record StarSummary(
      String name,
      String about,
      int version,
      Instant savedAt,
      String savedBy,
      List<String> facts,
      List<String> dimensions,
      int measures) {}

  /** A measure of a fact, and how it adds up. */
  record MeasureView(String name, String formula, String adds, String about) {}

  record FactView(
      String name,
      String table,
      List<String> grain,
      Map<String, String> keys,
      List<MeasureView> measures) {}

  /**
   * A dimension.
   *
   * @param hierarchies columns from the whole to its parts, by name
   */
  record DimensionView(
      String name, String table, String key, boolean time, Map<String, List<String>> hierarchies) {}

  record StarDetail(
      StarSummary summary,
      String text,
      List<FactView> facts,
      List<DimensionView> dimensions,
      List<Problem> problems) {}

  /** A hierarchy that somebody confirms: columns from the whole to its parts. */
  record HierarchyToKeep(String dimension, String name, List<String> levels) {}

  record StarText(String text, Optional<Integer> basedOn) {}

  /** What was found; see {@link StarCheck}. */
  record StarReport(
      boolean sound, String name, List<Problem> problems, List<StarCheck.KeyReport> keys) {}

  @GetMapping
  List<StarSummary> list() {
    return documents.latest(DocumentStore.Kind.STAR).stream().map(StarController::summary).toList();
  }

  private static StarSummary summary(StoredDocument d) {
    Optional<StarModel> model = StarModel.parse(d.text()).model();
    return new StarSummary(
        d.name(),
        model.map(StarModel::about).orElse(""),
        d.version(),
        d.savedAt(),
        d.savedBy(),
        model.map(m -> List.copyOf(m.facts().keySet())).orElse(List.of()),
        model.map(m -> List.copyOf(m.dimensions().keySet())).orElse(List.of()),
        model
            .map(m -> m.facts().values().stream().mapToInt(f -> f.measures().size()).sum())
            .orElse(0));
  }

  @GetMapping("/{name}")
  StarDetail detail(@PathVariable String name) {
    StoredDocument d = documents.require(DocumentStore.Kind.STAR, name);
    StarModel.Parsed parsed = StarModel.parse(d.text());
    return new StarDetail(
        summary(d),
        d.text(),
        parsed.model().map(StarController::facts).orElse(List.of()),
        parsed
            .model()
            .map(m -> m.dimensions().values().stream().map(StarController::dimension).toList())
            .orElse(List.of()),
        report(parsed, false).problems());
  }

  private static DimensionView dimension(StarModel.Dimension d) {
    Map<String, List<String>> hierarchies = new LinkedHashMap<>();
    d.hierarchies()
        .forEach((n, levels) -> hierarchies.put(n, levels.stream().map(TextValue::text).toList()));
    return new DimensionView(d.name(), d.table().toString(), d.key().text(), d.time(), hierarchies);
  }

  private static List<FactView> facts(StarModel model) {
    return model.facts().values().stream()
        .map(
            f -> {
              Map<String, String> keys = new LinkedHashMap<>();
              f.keys().forEach((k, v) -> keys.put(k.text(), v.text()));
              return new FactView(
                  f.name(),
                  f.table().toString(),
                  f.grain().stream().map(TextValue::text).toList(),
                  keys,
                  f.measures().values().stream()
                      .map(
                          m ->
                              new MeasureView(
                                  m.name().text(),
                                  m.formula().text(),
                                  m.adds().name().toLowerCase(Locale.ROOT).replace('_', '-'),
                                  m.about()))
                      .toList());
            })
        .toList();
  }

  /** Keeps a star whose tables and columns are there; its rows are looked at by the check. */
  @PutMapping("/{name}")
  StarDetail save(
      @PathVariable String name,
      @RequestBody StarText body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    StarReport report = report(body.text(), false);
    if (!report.sound()) {
      throw ApiException.invalidDocument(name, report.problems());
    }
    ApiException.checkOwnName(report.name(), name);
    documents.save(DocumentStore.Kind.STAR, name, body.text(), person.name(), body.basedOn());
    return detail(name);
  }

  /** Steps of a pipeline as text, whose last gives the rows of a fact with its dimensions. */
  record StarRows(String steps) {}

  /** What reads a fact and its dimensions in a pipeline. */
  @GetMapping("/{name}/facts/{fact}/steps")
  StarRows steps(@PathVariable String name, @PathVariable String fact) {
    StarModel star = parsed(documents.require(DocumentStore.Kind.STAR, name));
    StarModel.Fact found =
        Optional.ofNullable(star.facts().get(fact))
            .orElseThrow(
                () -> ApiException.notFound("fact", fact, List.copyOf(star.facts().keySet())));
    try {
      return new StarRows(StarSteps.of(star, found, queries.tables()));
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "not-there-yet",
          e.getMessage(),
          "Run the pipeline that writes it first");
    }
  }

  /**
   * Hierarchies that the rows of the dimensions have and the document does not name yet: columns
   * each of whose values stands under one value of another. They are proposals.
   */
  @GetMapping("/{name}/hierarchies")
  List<Hierarchies.Found> hierarchies(@PathVariable String name) {
    StarTables tables = queries.tables();
    return parsed(documents.require(DocumentStore.Kind.STAR, name)).dimensions().values().stream()
        .flatMap(
            d ->
                tables.table(d.table()).stream()
                    .flatMap(t -> Hierarchies.of(d, t.schema(), tables).stream()))
        .toList();
  }

  /** Puts a hierarchy into the document, which becomes its next version. */
  @PostMapping("/{name}/hierarchies")
  StarDetail keep(
      @PathVariable String name,
      @RequestBody HierarchyToKeep body,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person) {
    StoredDocument now = documents.require(DocumentStore.Kind.STAR, name);
    String dimension = body.dimension() == null ? "" : body.dimension();
    Map<String, StarModel.Dimension> all = parsed(now).dimensions();
    if (!all.containsKey(dimension)) {
      throw ApiException.notFound("dimension", dimension, List.copyOf(all.keySet()));
    }
    List<String> levels = body.levels() == null ? List.of() : body.levels();
    List<String> path =
        List.of("dimensions", dimension, "hierarchies", body.name() == null ? "" : body.name());
    try {
      String text = YamlEdit.set(now.text(), path, YamlEdit.plain(levels));
      return save(name, new StarText(text, Optional.of(now.version())), person);
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "cannot-edit",
          e.getMessage(),
          "Write it into the document: dimensions: {%s: {hierarchies: {a_name: [%s]}}}"
              .formatted(dimension, String.join(", ", levels)));
    }
  }

  private static StarModel parsed(StoredDocument d) {
    StarModel.Parsed parsed = StarModel.parse(d.text());
    return parsed
        .model()
        .orElseThrow(() -> ApiException.invalidDocument(d.name(), parsed.problems()));
  }

  /** Holds a star against the columns and rows of its tables. */
  @OnlyReads
  @PostMapping("/check")
  StarReport check(@RequestBody StarText body) {
    return report(body.text(), true);
  }

  private StarReport report(String text, boolean rows) {
    return report(StarModel.parse(text == null ? "" : text), rows);
  }

  private StarReport report(StarModel.Parsed parsed, boolean rows) {
    if (parsed.model().isEmpty()) {
      return new StarReport(false, parsed.name(), parsed.problems(), List.of());
    }
    StarCheck.Report r = StarCheck.of(parsed.model().get(), queries.tables(), rows);
    return new StarReport(r.isSound(), parsed.name(), r.problems(), r.keys());
  }
}
