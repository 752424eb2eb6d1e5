package yardage.service.previews;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import org.springframework.http.HttpStatus;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.pipeline.preview.Preview;
import yardage.core.pipeline.preview.PreviewRun;
import yardage.core.pipeline.preview.SourceChoice;
import yardage.service.pipelines.Drafts;
import yardage.service.query.ShownRows;
import yardage.service.web.ApiException;
import yardage.service.web.OnlyReads;

/** Rows of a step of a text that need not be kept. */
@RestController
class PreviewController {
  private static final int SHOWN = 100;
  private static final long GIVEN = 5;
  private static final int MOST_SHOWN = 10_000;

  private static final int MOST_EXPRESSIONS = 1_000;

  private final PreviewService previews;

  PreviewController(PreviewService previews) {
    this.previews = previews;
  }

  /**
   * What is read of a source; see {@link SourceChoice}.
   *
   * @param share of 1
   */
  record SourceAmount(
      Optional<Long> rows,
      Optional<Double> share,
      Optional<String> files,
      Optional<String> where) {}

  /**
   * @param together the texts of other pipelines, which need not be kept
   * @param rows how many are shown; 100 without it
   * @param where a condition that the shown rows meet, over the step's columns
   * @param whole whether sources are read whole, as they are for a condition; otherwise the first
   *     1,000 rows of each, and 100,000 of one that others only look up in
   * @param compared whether the rows are held against those before the step
   * @param sources what is read of some of them, by the steps that read them
   */
  record StepPreviewRequest(
      String text,
      Optional<List<String>> together,
      String step,
      Optional<Integer> rows,
      Optional<String> where,
      Optional<Boolean> whole,
      Optional<Boolean> compared,
      Optional<Map<String, SourceAmount>> sources,
      Optional<Map<String, String>> parameters) {}

  /**
   * @param whole whether sources are read whole; otherwise the first 100,000 rows of each
   * @param sources what is read of some of them, by the steps that read them
   */
  record StepProfileRequest(
      String text,
      Optional<List<String>> together,
      String step,
      Optional<Boolean> whole,
      Optional<Map<String, SourceAmount>> sources,
      Optional<Map<String, String>> parameters) {}

  /** What the columns of a step hold. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/profile")
  ProfileView profile(@RequestBody StepProfileRequest body) {
    return previews.profile(
        draft(body.text(), body.together(), body.parameters()),
        Preview.Question.ofProfile(
            body.step() == null ? "" : body.step(),
            or(body.whole(), false),
            choices(body.sources())));
  }

  /**
   * @param name of the test
   * @param rows of each source that are given; 5 without it; of one that others look up in those
   *     that matter
   */
  record TestToMake(
      String text,
      String step,
      String name,
      Optional<Long> rows,
      Optional<Map<String, SourceAmount>> sources,
      Optional<Map<String, String>> parameters) {}

  record MadeTest(String text) {}

  /** A test's text of rows as they are now: given those of sources, expected those of the step. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/preview/test")
  MadeTest test(@RequestBody TestToMake body) {
    String step = body.step() == null ? "" : body.step();
    return new MadeTest(
        previews.test(
            draft(body.text(), Optional.empty(), body.parameters()),
            step,
            choices(body.sources()),
            or(body.rows(), GIVEN),
            body.name() == null || body.name().isBlank() ? "my-test" : body.name()));
  }

  /** What the columns of a table hold, over all its rows. */
  @GetMapping("/api/v1/tables/{name}/profile")
  ProfileView profile(@PathVariable String name) {
    return previews.profile(name);
  }

