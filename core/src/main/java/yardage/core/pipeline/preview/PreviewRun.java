package yardage.core.pipeline.preview;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.UnaryOperator;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.parser.SqlParserPos;
import yardage.core.column.Batch;
import yardage.core.document.Names;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.exec.Tally;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedRelation;
import yardage.core.feed.FeedReport;
import yardage.core.lake.LakeTable;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailures;
import yardage.core.pipeline.run.RunPlan;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Columns;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.task.TaskEndpoints;

/** Answers what rows a step would give. */
public final class PreviewRun {
  private static final String OVER = "step";

  private final PipelineCheck check;
  private final PipelineRun.Setting setting;
  private final Samples samples;
  private final Preview.Question question;
  private final Map<String, StepTally> tallies = new LinkedHashMap<>();
  private final StepTally untold = new StepTally(PlanNode.UNTOLD, "");
  private final Set<String> notes = new LinkedHashSet<>();

  private PreviewRun(
      PipelineCheck check,
      PipelineRun.Setting setting,
      Samples samples,
      Preview.Question question) {
    this.check = check;
    this.setting = setting;
    this.samples = samples;
    this.question = question;
  }

  /**
   * Answers.
   *
   * @param check in which nothing keeps the step from giving rows
   * @throws IllegalArgumentException when a choice is for no step that reads, or of a kind that its
   *     source does not have
   * @throws yardage.core.sql.SqlProblemException when a condition is none
   * @throws yardage.core.pipeline.run.RunFailedException saying what stopped it and where
   */
  public static Preview of(
      PipelineCheck check,
      PipelineRun.Setting setting,
      Samples samples,
      Preview.Question question) {
    if (!check.errorsUpTo(question.step()).isEmpty()) {
      throw new IllegalArgumentException("A step with errors gives no rows");
    }
    return new PreviewRun(check, setting, samples, question).answer();
  }

  private Preview answer() {
    List<PipelineDocument.Step> behind = inOrder();
    behind.forEach(s -> tallies.put(s.name(), new StepTally(s.name(), s.verb().word())));
    Map<String, Source> sources = sources(behind);
    checkChoices(sources);
    UnaryOperator<RelNode> matching = matching();
    TaskEndpoints endpoints = TaskEndpoints.reading(setting.lake());
    try {
      Map<String, Relation> given = new HashMap<>();
      Map<String, Sample> sampled = new HashMap<>();
      sources.forEach(
          (step, source) -> {
            if (source.choice.takesAll()) {
              given.put(step, source.relation);
            } else {
              Sample sample = samples.get(source.key(), () -> source.read(step));
              sampled.put(step, sample);
              given.put(step, sample);
              notes.addAll(sample.notes());
            }
          });
      PlanNode asked =
          RunPlan.upTo(question.step(), check, setting, given, notes::add)
              .asked(question.step(), matching);
      PlanNode first = new PlanNode.Sort(asked, List.of(), 0, question.rows(), PlanNode.UNTOLD);
      List<Batch> rows =
          new Executor(setting.execution(), endpoints, this::tally).collect(first, PlanNode.UNTOLD);
      Optional<BeforeAndAfter> comparison =
          question.compared() ? compared(given, endpoints) : Optional.empty();
      sources.values().forEach(s -> notes.addAll(s.notes(endpoints.reports())));
      long gives = tallies.get(question.step()).snapshot().rowsOut();
      return new Preview(
          check.schema(question.step()),
          rows,
          gives,
          question.where().isPresent()
              ? OptionalLong.of(gives - untold.snapshot().filtered())
              : OptionalLong.empty(),
          sources.entrySet().stream().map(e -> read(e.getKey(), e.getValue(), sampled)).toList(),
          tallies.values().stream().map(StepTally::snapshot).toList(),
          comparison,
          List.copyOf(notes));
    } catch (IllegalArgumentException | yardage.core.sql.SqlProblemException e) {
      throw e;
    } catch (Exception | OutOfMemoryError e) {
      throw RunFailures.of(e);
    } finally {
      endpoints.close();
    }
  }

  /** The step's rows beside those of its first input; computed anew, and counted nowhere. */
  private Optional<BeforeAndAfter> compared(Map<String, Relation> given, TaskEndpoints endpoints) {
    PipelineDocument.Step step = check.document().steps().get(question.step());
    if (step.inputs().isEmpty()) {
      return Optional.empty();
    }
    String before = step.inputs().get(0).text();
    Tally counts = tallies.get(step.name()).snapshot();
    if (Math.max(counts.rowsIn(), counts.rowsOut()) > BeforeAndAfter.MOST_ROWS) {
      return Optional.of(
          BeforeAndAfter.untold(
              check.schema(before),
              "Only %,d rows are held against each other; read fewer"
                  .formatted(BeforeAndAfter.MOST_ROWS)));
    }
    return Optional.of(
        BeforeAndAfter.of(
            check.schema(before),
            rowsOf(before, given, endpoints),
            check.schema(step.name()),
            rowsOf(step.name(), given, endpoints),
            counts,
            question.rows()));
  }

