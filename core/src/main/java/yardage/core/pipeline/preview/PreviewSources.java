package yardage.core.pipeline.preview;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeSet;
import yardage.core.document.Names;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.StepTally;
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
import yardage.core.sql.Relation;

/** What the steps read that a step's rows come from, and how much of it. */
final class PreviewSources implements AutoCloseable {
  /** A sample is there as it was read, in the plan, and in the plan's bytes. */
  private static final int COPIES = 3;

  private final PipelineCheck check;
  private final PipelineRun.Setting setting;
  private final Preview.Question question;
  private final Samples samples;
  private final Map<String, Source> sources;
  private final Map<String, Sample> sampled = new HashMap<>();
  private final MemoryPool.Reservation reserved;

  /**
   * @param behind the step and those before it
   * @throws IllegalArgumentException when a choice is for no step that reads, or of a kind that its
   *     source does not have
   */
  PreviewSources(
      PipelineCheck check,
      PipelineRun.Setting setting,
      Preview.Question question,
      List<PipelineDocument.Step> behind,
      Samples samples) {
    this.check = check;
    this.setting = setting;
    this.question = question;
    this.samples = samples;
    this.reserved =
        setting
            .execution()
            .memory()
            .reservation(new StepTally(question.step(), "read"), "samples of sources");
    this.sources = sources(behind);
    checkChoices();
  }

  /** What is read in place of each source: all of it, or a sample. */
  Map<String, Relation> given(Collection<String> notes) {
    Map<String, Relation> out = new HashMap<>();
    sources.forEach(
        (step, source) -> {
          if (source.choice.takesAll()) {
            out.put(step, source.relation);
          } else {
            Sample sample = samples.get(source.key(), () -> source.read(step));
            reserved.grow(COPIES * sample.sizeBytes());
            sampled.put(step, sample);
            out.put(step, sample);
            notes.addAll(sample.notes());
          }
        });
    return out;
  }

  @Override
  public void close() {
    reserved.close();
  }

  /** What was read, once it was. */
  List<Preview.SourceRead> read(
      Map<String, StepTally> tallies, List<FeedReport> reports, Collection<String> notes) {
    sources.values().forEach(s -> notes.addAll(s.notes(reports)));
    return sources.entrySet().stream()
        .map(e -> read(e.getKey(), e.getValue(), tallies.get(e.getKey())))
        .toList();
  }

  private Preview.SourceRead read(String step, Source source, StepTally tally) {
    Sample sample = sampled.get(step);
    long rows = sample == null ? tally.snapshot().rowsIn() : sample.rows();
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

  private void checkChoices() {
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

  /**
   * The steps whose rows become those of a step. In other inputs something is looked up, by a field
   * of the step or by its SQL.
   */
  private void onTheWay(String name, Set<String> out) {
    PipelineDocument.Step step = check.document().steps().get(name);
    if (step != null && out.add(name)) {
      List<Located> inputs = step.inputs();
      int ways = step.verb() instanceof Verb.Stack ? inputs.size() : Math.min(1, inputs.size());
      inputs.subList(0, ways).forEach(i -> onTheWay(i.text(), out));
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
