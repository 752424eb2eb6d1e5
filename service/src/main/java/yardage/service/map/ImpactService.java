package yardage.service.map;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.springframework.stereotype.Service;
import yardage.core.document.Problem;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.ColumnImpact;
import yardage.core.pipeline.compile.PlannedTables;
import yardage.core.star.model.StarCheck;
import yardage.core.star.model.StarModel;
import yardage.core.star.model.StarTables;
import yardage.core.view.ViewDocument;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.feeds.CatalogOfNow;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.map.MapController.PlaceKind;
import yardage.service.map.MapController.PlaceName;
import yardage.service.query.QueryService;
import yardage.service.samplers.SamplerService;
import yardage.service.web.ApiException;

/** What would come of everything if a table lost a column: each document is checked without it. */
@Service
class ImpactService {
  private final DocumentStore documents;
  private final FeedService feeds;
  private final LakeService lake;
  private final QueryService queries;
  private final SamplerService samplers;

  ImpactService(
      DocumentStore documents,
      FeedService feeds,
      LakeService lake,
      QueryService queries,
      SamplerService samplers) {
    this.documents = documents;
    this.feeds = feeds;
    this.lake = lake;
    this.queries = queries;
    this.samplers = samplers;
  }

  /** A document that would not hold any more, and what its check would say. */
  record Broken(PlaceName place, List<String> why) {}

  /** Columns that a table would lose. */
  record Lost(String table, List<String> columns) {}

  /**
   * @param lost the columns that would go, the asked one first
   * @param broken what would not work any more
   */
  record Impact(List<Lost> lost, List<Broken> broken) {}

  Impact of(String table, String column) {
    LakeTable found = QueryService.table(lake, table);
    List<String> columns = found.schema().names();
    if (columns.stream().noneMatch(c -> c.equalsIgnoreCase(column))) {
      throw ApiException.notFound("column", column, columns);
    }
    List<String> texts = documents.texts(DocumentStore.Kind.PIPELINE);
    Catalog now = new PlannedTables(CatalogOfNow.of(feeds, lake), "", () -> texts);
    ColumnImpact.Report report = ColumnImpact.of(now, texts, found.name(), column);
    List<Broken> broken = new ArrayList<>();
    report
        .broken()
        .forEach(
            b ->
                add(
                    broken,
                    new PlaceName(PlaceKind.PIPELINE, b.pipeline()),
                    List.of(),
                    told(b.problems())));
    Map<TableName, Set<String>> gone = report.gone();
    stars(gone, broken);
    views(gone, broken);
    for (StoredDocument d : documents.latest(DocumentStore.Kind.SAMPLER)) {
      add(
          broken,
          new PlaceName(PlaceKind.SAMPLER, d.name()),
          messages(samplers.check(d.text(), Map.of()).problems()),
          messages(samplers.check(d.text(), gone).problems()));
    }
    List<Lost> lost = new ArrayList<>();
    gone.forEach((t, c) -> lost.add(new Lost(t.toString(), List.copyOf(c))));
    return new Impact(lost, broken);
  }

  private void stars(Map<TableName, Set<String>> gone, List<Broken> broken) {
    StarTables now = queries.tables();
    StarTables fewer = queries.tables(gone);
    for (StoredDocument d : documents.latest(DocumentStore.Kind.STAR)) {
      StarModel.parse(d.text())
          .model()
          .ifPresent(
              m ->
                  add(
                      broken,
                      new PlaceName(PlaceKind.STAR, d.name()),
                      errors(StarCheck.of(m, now, false).problems()),
                      errors(StarCheck.of(m, fewer, false).problems())));
    }
  }

  private void views(Map<TableName, Set<String>> gone, List<Broken> broken) {
    for (StoredDocument d : documents.latest(DocumentStore.Kind.VIEW)) {
      ViewDocument.parse(d.text())
          .document()
          .ifPresent(
              v -> {
                Map<String, Optional<String>> given = new LinkedHashMap<>();
                v.parameters().forEach(p -> given.put(p, Optional.empty()));
                add(
                    broken,
                    new PlaceName(PlaceKind.VIEW, d.name()),
                    refusal(() -> queries.check(v.sql().text(), given, Map.of())),
                    refusal(() -> queries.check(v.sql().text(), given, gone)));
              });
    }
  }

  /** What is wrong without the column, and was not before. */
  private static void add(
      List<Broken> broken, PlaceName place, List<String> before, List<String> after) {
    List<String> why =
        after.stream().filter(w -> !before.contains(w)).map(ImpactService::brief).toList();
    if (!why.isEmpty()) {
      broken.add(new Broken(place, why));
    }
  }

  /** Without what is there instead: nobody has mistyped anything. */
  private static String brief(String message) {
    return message.replaceFirst("(There is no column \\[[^\\]]*])[;,.].*", "$1");
  }

  private static List<String> refusal(Runnable check) {
    try {
      check.run();
      return List.of();
    } catch (ApiException e) {
      return e.problems().isEmpty() ? List.of(e.getMessage()) : messages(e.problems());
    }
  }

  private static List<String> errors(List<Problem> problems) {
    return told(problems.stream().filter(p -> p.severity() == Problem.Severity.ERROR).toList());
  }

  private static List<String> messages(List<Problem> problems) {
    return problems.stream().map(Problem::message).toList();
  }

  private static List<String> told(List<Problem> problems) {
    return problems.stream()
        .map(p -> p.step().isEmpty() ? p.message() : p.step() + ": " + p.message())
        .toList();
  }
}
