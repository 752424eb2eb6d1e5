package yardage.service.pipelines;

import io.swagger.v3.oas.annotations.Parameter;
import java.time.Instant;
import java.util.List;
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
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.pipeline.compile.ColumnLineage;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.schedule.Schedule;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.runs.RunService;
import yardage.service.runs.RunView;
import yardage.service.schedules.ScheduleService;
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;

/** Pipelines: the list, one of them, checking, saving, and asking for a run. */
@RestController
@RequestMapping("/api/v1/pipelines")
class PipelineController {
  private final PipelineService pipelines;
  private final DocumentStore documents;
  private final RunService runs;
  private final ScheduleService schedules;

  PipelineController(
      PipelineService pipelines,
      DocumentStore documents,
      RunService runs,
      ScheduleService schedules) {
    this.pipelines = pipelines;
    this.documents = documents;
    this.runs = runs;
    this.schedules = schedules;
  }

  record PipelineSummary(
      String name,
      String about,
      int version,
      Instant savedAt,
      String savedBy,
      int steps,
      Optional<String> schedule,
      Optional<String> paused,
      Optional<Instant> nextRunAt,
      Optional<RunView.RunSummary> lastRun) {}

  record StepColumn(String name, String type) {}

  record StepView(
      String name,
      String verb,
      String detail,
      List<String> from,
      Optional<String> with,
      Place place,
      List<StepColumn> columns) {}

  record PipelineVersion(int version, String savedBy, Instant savedAt) {}

  record PipelineDetail(
      PipelineSummary summary,
      String text,
      List<StepView> steps,
      List<Problem> problems,
      List<PipelineVersion> versions,
      Optional<RunView.RunDetail> lastWholeRun) {}

  /**
   * @param together the texts of other pipelines, which need not be kept
   */
  record PipelineToCheck(String text, Optional<List<String>> together) {}

  record PipelineText(String text, Optional<Integer> basedOn) {}

  /** What a write is expected to make; see {@link yardage.core.pipeline.compile.WriteForecast}. */
  record ForecastView(
      String step,
      String table,
      int runs,
      long partitions,
      long files,
      long fileBytes,
      long targetBytes,
      String words) {}

  record CheckResult(
      boolean sound,
      String name,
      List<Problem> problems,
      List<StepView> steps,
      List<ForecastView> forecasts,
      List<LostColumns> lost) {}

  /** The columns of its input that an aggregate neither groups by nor reads. */
  record LostColumns(String step, List<String> columns) {}

  record RunRequest(Optional<Map<String, String>> parameters) {}

  @GetMapping
  List<PipelineSummary> list() {
    return documents.latest(DocumentStore.Kind.PIPELINE).stream().map(this::summary).toList();
  }

  private PipelineSummary summary(StoredDocument d) {
    PipelineDocument p = PipelineDocument.parse(d.text());
    Optional<Schedule> schedule = p.schedule();
    return new PipelineSummary(
        d.name(),
        p.about(),
        d.version(),
        d.savedAt(),
        d.savedBy(),
        p.stepNames().size(),
        schedule.map(s -> s.cron().text() + " " + s.zone()),
        runs.paused(d.name(), p),
        schedules.nextAt(d.name()),
        runs.latestOf(d.name()));
  }

  @GetMapping("/{name}")
  PipelineDetail detail(@PathVariable String name) {
    return detail(documents.require(DocumentStore.Kind.PIPELINE, name));
  }

  private PipelineDetail detail(StoredDocument d) {
    PipelineCheck check = pipelines.check(d.text());
    List<PipelineVersion> versions =
        documents.versions(DocumentStore.Kind.PIPELINE, d.name()).stream()
            .map(v -> new PipelineVersion(v.version(), v.savedBy(), v.savedAt()))
            .toList();
    return new PipelineDetail(
        summary(d),
        d.text(),
        steps(check),
        check.problems(),
        versions,
        runs.latestSuccessOf(d.name()));
  }

  @GetMapping("/{name}/versions/{version}")
  PipelineText version(@PathVariable String name, @PathVariable int version) {
    StoredDocument d =
        documents
            .find(DocumentStore.Kind.PIPELINE, name, version)
            .orElseThrow(
                () ->
                    ApiException.notFound("version of pipeline " + name, String.valueOf(version)));
    return new PipelineText(d.text(), Optional.of(d.version()));
  }

  /** Says all that is wrong with a text; it may read tables that only others here will write. */
  @OnlyReads
  @PostMapping("/check")
  CheckResult check(@RequestBody PipelineToCheck body) {
    return result(
        pipelines.check(
            body.text() == null ? "" : body.text(),
            body.together() == null ? List.of() : body.together().orElse(List.of())));
  }

  private static CheckResult result(PipelineCheck check) {
    return new CheckResult(
        !check.hasErrors(),
        check.document().name(),
        check.problems(),
        steps(check),
        check.forecasts().stream()
            .map(
                f ->
                    new ForecastView(
                        f.step(),
                        f.table(),
                        f.runs(),
                        f.partitions(),
                        f.files(),
                        f.fileBytes(),
                        f.targetBytes(),
                        f.words()))
            .toList(),
        check.hasErrors()
            ? List.of()
            : ColumnLineage.of(check).lost().entrySet().stream()
                .map(e -> new LostColumns(e.getKey(), e.getValue()))
                .toList());
  }

  static List<StepView> steps(PipelineCheck check) {
    return check.steps().stream()
        .map(
            s ->
                new StepView(
                    s.name(),
                    s.verb(),
                    s.detail(),
                    s.from(),
                    s.with(),
                    s.place(),
                    s.schema()
                        .map(
                            x ->
                                x.fields().stream()
                                    .map(f -> new StepColumn(f.name(), f.type().toString()))
                                    .toList())
                        .orElse(List.of())))
        .toList();
  }

  @PutMapping("/{name}")
  PipelineDetail save(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody PipelineText body) {
    return detail(
        pipelines.save(
            name, body.text() == null ? "" : body.text(), person.name(), body.basedOn()));
  }

  @PostMapping("/{name}/runs")
  @ResponseStatus(HttpStatus.CREATED)
  RunView.RunSummary run(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody(required = false) RunRequest body) {
    Map<String, String> parameters = body == null ? Map.of() : body.parameters().orElse(Map.of());
    return runs.request(name, parameters, person.name());
  }
}
