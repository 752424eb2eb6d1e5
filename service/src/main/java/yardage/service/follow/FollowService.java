package yardage.service.follow;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BiFunction;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.exec.ExecutionContext;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedException;
import yardage.core.feed.SetAsideStore;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.ColumnLineage;
import yardage.core.pipeline.compile.ColumnLineage.At;
import yardage.core.pipeline.compile.ColumnLineage.Edge;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.insight.RowStory;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.storage.LocalStorage;
import yardage.service.documents.DocumentStore;
import yardage.service.feeds.CatalogOfNow;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.looks.LookDesk;
import yardage.service.query.QueryService;
import yardage.service.web.ApiException;

/** Follows rows and columns from pipeline to pipeline. */
@Service
class FollowService {
  private static final int MOST_PIPELINES = 12;
  private static final int MOST_ASIDE = 20;

  private final DocumentStore documents;
  private final FeedService feeds;
  private final LakeService lake;
  private final LookDesk desk;
  private final Clock clock;

  FollowService(
      DocumentStore documents, FeedService feeds, LakeService lake, LookDesk desk, Clock clock) {
    this.documents = documents;
    this.feeds = feeds;
    this.lake = lake;
    this.desk = desk;
    this.clock = clock;
  }

  /**
   * A story, or several: what is told first came first.
   *
   * @param aside rows with these values that were set aside on the way
   */
  record Story(List<RowStory> pipelines, List<String> aside) {}

  private List<PipelineCheck> pipelines() {
    CatalogOfNow now = CatalogOfNow.of(feeds, lake);
    return documents.latest(DocumentStore.Kind.PIPELINE).stream()
        .map(d -> PipelineCheck.of(PipelineDocument.parse(d.text()), now, Map.of()))
        .filter(c -> !c.hasErrors())
        .toList();
  }

  private static boolean uses(PipelineCheck check, TableName table, boolean writes) {
    return PipelineCheck.tablesOf(check.document()).stream()
        .anyMatch(u -> u.writes() == writes && u.table().equals(table));
  }

  // ---- rows

  /** Follows rows of a table back to the files that they came from. */
  Story back(String name, Map<String, String> key) {
    LakeTable table = QueryService.table(lake, name);
    for (String column : key.keySet()) {
      if (table.schema().indexOf(column) < 0) {
        throw new ApiException(
            HttpStatus.UNPROCESSABLE_ENTITY,
            "unknown-column",
            "Table [%s] has no column [%s]; there are %s"
                .formatted(name, column, String.join(", ", table.schema().names())),
            "Name columns that tell the row apart");
      }
    }
    return desk.look("following", name, context -> back(table, name, key, context));
  }

