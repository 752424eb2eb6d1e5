package yardage.core.pipeline.preview;

import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.function.Function;
import java.util.function.UnaryOperator;
import org.apache.calcite.rel.RelNode;
import yardage.core.column.Batch;
import yardage.core.column.Type;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.exec.Tally;
import yardage.core.insight.profile.Profile;
import yardage.core.insight.profile.ProfileSink;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailures;
import yardage.core.pipeline.run.RunPlan;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Columns;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.sql.SqlProblemException;
import yardage.core.task.TaskEndpoints;

/** Answers what rows a step would give. */
public final class PreviewRun implements AutoCloseable {
  private static final String OVER = "step";

  private final PipelineCheck check;
  private final PipelineRun.Setting setting;
  private final Preview.Question question;
  private final PreviewSources sources;
  private final TaskEndpoints endpoints;
  private final Map<String, StepTally> tallies = new LinkedHashMap<>();
  private final StepTally untold = new StepTally(PlanNode.UNTOLD, "");
  private final Set<String> notes = new LinkedHashSet<>();

  private PreviewRun(
      PipelineCheck check,
      PipelineRun.Setting setting,
      Samples samples,
      Preview.Question question,
      TaskEndpoints endpoints) {
    this.check = check;
    this.setting = setting;
    this.question = question;
    this.endpoints = endpoints;
    List<PipelineDocument.Step> behind = inOrder();
    behind.forEach(s -> tallies.put(s.name(), new StepTally(s.name(), s.verb().word())));
    this.sources = new PreviewSources(check, setting, question, behind, samples);
  }

  @Override
  public void close() {
    sources.close();
  }

  /**
   * Rows of a step.
   *
   * @param check in which nothing keeps the step from giving rows
   * @throws IllegalArgumentException when a choice is for no step that reads, or of a kind that its
   *     source does not have
   * @throws SqlProblemException when a condition is none
   * @throws yardage.core.pipeline.run.RunFailedException saying what stopped it and where
   */
  public static Preview of(
      PipelineCheck check,
      PipelineRun.Setting setting,
      Samples samples,
      Preview.Question question) {
    return with(check, setting, samples, question, PreviewRun::preview);
  }

  /**
   * What a step's rows hold.
   *
   * @param sources what was read
   * @param notes what is not among the rows
   */
  public record Profiled(Profile profile, List<Preview.SourceRead> sources, List<String> notes) {}

  /** A profile of a step's rows; see {@link #of} for what can go wrong. */
  public static Profiled profile(
      PipelineCheck check,
      PipelineRun.Setting setting,
      Samples samples,
      Preview.Question question) {
    return with(check, setting, samples, question, PreviewRun::profile);
  }

  /** What an expression gives over a step's rows, or why it gives nothing. */
  public sealed interface Answer {
    /**
     * @param first of its values, boxed; nulls among them
     * @param count how many it gives of what was read
     * @param holds how many of them are true, of a condition
     */
    record Values(Type type, List<Object> first, long count, OptionalLong holds)
        implements Answer {}

    /** It is none over these columns; the step itself may have made others before it looks. */
    record Refused(String message) implements Answer {}

    /** It fails at one of the rows. */
    record Failed(String message) implements Answer {}
  }

  /**
   * The first values of expressions over the columns of a step, in their order; see {@link #of} for
   * what can go wrong with its rows.
   *
   * @param question of whose rows as many values are given
   */
  public static List<Answer> values(
      PipelineCheck check,
      PipelineRun.Setting setting,
      Samples samples,
      Preview.Question question,
      List<String> expressions) {
    return with(check, setting, samples, question, run -> run.values(expressions));
  }

  private static <T> T with(
      PipelineCheck check,
      PipelineRun.Setting setting,
      Samples samples,
      Preview.Question question,
      Function<PreviewRun, T> answer) {
    if (!check.errorsUpTo(question.step()).isEmpty()) {
      throw new IllegalArgumentException("A step with errors gives no rows");
    }
    TaskEndpoints endpoints = TaskEndpoints.reading(setting.lake());
    try (PreviewRun run = new PreviewRun(check, setting, samples, question, endpoints)) {
      return answer.apply(run);
    } catch (IllegalArgumentException | SqlProblemException e) {
      throw e;
    } catch (Exception | OutOfMemoryError e) {
      throw RunFailures.of(e);
    } finally {
      endpoints.close();
    }
  }