  private List<Batch> rowsOf(String step, Map<String, Relation> given, TaskEndpoints endpoints) {
    StepTally uncounted = new StepTally(PlanNode.UNTOLD, "");
    PlanNode plan = RunPlan.upTo(step, check, setting, given, w -> {}).rowsOf(step);
    return new Executor(setting.execution(), endpoints, name -> uncounted)
        .collect(plan, PlanNode.UNTOLD);
  }

  private StepTally tally(String step) {
    return tallies.getOrDefault(step, untold);
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
    PlanSession session = check.session();
    SqlNode condition = session.parseExpression(question.where().get(), 1, 1);
    SqlNode query =
        PlanSession.select(
            List.of(SqlIdentifier.star(SqlParserPos.ZERO)),
            new SqlIdentifier(OVER, SqlParserPos.ZERO),
            condition,
            null);
    Relation columns = new Columns(check.schema(question.step()));
    RelNode rel = session.plan(query, new PlanSession.Scope(Map.of(OVER, columns))).rel();
    return rows -> PlanSession.inline(rel, Map.of(OVER, rows));
  }

  private void checkChoices(Map<String, Source> sources) {
    question
        .choices()
        .forEach(
            (step, choice) -> {
              if (!sources.containsKey(step)) {
                throw new IllegalArgumentException(
                    "Step [%s] is none that reads for step [%s]%s"
                        .formatted(
                            step,
                            question.step(),
                            Names.instead(step, new TreeSet<>(sources.keySet()))));
              }
              if (choice.files().isPresent() && sources.get(step).feed.isEmpty()) {
                throw new IllegalArgumentException(
                    "Step [%s] reads a table, whose files cannot be chosen; choose rows with a condition"
                        .formatted(step));
              }
            });
  }

  private Preview.SourceRead read(String step, Source source, Map<String, Sample> sampled) {
    Sample sample = sampled.get(step);
    long rows = sample == null ? tallies.get(step).snapshot().rowsIn() : sample.rows();
    OptionalLong there = sample == null ? OptionalLong.of(rows) : sample.there();
    return new Preview.SourceRead(
        step,
        source.feed.isPresent() ? "feed" : "table",
        source.name,
        rows,
        there,
        source.looksUp,
        source.choice);
  }

  /** The steps that read, with what they read. */
  private Map<String, Source> sources(List<PipelineDocument.Step> behind) {
    Set<String> main = new HashSet<>();
    onTheWay(question.step(), main);
    Map<String, Source> out = new LinkedHashMap<>();
    for (PipelineDocument.Step step : behind) {
      boolean looksUp = !main.contains(step.name());
      SourceChoice choice = question.of(step.name(), looksUp);
      if (step.verb() instanceof Verb.ReadFeed read) {
        FeedDefinition feed = setting.catalog().feed(read.feed().text()).orElseThrow();
        FeedRelation all =
            new FeedRelation(feed, setting.lake().raw(), setting.known().inQuarantine(feed.name()));
        FeedRelation some = choice.files().map(all::only).orElse(all);
        out.put(
            step.name(),
            new Source(
                feed.name(),
                some,
                Optional.of(some),
                List.of(feed, some.files()),
                choice,
                looksUp));
      } else if (step.verb() instanceof Verb.ReadTable read) {
        LakeTable table = read.of(setting.catalog().table(read.table()).orElseThrow());
        out.put(
            step.name(),
            new Source(
                table.name().toString(),
                new TableRelation(table),
                Optional.empty(),
                List.of(table.name(), table.snapshotId()),
                choice,
                looksUp));
      }
    }
    return out;
  }

  /** The steps whose rows become those of a step, and are not only looked up. */
  private void onTheWay(String name, Set<String> out) {
    PipelineDocument.Step step = check.document().steps().get(name);
    if (step != null && out.add(name)) {
      List<Located> inputs = step.inputs();
      for (int i = 0; i < inputs.size(); i++) {
        if (!step.isLookUp(i)) {
          onTheWay(inputs.get(i).text(), out);
        }
      }
    }
  }

  /** Something that a step reads. */
  private final class Source implements SampleReader.Source {
    private final String name;
    private final Relation relation;
    private final Optional<FeedRelation> feed;
    private final List<Object> contents;
    private final SourceChoice choice;
    private final boolean looksUp;

    /**
     * @param contents equal only for the same rows
     */
    Source(
        String name,
        Relation relation,
        Optional<FeedRelation> feed,
        List<Object> contents,
        SourceChoice choice,
        boolean looksUp) {
      this.name = name;
      this.relation = relation;
      this.feed = feed;
      this.contents = contents;
      this.choice = choice;
      this.looksUp = looksUp;
    }

    Object key() {
      List<Object> key = new ArrayList<>(contents);
      key.add(choice);
      return key;
    }

    Sample read(String step) {
      return new SampleReader(check.session(), setting.lake(), setting.execution())
          .read(step, this, choice);
    }

    @Override
    public Relation relation() {
      return relation;
    }

    @Override
    public List<String> notes(List<FeedReport> reports) {
      return feed.map(f -> f.leftOut(reports)).orElse(List.of());
    }
  }
}