  private Story back(
      LakeTable table, String name, Map<String, String> key, ExecutionContext context) {
    Telling telling = new Telling(context);
    telling.back(table.name(), key);
    if (telling.stories.isEmpty()) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "no-writer",
          "No pipeline writes [%s], so nothing is known of how its rows came there".formatted(name),
          "See who wrote it with: yardage table show " + name);
    }
    return telling.story();
  }

  /** Follows a line of a raw file to where it ends. */
  Story ahead(String feedName, String file, long line) {
    FeedDefinition feed = feeds.require(feedName);
    return desk.look(
        "following",
        "%s, line %d".formatted(file, line),
        context -> ahead(feed, feedName, file, line, context));
  }

  private Story ahead(
      FeedDefinition feed, String feedName, String file, long line, ExecutionContext context) {
    Map<String, String> values;
    try {
      values =
          new RowStory.Look(feeds, lake.lake(), context)
              .line(feed, file, line)
              .orElseThrow(
                  () ->
                      new ApiException(
                          HttpStatus.NOT_FOUND,
                          "no-such-line",
                          "Feed [%s] has no row at line %d of [%s]: there is none, or it was set aside"
                              .formatted(feedName, line, file),
                          "See the files with: yardage feed files %s; and what was set aside with: yardage set-aside RUN"
                              .formatted(feedName)));
    } catch (FeedException e) {
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY, "feed", e.getMessage(), "Fix the feed, then try again");
    }
    Telling telling = new Telling(context);
    telling.ahead(feedName, values);
    return telling.story();
  }

  /** One following, over as many pipelines as it takes. */
  private final class Telling {
    private final ExecutionContext context;
    private final List<PipelineCheck> all = pipelines();
    private final List<RowStory> stories = new ArrayList<>();
    private final Set<String> aside = new LinkedHashSet<>();
    private final Set<String> told = new HashSet<>();

    Telling(ExecutionContext context) {
      this.context = context;
    }

    private RowStory.Look look() {
      return new RowStory.Look(feeds, lake.lake(), context);
    }

    Story story() {
      return new Story(stories, aside.stream().limit(MOST_ASIDE).toList());
    }

    void back(TableName table, Map<String, String> key) {
      for (PipelineCheck check : all) {
        if (!uses(check, table, true) || !first(check, table.toString())) {
          continue;
        }
        RowStory story =
            run(check, key.values(), (c, run) -> RowStory.of(c, run, look(), table, key));
        for (RowStory.Chapter c : story.chapters()) {
          if (c.verb().equals("read") && c.out() > 0) {
            table(check, c).ifPresent(t -> back(t, c.by()));
          }
        }
        // What came before is told before.
        stories.add(story);
      }
    }

    void ahead(String source, Map<String, String> values) {
      for (PipelineCheck check : all) {
        for (String step : RowStory.readers(check, source)) {
          if (!first(check, source + " " + step)) {
            continue;
          }
          RowStory story =
              run(check, values.values(), (c, run) -> RowStory.ahead(c, run, look(), step, values));
          stories.add(story);
          for (RowStory.Chapter c : story.chapters()) {
            if (c.verb().equals("write") && c.out() > 0) {
              table(check, c).ifPresent(t -> ahead(t.toString(), c.by()));
            }
          }
        }
      }
    }

    /** The table that a chapter's step reads or writes. */
    private static Optional<TableName> table(PipelineCheck check, RowStory.Chapter chapter) {
      return PipelineCheck.tablesOf(check.document()).stream()
          .filter(u -> u.step().equals(chapter.step()))
          .map(PipelineCheck.TableUse::table)
          .findFirst();
    }

    private boolean first(PipelineCheck check, String what) {
      return told.size() < MOST_PIPELINES && told.add(check.document().name() + " " + what);
    }

    private RowStory run(
        PipelineCheck check,
        Collection<String> values,
        BiFunction<PipelineCheck, PipelineRun, RowStory> tell) {
      Path rows = null;
      try {
        rows = Files.createTempFile("yardage-follow", ".jsonl");
        Files.delete(rows);
        RowStory story =
            tell.apply(
                check,
                new PipelineRun(
                    check,
                    new PipelineRun.Setting(
                        "follow",
                        clock.instant(),
                        lake.lake(),
                        feeds,
                        // A story is told of all files, whatever was taken in before.
                        feed -> Map.of(),
                        Optional.of(LocalStorage.place(rows)),
                        context,
                        line -> {})));
        if (Files.exists(rows)) {
          SetAsideStore.page(
                  LocalStorage.place(rows),
                  row ->
                      values.stream()
                          .filter(v -> v.length() > 3 || values.size() == 1)
                          .allMatch(v -> row.original().contains(v)),
                  0,
                  MOST_ASIDE)
              .rows()
              .forEach(
                  r ->
                      aside.add(
                          "%s, line %d: %s"
                              .formatted(
                                  r.file().isEmpty() ? "step " + r.step() : r.file(),
                                  r.line(),
                                  r.failures().stream()
                                      .map(SetAsideStore.Failure::message)
                                      .findFirst()
                                      .orElse(""))));
        }
        return story;
      } catch (RunFailedException e) {
        throw new ApiException(
            HttpStatus.UNPROCESSABLE_ENTITY,
            e.code(),
            "Pipeline [%s] cannot be run again to follow the row: %s"
                .formatted(check.document().name(), e.getMessage()),
            "Fix what stops it, then follow again");
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      } finally {
        try {
          if (rows != null) {
            Files.deleteIfExists(rows);
          }
        } catch (IOException e) {
          // A temporary file that stays harms nobody.
        }
      }
    }
  }

  // ---- columns

  /**
   * A column and what it is made of, or what is made of it.
   *
   * @param kind table, feed, or step
   * @param pipeline of a step; empty for others
   * @param how the expression, where there is one
   */
  record LineageNode(
      String kind,
      String pipeline,
      String name,
      String column,
      String how,
      List<LineageNode> from) {}

  record Lineage(LineageNode origins, LineageNode uses) {}

  Lineage column(String table, String column) {
    LakeTable found = QueryService.table(lake, table);
    if (found.schema().indexOf(column) < 0) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "unknown-column",
          "Table [%s] has no column [%s]".formatted(table, column),
          "There are " + String.join(", ", found.schema().names()));
    }
    Map<PipelineCheck, ColumnLineage> lineages = new LinkedHashMap<>();
    pipelines().forEach(c -> lineages.put(c, ColumnLineage.of(c)));
    Edge edge = new Edge("table", found.name().toString(), column);
    return new Lineage(
        origins(edge, lineages, new HashSet<>()), uses(edge, lineages, new HashSet<>()));
  }

  private LineageNode origins(
      Edge edge, Map<PipelineCheck, ColumnLineage> lineages, Set<Edge> told) {
    List<LineageNode> from = new ArrayList<>();
    if (edge.kind().equals("table") && told.add(edge)) {
      lineages.forEach(
          (check, lineage) -> {
            for (String write : lineage.writesOf(TableName.parse(edge.name()))) {
              from.add(made(new At(write, edge.column()), check, lineage, lineages, told));
            }
          });
    }
    return new LineageNode(edge.kind(), "", edge.name(), edge.column(), "", from);
  }

  /** A column of a step; steps that merely pass it on are left out. */
  private LineageNode made(
      At at,
      PipelineCheck check,
      ColumnLineage lineage,
      Map<PipelineCheck, ColumnLineage> lineages,
      Set<Edge> told) {
    Optional<Edge> outside = lineage.outside(at, feeds);
    if (outside.isPresent()) {
      return origins(outside.get(), lineages, told);
    }
    Set<ColumnLineage.From> from = lineage.from(at);
    String how = lineage.how(at);
    if (from.size() == 1 && how.isEmpty()) {
      return made(from.iterator().next().at(), check, lineage, lineages, told);
    }
    return new LineageNode(
        "step",
        check.document().name(),
        at.step(),
        at.column(),
        how,
        from.stream().map(f -> made(f.at(), check, lineage, lineages, told)).toList());
  }

  private LineageNode uses(Edge edge, Map<PipelineCheck, ColumnLineage> lineages, Set<Edge> told) {
    List<LineageNode> to = new ArrayList<>();
    if (told.add(edge)) {
      lineages.forEach(
          (check, lineage) -> {
            Set<At> reached = new LinkedHashSet<>();
            lineage.readers(edge, feeds).forEach(at -> reach(at, lineage, reached));
            for (PipelineCheck.TableUse use : PipelineCheck.tablesOf(check.document())) {
              reached.stream()
                  .filter(at -> use.writes() && at.step().equals(use.step()))
                  .forEach(
                      at -> {
                        LineageNode n =
                            uses(
                                new Edge("table", use.table().toString(), at.column()),
                                lineages,
                                told);
                        to.add(
                            new LineageNode(
                                "table",
                                check.document().name(),
                                n.name(),
                                n.column(),
                                "",
                                n.from()));
                      });
            }
          });
    }
    return new LineageNode(edge.kind(), "", edge.name(), edge.column(), "", to);
  }

  private static void reach(At at, ColumnLineage lineage, Set<At> out) {
    if (out.add(at)) {
      lineage.madeOf(at).forEach(next -> reach(next, lineage, out));
    }
  }
}
