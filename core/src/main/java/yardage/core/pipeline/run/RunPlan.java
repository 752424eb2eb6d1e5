package yardage.core.pipeline.run;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;
import java.util.function.UnaryOperator;
import org.apache.calcite.rel.RelNode;
import yardage.core.column.Schema;
import yardage.core.exec.Sizes;
import yardage.core.expr.Expression;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedFiles;
import yardage.core.feed.FileDiscovery;
import yardage.core.feed.IntakeChoice;
import yardage.core.feed.Quarantine;
import yardage.core.feed.StillFiles;
import yardage.core.lake.Partitioning;
import yardage.core.lake.TableTarget;
import yardage.core.lake.TableWriter;
import yardage.core.pipeline.compile.CalendarRelation;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.compile.ReplacedFiles;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.Output;
import yardage.core.plan.PlanNode;
import yardage.core.plan.StageCutter.Root;
import yardage.core.sql.JoinHints;
import yardage.core.sql.Relation;
import yardage.core.sql.StepBorder;

/**
 * The plans of a run: which files it takes, and what is computed for each step that writes. A step
 * that several others read is planned once. One thread at a time.
 */
public final class RunPlan {
  private static final int MOST_NOTES = 100;

  private final PipelineCheck check;
  private final PipelineRun.Setting setting;
  private final Consumer<String> warnings;

  /** Whether columns that nobody needs are carried along. */
  private final boolean whole;

  /** What is read in place of what steps read, by their names. */
  private final Map<String, Relation> given;

  private final Map<String, Integer> readers = new HashMap<>();
  private final Map<String, SharedStep> shared = new HashMap<>();
  private final Map<String, List<FileDiscovery.Found>> filesByFeed = new HashMap<>();
  private final Map<String, Set<String>> replacedByFeed = new HashMap<>();

  /**
   * @param whole whether columns that nobody needs are carried along, for somebody to look at
   * @param warnings told of what somebody should look at
   */
  RunPlan(
      PipelineCheck check, PipelineRun.Setting setting, boolean whole, Consumer<String> warnings) {
    this(check, setting, whole, warnings, neededSteps(check.document()), Map.of());
  }

  private RunPlan(
      PipelineCheck check,
      PipelineRun.Setting setting,
      boolean whole,
      Consumer<String> warnings,
      List<PipelineDocument.Step> needed,
      Map<String, Relation> given) {
    this.check = check;
    this.setting = setting;
    this.whole = whole;
    this.warnings = warnings;
    this.given = given;
    needed.forEach(step -> step.inputs().forEach(i -> readers.merge(i.text(), 1, Integer::sum)));
  }

  /**
   * For the rows of one step.
   *
   * @param given what is read in place of what steps read, by their names
   */
  public static RunPlan upTo(
      String step,
      PipelineCheck check,
      PipelineRun.Setting setting,
      Map<String, Relation> given,
      Consumer<String> warnings) {
    return new RunPlan(
        check,
        setting,
        true,
        warnings,
        PipelineCheck.behind(check.document(), step),
        Map.copyOf(given));
  }

  /** The steps that some write needs, in the order of the document. */
  static List<PipelineDocument.Step> neededSteps(PipelineDocument document) {
    Map<String, PipelineDocument.Step> steps = document.steps();
    Set<String> needed = new HashSet<>();
    steps.values().stream()
        .filter(s -> s.verb() instanceof Verb.Write)
        .flatMap(s -> PipelineCheck.behind(document, s.name()).stream())
        .forEach(s -> needed.add(s.name()));
    return steps.values().stream().filter(s -> needed.contains(s.name())).toList();
  }

  /**
   * What a step writes, and where to.
   *
   * @throws yardage.core.lake.LakeException when its table is there and has other columns
   */
  Root write(PipelineDocument.Step step, Verb.Write write) {
    Schema schema = check.schema(step.name());
    TableWriter.Target target =
        new TableWriter.Target(
            write.table(),
            new Partitioning(schema, write.partition()),
            write.mode(),
            write.key().stream().map(Located::text).toList(),
            write.columns() == Verb.Write.Columns.FOLLOW,
            write.files(),
            removal(step));
    TableTarget table =
        TableTarget.of(setting.lake(), target, schema, setting.run() + "-" + step.name());
    return new Root(
        node(optimized(algebra(step.name())), step.name()),
        new Output.Written(table, step.name(), schema));
  }

  /** The rows that go out of a step. */
  public PlanNode rowsOf(String step) {
    return node(optimized(outOf(step)), step);
  }

  /**
   * What is asked of the rows that go out of a step.
   *
   * @param over makes the question's algebra of that of the rows
   */
  public PlanNode asked(String step, UnaryOperator<RelNode> over) {
    return node(optimized(over.apply(outOf(step))), PlanNode.UNTOLD);
  }

  private RelNode outOf(String step) {
    return new StepBorder(algebra(step), Optional.of(step), Optional.empty(), false);
  }

  private RelNode optimized(RelNode rel) {
    return whole ? check.session().optimizeWhole(rel) : check.session().optimizeSteps(rel);
  }

  private PlanNode node(RelNode rel, String step) {
    return check.session().physical().plan(rel, step, this::hints);
  }

