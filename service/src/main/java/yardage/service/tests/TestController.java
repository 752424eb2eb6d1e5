package yardage.service.tests;

import io.swagger.v3.oas.annotations.Parameter;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
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
import yardage.core.pipeline.tests.TestDocument;
import yardage.core.pipeline.tests.TestResult;
import yardage.service.access.AccessService;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.web.OnlyReads;

/** Tests of pipelines: the list, one of them, saving, running. */
@RestController
@RequestMapping("/api/v1/tests")
class TestController {
  private final KeptTests tests;
  private final DocumentStore documents;

  TestController(KeptTests tests, DocumentStore documents) {
    this.tests = tests;
    this.documents = documents;
  }

  record TestSummary(
      String name,
      String of,
      String about,
      int version,
      Instant savedAt,
      String savedBy,
      List<String> expects) {}

  record TestText(String text, Optional<Integer> basedOn) {}

  /**
   * @param texts tests that need not be kept
   * @param of without texts, the kept tests of this pipeline; without it all
   * @param pipeline the text to run them against; without it the pipeline as it is kept
   */
  record TestsToRun(Optional<List<String>> texts, Optional<String> of, Optional<String> pipeline) {}

  /** What came of a test; see {@link TestResult}. */
  record TestOutcome(
      String test,
      String pipeline,
      boolean passed,
      List<Problem> problems,
      Optional<String> failure,
      List<StepOutcome> outcomes,
      long elapsedMillis) {
    static TestOutcome of(TestResult r) {
      return new TestOutcome(
          r.test(),
          r.pipeline(),
          r.passed(),
          r.problems(),
          r.failure(),
          r.outcomes().stream()
              .map(
                  o ->
                      new StepOutcome(
                          o.step(),
                          o.passed(),
                          o.words(),
                          o.columns(),
                          plain(o.missing()),
                          plain(o.surplus())))
              .toList(),
          r.elapsedMillis());
    }

    private static List<List<String>> plain(List<List<Optional<String>>> rows) {
      List<List<String>> out = new ArrayList<>();
      for (List<Optional<String>> row : rows) {
        List<String> values = new ArrayList<>();
        row.forEach(v -> values.add(v.orElse(null)));
        out.add(values);
      }
      return out;
    }
  }

  /**
   * What a step gave.
   *
   * @param missing expected rows that did not come; a null is null
   * @param surplus rows that came and were not expected
   */
  record StepOutcome(
      String step,
      boolean passed,
      String words,
      List<String> columns,
      List<List<String>> missing,
      List<List<String>> surplus) {}

  @GetMapping
  List<TestSummary> list(@RequestParam Optional<String> of) {
    return tests.kept(of).stream().map(TestController::summary).toList();
  }

  private static TestSummary summary(KeptTests.Kept k) {
    return new TestSummary(
        k.document().name(),
        k.test().of(),
        k.test().about(),
        k.document().version(),
        k.document().savedAt(),
        k.document().savedBy(),
        k.test().expect().keySet().stream().map(t -> t.text()).toList());
  }

  @GetMapping("/{name}")
  TestText one(@PathVariable String name) {
    StoredDocument d = documents.require(DocumentStore.Kind.TEST, name);
    return new TestText(d.text(), Optional.of(d.version()));
  }

  @PutMapping("/{name}")
  TestSummary save(
      @PathVariable String name,
      @Parameter(hidden = true) @RequestAttribute("yardage.person") AccessService.Person person,
      @RequestBody TestText body) {
    StoredDocument saved =
        tests.save(name, body.text() == null ? "" : body.text(), person.name(), body.basedOn());
    TestDocument test = TestDocument.parse(saved.text()).test().orElseThrow();
    return summary(new KeptTests.Kept(saved, test));
  }

  /** Runs tests in isolation: no file and no table is read. */
  @OnlyReads
  @PostMapping("/run")
  List<TestOutcome> run(@RequestBody TestsToRun body) {
    Optional<String> pipeline = or(body.pipeline());
    if (body.texts() != null && body.texts().isPresent()) {
      return body.texts().get().stream().map(t -> TestOutcome.of(tests.run(t, pipeline))).toList();
    }
    return tests
        .run(tests.kept(or(body.of())).stream().map(KeptTests.Kept::test).toList(), pipeline)
        .stream()
        .map(TestOutcome::of)
        .toList();
  }

  private static Optional<String> or(Optional<String> text) {
    return text == null ? Optional.empty() : text;
  }
}