  private Preview preview() {
    UnaryOperator<RelNode> matching = matching();
    Map<String, Relation> given = sources.given(notes);
    PlanNode asked =
        RunPlan.upTo(question.step(), check, setting, given, notes::add)
            .asked(question.step(), matching);
    PlanNode first = new PlanNode.Sort(asked, List.of(), 0, question.rows(), PlanNode.UNTOLD);
    List<Batch> rows = executor().collect(first, PlanNode.UNTOLD);
    Optional<BeforeAndAfter> comparison = question.compared() ? compared(given) : Optional.empty();
    long gives = tallies.get(question.step()).snapshot().rowsOut();
    List<Preview.SourceRead> read = sources.read(tallies, endpoints.reports(), notes);
    return new Preview(
        check.schema(question.step()),
        rows,
        gives,
        question.where().isPresent()
            ? OptionalLong.of(gives - untold.snapshot().filtered())
            : OptionalLong.empty(),
        read,
        tallies.values().stream().map(StepTally::snapshot).toList(),
        comparison,
        List.copyOf(notes));
  }

  private List<Answer> values(List<String> expressions) {
    Map<String, Relation> given = sources.given(notes);
    return new ExpressionValues(
            check,
            check.schema(question.step()),
            question.rows(),
            of ->
                executor()
                    .collect(
                        RunPlan.upTo(question.step(), check, setting, given, notes::add)
                            .asked(question.step(), of),
                        PlanNode.UNTOLD))
        .of(expressions);
  }

  private Profiled profile() {
    Map<String, Relation> given = sources.given(notes);
    PlanNode plan =
        RunPlan.upTo(question.step(), check, setting, given, notes::add).rowsOf(question.step());
    ProfileSink sink = new ProfileSink(plan.schema(), untold, setting.execution());
    executor().run(plan, sink, PlanNode.UNTOLD);
    List<Preview.SourceRead> read = sources.read(tallies, endpoints.reports(), notes);
    return new Profiled(sink.profile(), read, List.copyOf(notes));
  }

  private Executor executor() {
    return new Executor(setting.execution(), endpoints, step -> tallies.getOrDefault(step, untold));
  }

  /** The step's rows beside those of its first input; computed anew, and counted nowhere. */
  private Optional<BeforeAndAfter> compared(Map<String, Relation> given) {
    PipelineDocument.Step step = check.document().steps().get(question.step());
    if (step.inputs().isEmpty()) {
      return Optional.empty();
    }
    String before = step.inputs().get(0).text();
    Tally counts = tallies.get(step.name()).snapshot();
    long most = BeforeAndAfter.mostRows(check.schema(before), check.schema(step.name()));
    if (Math.max(counts.rowsIn(), counts.rowsOut()) > most) {
      return Optional.of(
          BeforeAndAfter.untold(
              check.schema(before),
              "Only %,d rows of so many columns are held against each other; read fewer"
                  .formatted(most)));
    }
    return Optional.of(
        BeforeAndAfter.of(
            check.schema(before),
            rowsOf(before, given),
            check.schema(step.name()),
            rowsOf(step.name(), given),
            counts,
            question.rows()));
  }

  private List<Batch> rowsOf(String step, Map<String, Relation> given) {
    StepTally uncounted = new StepTally(PlanNode.UNTOLD, "");
    PlanNode plan = RunPlan.upTo(step, check, setting, given, w -> {}).rowsOf(step);
    return new Executor(setting.execution(), endpoints, name -> uncounted)
        .collect(plan, PlanNode.UNTOLD);
  }

  /** The step and those before it, as the document has them. */
  private List<PipelineDocument.Step> inOrder() {
    Set<String> names = new HashSet<>();
    PipelineCheck.behind(check.document(), question.step()).forEach(s -> names.add(s.name()));
    return check.document().steps().values().stream()
        .filter(s -> names.contains(s.name()))
        .toList();
  }

  private UnaryOperator<RelNode> matching() {
    if (question.where().isEmpty()) {
      return rows -> rows;
    }
    Relation columns = new Columns(check.schema(question.step()));
    RelNode rel = check.session().where(check.expression(question.where().get()), OVER, columns);
    return rows -> PlanSession.inline(rel, Map.of(OVER, rows));
  }
}
