package yardage.service.previews;

import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.function.BiFunction;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.exec.Executor;
import yardage.core.exec.StepFailedException;
import yardage.core.exec.StepTally;
import yardage.core.feed.FeedException;
import yardage.core.feed.KnownFiles;
import yardage.core.feed.Quarantine;
import yardage.core.insight.profile.ProfileSink;
import yardage.core.lake.LakeTable;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.pipeline.preview.BeforeAndAfter;
import yardage.core.pipeline.preview.Preview;
import yardage.core.pipeline.preview.PreviewRun;
import yardage.core.pipeline.preview.SourceChoice;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.pipeline.tests.TestMaker;
import yardage.core.plan.PlanNode;
import yardage.core.sql.SqlProblem;
import yardage.core.sql.SqlProblemException;
import yardage.core.task.TaskEndpoints;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.looks.LookDesk;
import yardage.service.pipelines.Drafts;
import yardage.service.query.QueryService;
import yardage.service.query.ShownRows;
import yardage.service.web.ApiException;

/** Shows what rows a step would give; nothing is written. */
@Service
class PreviewService {
  /** So many values of an expression are shown. */
  private static final int VALUES = 3;

  private static final Duration TEST_PATIENCE = Duration.ofSeconds(5);

  private final FeedService feeds;
  private final LakeService lake;
  private final Drafts drafts;
  private final LookDesk desk;
  private final SampleShelf samples;
  private final Clock clock;

  PreviewService(
      FeedService feeds,
      LakeService lake,
      Drafts drafts,
      LookDesk desk,
      SampleShelf samples,
      Clock clock) {
    this.feeds = feeds;
    this.lake = lake;
    this.drafts = drafts;
    this.desk = desk;
    this.samples = samples;
    this.clock = clock;
  }

  PreviewView preview(Drafts.Draft draft, Preview.Question question) {
    return look(
        "preview",
        draft,
        question,
        (check, setting) -> {
          long start = System.nanoTime();
          Preview preview = PreviewRun.of(check, setting, samples, question);
          return view(check, question, preview, millisSince(start));
        });
  }

  /**
   * A test's text of the first rows of each source and of what a step gives of them.
   *
   * @param choices of sources, by the steps that read them
   * @param most rows of each other source; of one that others look up in those that matter
   * @param name of the test
   */
  String test(
      Drafts.Draft draft, String step, Map<String, SourceChoice> choices, long most, String name) {
    Preview.Question question = Preview.Question.ofFew(step, most, choices);
    return look(
        "preview",
        draft,
        question,
        (check, setting) -> TestMaker.text(name, check, setting, samples, question, TEST_PATIENCE));
  }

  /**
   * The first values of expressions over the rows that come into a step.
   *
   * @throws ApiException when the step has no rows before it
   */
  List<PreviewRun.Answer> values(
      Drafts.Draft draft,
      String step,
      Map<String, SourceChoice> choices,
      List<String> expressions) {
    Drafts.Checked checked = drafts.check(draft);
    PipelineDocument document = checked.document();
    PipelineDocument.Step here = document.steps().get(step);
    if (here == null || here.inputs().isEmpty()) {
      throw here != null || document.unsound().contains(step)
          ? new ApiException(
              HttpStatus.UNPROCESSABLE_ENTITY,
              "no-rows",
              "No rows come into step [%s] that an expression could be asked over".formatted(step),
              "Say in the step whose rows it takes, as in from: rolls")
          : ApiException.notFound("step", step, document.stepNames());
    }
    Preview.Question question =
        new Preview.Question(
            here.inputs().get(0).text(), VALUES, Optional.empty(), false, false, choices);
    return look(
        "preview",
        checked,
        question,
        (check, setting) -> PreviewRun.values(check, setting, samples, question, expressions));
  }

  ProfileView profile(Drafts.Draft draft, Preview.Question question) {
    return look(
        "profile",
        draft,
        question,
        (check, setting) -> {
          long start = System.nanoTime();
          PreviewRun.Profiled found = PreviewRun.profile(check, setting, samples, question);
          return ProfileView.of(
              question.step(),
              found.profile(),
              found.sources().stream().map(Preview.SourceRead::words).toList(),
              found.notes(),
              millisSince(start));
        });
  }

  /** Of all rows of a table. */
  ProfileView profile(String name) {
    LakeTable table = QueryService.table(lake, name);
    return desk.look(
        "profile",
        name,
        context -> {
          long start = System.nanoTime();
          StepTally tally = new StepTally("profile", "read");
          int[] all = table.schema().ordinals();
          PlanNode plan = new TableRelation(table).read(all, List.of(), tally.step());
          ProfileSink sink = new ProfileSink(plan.schema(), tally, context);
          try {
            new Executor(context, TaskEndpoints.reading(lake.lake()), step -> tally)
                .run(plan, sink, tally.step());
          } catch (StepFailedException e) {
            throw new ApiException(
                HttpStatus.UNPROCESSABLE_ENTITY,
                "table",
                e.getMessage(),
                "Query fewer columns of it instead");
          }
          String words = "all %,d rows of %s".formatted(sink.profile().rows(), name);
          return ProfileView.of(
              name, sink.profile(), List.of(words), List.of(), millisSince(start));
        });
  }

  private static long millisSince(long startNanos) {
    return (System.nanoTime() - startNanos) / 1_000_000;
  }