  /** Rows of a step. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/preview")
  PreviewView preview(@RequestBody StepPreviewRequest body) {
    String step = body.step() == null ? "" : body.step();
    int rows = or(body.rows(), SHOWN);
    if (rows < 0 || rows > MOST_SHOWN) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "wrong-value",
          "A preview shows 0 to %,d rows, not %,d".formatted(MOST_SHOWN, rows),
          "Ask for fewer rows, or query the table that a run writes");
    }
    Optional<String> where =
        body.where() == null ? Optional.empty() : body.where().filter(w -> !w.isBlank());
    return previews.preview(
        draft(body.text(), body.together(), body.parameters()),
        new Preview.Question(
            step,
            rows,
            where,
            // Among the first rows, those that somebody looks for are seldom found.
            or(body.whole(), where.isPresent()),
            or(body.compared(), false),
            choices(body.sources())));
  }

  /**
   * @param step whose form the expressions stand in: they are asked over the rows of its first
   *     input
   * @param sources what is read of some of them, by the steps that read them
   */
  record ExpressionsRequest(
      String text,
      Optional<List<String>> together,
      String step,
      List<String> expressions,
      Optional<Map<String, SourceAmount>> sources,
      Optional<Map<String, String>> parameters) {}

  /**
   * What an expression gives.
   *
   * @param type of its values
   * @param first of its values, as in the rows of a query
   * @param count how many it gives of the rows read: one where it aggregates
   * @param holds how many of them are true, of a condition
   * @param refused why it is none over these columns
   * @param failed what went wrong at one of the rows
   */
  record ExpressionView(
      Optional<String> type,
      List<Object> first,
      long count,
      Optional<Long> holds,
      Optional<String> refused,
      Optional<String> failed) {
    static ExpressionView of(PreviewRun.Answer answer) {
      if (answer instanceof PreviewRun.Answer.Values v) {
        return new ExpressionView(
            Optional.of(v.type().toString()),
            v.first().stream().map(ShownRows::json).toList(),
            v.count(),
            PreviewService.known(v.holds()),
            Optional.empty(),
            Optional.empty());
      }
      return answer instanceof PreviewRun.Answer.Refused r
          ? none(Optional.of(r.message()), Optional.empty())
          : none(Optional.empty(), Optional.of(((PreviewRun.Answer.Failed) answer).message()));
    }

    private static ExpressionView none(Optional<String> refused, Optional<String> failed) {
      return new ExpressionView(Optional.empty(), List.of(), 0, Optional.empty(), refused, failed);
    }
  }

  /** The values of expressions over the rows that come into a step, in their order. */
  @OnlyReads
  @PostMapping("/api/v1/pipelines/preview/values")
  List<ExpressionView> values(@RequestBody ExpressionsRequest body) {
    List<String> asked = body.expressions() == null ? List.of() : body.expressions();
    if (asked.size() > MOST_EXPRESSIONS) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "wrong-value",
          "%,d expressions are asked about; %,d at once are answered"
              .formatted(asked.size(), MOST_EXPRESSIONS),
          "Ask in several calls");
    }
    return previews
        .values(
            draft(body.text(), body.together(), body.parameters()),
            body.step() == null ? "" : body.step(),
            choices(body.sources()),
            asked)
        .stream()
        .map(ExpressionView::of)
        .toList();
  }

  private static Drafts.Draft draft(
      String text, Optional<List<String>> together, Optional<Map<String, String>> parameters) {
    return new Drafts.Draft(
        text == null ? "" : text, or(together, List.of()), or(parameters, Map.of()));
  }

  private static Map<String, SourceChoice> choices(Optional<Map<String, SourceAmount>> asked) {
    Map<String, SourceChoice> out = new HashMap<>();
    or(asked, Map.<String, SourceAmount>of()).forEach((s, c) -> out.put(s, choice(s, c)));
    return out;
  }

  private static SourceChoice choice(String step, SourceAmount c) {
    try {
      Optional<Long> rows = c.rows() == null ? Optional.empty() : c.rows();
      return new SourceChoice(
          rows.map(OptionalLong::of).orElse(OptionalLong.empty()),
          c.share() == null ? Optional.empty() : c.share(),
          c.files() == null ? Optional.empty() : c.files().filter(f -> !f.isBlank()),
          c.where() == null ? Optional.empty() : c.where().filter(w -> !w.isBlank()));
    } catch (IllegalArgumentException e) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "wrong-value",
          "Source [%s]: %s".formatted(step, e.getMessage()),
          "Choose another number");
    }
  }

  private static <T> T or(Optional<T> value, T otherwise) {
    return value == null ? otherwise : value.orElse(otherwise);
  }
}
