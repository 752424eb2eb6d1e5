package yardage.service.tests;

import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.exec.ExecutionContext;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.PlannedTables;
import yardage.core.pipeline.tests.TestDocument;
import yardage.core.pipeline.tests.TestResult;
import yardage.core.pipeline.tests.TestRun;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.feeds.CatalogOfNow;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.looks.LookDesk;
import yardage.service.web.ApiException;

/** Keeps tests of pipelines, and runs them. */
@Service
public class KeptTests {
  private final DocumentStore documents;
  private final FeedService feeds;
  private final LakeService lake;
  private final LookDesk desk;
  private final Clock clock;

  KeptTests(
      DocumentStore documents, FeedService feeds, LakeService lake, LookDesk desk, Clock clock) {
    this.documents = documents;
    this.feeds = feeds;
    this.lake = lake;
    this.desk = desk;
    this.clock = clock;
  }

  /** A test that is kept, with what its text says. */
  record Kept(StoredDocument document, TestDocument test) {}

  /** The kept tests, of one pipeline or of all. */
  List<Kept> kept(Optional<String> pipeline) {
    List<Kept> out = new ArrayList<>();
    for (StoredDocument d : documents.latest(DocumentStore.Kind.TEST)) {
      TestDocument.parse(d.text())
          .test()
          .filter(t -> pipeline.isEmpty() || pipeline.get().equals(t.of()))
          .ifPresent(t -> out.add(new Kept(d, t)));
    }
    return out;
  }

  /**
   * @throws ApiException when the text is no test, or its pipeline is not there
   */
  StoredDocument save(String name, String text, String by, Optional<Integer> basedOn) {
    TestDocument.Parsed parsed = TestDocument.parse(text);
    if (parsed.test().isEmpty()) {
      throw ApiException.invalidDocument(name, parsed.problems());
    }
    ApiException.checkOwnName(parsed.name(), name);
    documents.require(DocumentStore.Kind.PIPELINE, parsed.test().get().of());
    return documents.save(DocumentStore.Kind.TEST, name, text, by, basedOn);
  }

  /**
   * Runs a test that need not be kept.
   *
   * @param pipeline the text to run it against; without one the pipeline as it is kept
   */
  TestResult run(String text, Optional<String> pipeline) {
    TestDocument.Parsed parsed = TestDocument.parse(text);
    return parsed
        .test()
        .map(t -> run(List.of(t), pipeline).get(0))
        .orElseGet(
            () ->
                new TestResult(
                    parsed.name(), "", parsed.problems(), Optional.empty(), List.of(), 0));
  }

  /** Runs all kept tests of a pipeline against a text of it. */
  public List<TestResult> runAll(String pipeline, String text) {
    return run(kept(Optional.of(pipeline)).stream().map(Kept::test).toList(), Optional.of(text));
  }

  List<TestResult> run(List<TestDocument> tests, Optional<String> pipeline) {
    if (tests.isEmpty()) {
      return List.of();
    }
    return desk.look(
        "test",
        tests.size() == 1 ? tests.get(0).name() : "%,d tests".formatted(tests.size()),
        context -> tests.stream().map(t -> run(t, pipeline, context)).toList());
  }

  private TestResult run(TestDocument test, Optional<String> pipeline, ExecutionContext context) {
    String text =
        pipeline.orElseGet(() -> documents.require(DocumentStore.Kind.PIPELINE, test.of()).text());
    Catalog now =
        new PlannedTables(
            CatalogOfNow.of(feeds, lake),
            test.of(),
            () -> documents.texts(DocumentStore.Kind.PIPELINE));
    return TestRun.of(test, text, now, lake.lake(), context, clock.instant());
  }

  /**
   * @throws ApiException naming the first test of a pipeline that does not pass with a text of it
   */
  public void requirePassed(String pipeline, String text) {
    List<TestResult> failed = runAll(pipeline, text).stream().filter(r -> !r.passed()).toList();
    if (!failed.isEmpty()) {
      TestResult first = failed.get(0);
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "tests-failed",
          "%s of [%s] does not pass, so it is not kept as it is: %s"
              .formatted(
                  failed.size() == 1
                      ? "Test [%s]".formatted(first.test())
                      : "Test [%s], and %d more,".formatted(first.test(), failed.size() - 1),
                  pipeline,
                  why(first)),
          "See all with: yardage pipeline test run --of %s --pipeline FILE".formatted(pipeline));
    }
  }

  private static String why(TestResult r) {
    if (!r.problems().isEmpty()) {
      return r.problems().get(0).message();
    }
    return r.failure()
        .orElseGet(
            () ->
                r.outcomes().stream()
                    .filter(o -> !o.passed())
                    .map(o -> "step [%s] gave %s".formatted(o.step(), o.words()))
                    .findFirst()
                    .orElse(""));
  }
}