  private <T> T look(
      String kind,
      Drafts.Draft draft,
      Preview.Question question,
      BiFunction<PipelineCheck, PipelineRun.Setting, T> work) {
    return look(kind, drafts.check(draft), question, work);
  }

  private <T> T look(
      String kind,
      Drafts.Checked checked,
      Preview.Question question,
      BiFunction<PipelineCheck, PipelineRun.Setting, T> work) {
    checkStep(checked, question.step());
    return desk.look(
        kind,
        "%s, %s".formatted(checked.document().name(), question.step()),
        context -> {
          try {
            return work.apply(
                checked.check(),
                new PipelineRun.Setting(
                    "preview",
                    clock.instant(),
                    lake.lake(),
                    checked.catalog(),
                    new AllFiles(),
                    Optional.empty(),
                    context,
                    line -> {}));
          } catch (SqlProblemException e) {
            throw wrongCondition(e.problem());
          } catch (IllegalArgumentException | FeedException e) {
            throw new ApiException(
                HttpStatus.UNPROCESSABLE_ENTITY,
                "wrong-choice",
                e.getMessage(),
                "Choose other rows of the source");
          } catch (RunFailedException e) {
            throw new ApiException(
                HttpStatus.UNPROCESSABLE_ENTITY,
                e.code(),
                e.step().isEmpty()
                    ? e.getMessage()
                    : "Step [%s]: %s".formatted(e.step(), e.getMessage()),
                "Mend what stops it, or look at a step before it");
          }
        });
  }

  private static ApiException wrongCondition(SqlProblem p) {
    return ApiException.invalidDocument(
        "condition",
        List.of(
            new Problem(
                Problem.Severity.ERROR,
                "wrong-sql",
                "",
                "",
                new Place(p.line(), p.column(), p.endLine(), p.endColumn()),
                p.message(),
                p.fix())));
  }

  /**
   * @throws ApiException when the step is not there, or something keeps it from giving rows
   */
  private static void checkStep(Drafts.Checked checked, String step) {
    PipelineDocument document = checked.document();
    if (!document.steps().containsKey(step)) {
      if (document.unsound().contains(step) || document.steps().isEmpty()) {
        throw ApiException.invalidDocument(document.name(), checked.check().problems());
      }
      throw ApiException.notFound("step", step, document.stepNames());
    }
    List<Problem> errors = checked.check().errorsUpTo(step);
    if (!errors.isEmpty()) {
      throw ApiException.invalidDocument(document.name(), errors);
    }
    checked.requireTables(PipelineCheck.behind(document, step));
  }

  private PreviewView view(
      PipelineCheck check, Preview.Question question, Preview preview, long millis) {
    PipelineDocument.Step step = check.document().steps().get(question.step());
    Optional<Schema> before =
        step.inputs().stream().findFirst().map(Located::text).map(check::schema);
    List<List<Object>> rows =
        Batch.rows(preview.rows()).stream().map(PreviewService::json).toList();
    return new PreviewView(
        step.name(),
        step.verb().word(),
        preview.schema().fields().stream()
            .map(f -> new PreviewView.RowColumn(f.name(), f.type().toString(), change(f, before)))
            .toList(),
        rows,
        preview.given(),
        known(preview.matching()),
        preview.sources().stream().allMatch(Preview.SourceRead::isWhole),
        before
            .map(b -> b.names().stream().filter(n -> preview.schema().indexOf(n) < 0).toList())
            .orElse(List.of()),
        preview.sources().stream().map(PreviewService::view).toList(),
        preview.account().stream().map(PreviewView.StepCounts::of).toList(),
        preview.comparison().map(PreviewService::view),
        preview.notes(),
        millis);
  }

  static Optional<Long> known(OptionalLong number) {
    return number.isPresent() ? Optional.of(number.getAsLong()) : Optional.empty();
  }

  private static List<Object> json(List<Object> row) {
    return row.stream().map(ShownRows::json).toList();
  }

  private static PreviewView.BeforeAfterView view(BeforeAndAfter c) {
    return new PreviewView.BeforeAfterView(
        c.before().fields().stream()
            .map(f -> new PreviewView.RowColumn(f.name(), f.type().toString(), "same"))
            .toList(),
        c.rows().stream()
            .map(
                r ->
                    new PreviewView.ComparedRow(
                        r.number(),
                        json(r.before()),
                        r.after().map(PreviewService::json),
                        r.changed(),
                        r.reason()))
            .toList(),
        c.words());
  }

  private static String change(Schema.Field field, Optional<Schema> before) {
    if (before.isEmpty()) {
      return "same";
    }
    int at = before.get().indexOf(field.name());
    return at < 0 ? "new" : before.get().field(at).type().equals(field.type()) ? "same" : "retyped";
  }

  private static PreviewView.SourceView view(Preview.SourceRead s) {
    return new PreviewView.SourceView(
        s.step(),
        s.kind(),
        s.name(),
        s.rows(),
        known(s.there()),
        s.looksUp(),
        s.choice().share(),
        s.choice().where(),
        s.words());
  }

  /** A preview is of all that is there, whatever was taken in before; but not of held files. */
  private final class AllFiles implements KnownFiles {
    @Override
    public Map<String, Known> of(String feed) {
      return Map.of();
    }

    @Override
    public Quarantine inQuarantine(String feed) {
      return feeds.quarantine(feed);
    }
  }
}