  private JoinHints hints(String step) {
    return !step.equals(PlanNode.UNTOLD)
            && check.document().steps().get(step).verb() instanceof Verb.JoinStep join
        ? new JoinHints(join.holdMain(), join.atMostOne(), true)
        : JoinHints.NONE;
  }

  /** The rows of earlier contents of replaced files, which go with an append. */
  private Optional<TableWriter.Removal> removal(PipelineDocument.Step step) {
    Optional<ReplacedFiles.Place> place = ReplacedFiles.of(check, setting.catalog(), step.name());
    if (place.isEmpty()) {
      return Optional.empty();
    }
    Set<String> paths = new HashSet<>();
    for (String name : place.get().feeds()) {
      FeedDefinition feed = setting.catalog().feed(name).orElseThrow();
      files(feed);
      paths.addAll(replacedByFeed.get(name));
    }
    return paths.isEmpty()
        ? Optional.empty()
        : Optional.of(new TableWriter.Removal(place.get().column(), paths));
  }

  /** The algebra of a step as an input of another, with the border between them. */
  private RelNode input(String name, String into, boolean right) {
    if (readers.getOrDefault(name, 0) > 1) {
      SharedStep once = shared.computeIfAbsent(name, SharedStep::new);
      return new StepBorder(
          check.session().scan(name, once), Optional.empty(), Optional.of(into), right);
    }
    return new StepBorder(algebra(name), Optional.of(name), Optional.of(into), right);
  }

  private RelNode algebra(String name) {
    if (given.containsKey(name)) {
      return check.session().scan(name, given.get(name));
    }
    PipelineDocument.Step step = check.document().steps().get(name);
    if (step.verb() instanceof Verb.ReadFeed read) {
      return check
          .session()
          .scan(name, new TakenFiles(setting.catalog().feed(read.feed().text()).orElseThrow()));
    }
    if (step.verb() instanceof Verb.ReadTable read) {
      return check
          .session()
          .scan(
              name,
              new TableRelation(read.of(setting.catalog().table(read.table()).orElseThrow())));
    }
    if (step.verb() instanceof Verb.CalendarDays days && days.holidays().isEmpty()) {
      return check.session().scan(name, new CalendarRelation(days.calendar()));
    }
    List<RelNode> inputs = new ArrayList<>();
    List<Located> all = step.inputs();
    for (int i = 0; i < all.size(); i++) {
      inputs.add(input(all.get(i).text(), name, step.isLookUp(i)));
    }
    return check.body(name).build().apply(inputs);
  }

  /** A step that several others read: planned and computed once. */
  private final class SharedStep implements Relation {
    private final String name;
    private PlanNode.Kept node;

    SharedStep(String name) {
      this.name = name;
    }

    @Override
    public Schema schema() {
      return check.schema(name);
    }

    @Override
    public double rowCount() {
      return 100_000;
    }

    @Override
    public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
      if (node == null) {
        node = new PlanNode.Kept(rowsOf(name), name, name);
      }
      Schema projected = schema().project(columns);
      List<Expression> refs = new ArrayList<>();
      for (int c : columns) {
        refs.add(Expression.input(c, schema().field(c).type()));
      }
      return columns.length == schema().size() ? node : new PlanNode.Project(node, refs, projected);
    }
  }

  /** The files that this run takes from a feed. */
  private final class TakenFiles implements Relation {
    private final FeedDefinition feed;

    TakenFiles(FeedDefinition feed) {
      this.feed = feed;
    }

    @Override
    public Schema schema() {
      return feed.schema();
    }

    @Override
    public double rowCount() {
      return files(feed).stream().mapToLong(FileDiscovery.Found::sizeBytes).sum() / 50.0 + 1;
    }

    @Override
    public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
      return new PlanNode.Scan(
          FeedFiles.of(feed, files(feed), columns, setting.run(), setting.startedAt()),
          schema().project(columns),
          step);
    }
  }

  /** The files that this run takes from a feed; the same for every step that reads it. */
  private List<FileDiscovery.Found> files(FeedDefinition feed) {
    return filesByFeed.computeIfAbsent(
        feed.name(),
        n -> {
          List<FileDiscovery.Found> found =
              StillFiles.find(setting.lake().raw(), feed, setting.execution().cancel());
          Quarantine quarantine = setting.known().inQuarantine(n);
          quarantine.told(found).forEach(h -> warnings.accept("feed %s: %s".formatted(n, h)));
          List<FileDiscovery.Found> all = quarantine.without(found);
          FileDiscovery.withoutFiles(feed, found)
              .forEach(p -> warnings.accept("feed %s: no file matches [%s]".formatted(n, p)));
          IntakeChoice choice =
              IntakeChoice.of(
                  feed,
                  all,
                  setting.known().of(feed.name()),
                  setting.known().earlier(feed.name()),
                  java.time.Instant.now());
          replacedByFeed.put(n, choice.replaced());
          List<FileDiscovery.Found> taken = choice.taken();
          choice.notes().stream()
              .limit(MOST_NOTES)
              .forEach(note -> setting.listener().log("feed %s: %s".formatted(n, note)));
          setting
              .listener()
              .log(
                  "feed %s: %,d of %,d files to take in, %s"
                      .formatted(
                          feed.name(),
                          taken.size(),
                          all.size(),
                          Sizes.text(
                              taken.stream().mapToLong(FileDiscovery.Found::sizeBytes).sum())));
          return taken;
        });
  }
}
