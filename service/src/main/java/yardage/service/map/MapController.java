package yardage.service.map;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.sampler.Block;
import yardage.core.sampler.SamplerDocument;
import yardage.core.sampler.SamplerSql;
import yardage.core.star.model.StarModel;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.lake.LakeService;

/** What hangs together with what. */
@RestController
@RequestMapping("/api/v1/map")
class MapController {
  private final DocumentStore documents;
  private final LakeService lake;

  MapController(DocumentStore documents, LakeService lake) {
    this.documents = documents;
    this.lake = lake;
  }

  /** What a place of the map is. */
  enum PlaceKind {
    FEED,
    PIPELINE,
    TABLE,
    STAR,
    SAMPLER
  }

  /** A place by its kind and name. */
  record PlaceName(PlaceKind kind, String name) {}

  /**
   * A place.
   *
   * @param from what its rows come from
   * @param isThere false for a table that no run has written yet
   * @param steps of a pipeline
   */
  record MapPlace(
      PlaceKind kind, String name, List<PlaceName> from, boolean isThere, List<String> steps) {}

  /** All places, those that others come from first. */
  @GetMapping
  List<MapPlace> map() {
    Map<PlaceName, Set<PlaceName>> from = new LinkedHashMap<>();
    documents
        .names(DocumentStore.Kind.FEED)
        .forEach(n -> from.put(new PlaceName(PlaceKind.FEED, n), new LinkedHashSet<>()));
    Set<String> tables = new LinkedHashSet<>();
    lake.tables().forEach(t -> tables.add(t.toString()));
    tables.forEach(t -> at(from, PlaceKind.TABLE, t));
    Map<String, List<String>> steps = new LinkedHashMap<>();
    for (StoredDocument d : documents.latest(DocumentStore.Kind.PIPELINE)) {
      steps.put(d.name(), pipeline(from, d));
    }
    Set<String> stars = new LinkedHashSet<>(documents.names(DocumentStore.Kind.STAR));
    for (StoredDocument d : documents.latest(DocumentStore.Kind.STAR)) {
      Set<PlaceName> its = at(from, PlaceKind.STAR, d.name());
      StarModel.parse(d.text())
          .model()
          .ifPresent(
              m -> {
                m.facts().values().forEach(f -> its.add(table(from, f.table())));
                m.dimensions().values().forEach(x -> its.add(table(from, x.table())));
              });
    }
    for (StoredDocument d : documents.latest(DocumentStore.Kind.SAMPLER)) {
      Set<PlaceName> its = at(from, PlaceKind.SAMPLER, d.name());
      for (String over : overs(d, tables)) {
        String space = over.substring(0, over.indexOf('.'));
        its.add(
            stars.contains(space)
                ? new PlaceName(PlaceKind.STAR, space)
                : new PlaceName(PlaceKind.TABLE, over));
      }
      its.forEach(p -> at(from, p.kind(), p.name()));
    }
    List<MapPlace> out = new ArrayList<>();
    from.forEach(
        (place, its) ->
            out.add(
                new MapPlace(
                    place.kind(),
                    place.name(),
                    List.copyOf(its),
                    place.kind() != PlaceKind.TABLE || tables.contains(place.name()),
                    place.kind() == PlaceKind.PIPELINE
                        ? steps.getOrDefault(place.name(), List.of())
                        : List.of())));
    return out;
  }

  private static Set<PlaceName> at(
      Map<PlaceName, Set<PlaceName>> from, PlaceKind kind, String name) {
    return from.computeIfAbsent(new PlaceName(kind, name), p -> new LinkedHashSet<>());
  }

  private static PlaceName table(Map<PlaceName, Set<PlaceName>> from, TableName name) {
    PlaceName place = new PlaceName(PlaceKind.TABLE, name.toString());
    from.computeIfAbsent(place, p -> new LinkedHashSet<>());
    return place;
  }

  /** Puts a pipeline on the map; gives its steps. */
  private static List<String> pipeline(Map<PlaceName, Set<PlaceName>> from, StoredDocument d) {
    PlaceName place = new PlaceName(PlaceKind.PIPELINE, d.name());
    Set<PlaceName> its = at(from, PlaceKind.PIPELINE, d.name());
    PipelineDocument document = PipelineDocument.parse(d.text());
    for (String feed : PipelineCheck.feedsOf(document)) {
      at(from, PlaceKind.FEED, feed);
      its.add(new PlaceName(PlaceKind.FEED, feed));
    }
    List<PipelineCheck.TableUse> uses = PipelineCheck.tablesOf(document);
    List<TableName> written =
        uses.stream().filter(PipelineCheck.TableUse::writes).map(u -> u.table()).toList();
    for (PipelineCheck.TableUse use : uses) {
      PlaceName table = table(from, use.table());
      if (use.writes()) {
        from.get(table).add(place);
      } else if (!written.contains(use.table())) {
        // What it writes itself, as a dimension, would lead in a circle.
        its.add(table);
      }
    }
    return document.stepNames();
  }

  /** What a page is over, and the tables that its own queries name. */
  private static Set<String> overs(StoredDocument d, Set<String> tables) {
    Set<String> out = new LinkedHashSet<>();
    Optional<SamplerDocument> page = SamplerDocument.parse(d.text()).document();
    for (Block block : page.map(SamplerDocument::blocks).orElse(List.of())) {
      if (block.content() instanceof Block.Answer a) {
        SamplerSql.over(a.question()).map(TextValue::text).ifPresent(out::add);
        if (a.question() instanceof Block.Own own) {
          tables.stream()
              .filter(t -> own.sql().text().matches("(?s).*\\b" + t.replace(".", "\\.") + "\\b.*"))
              .forEach(out::add);
        }
      }
    }
    return out;
  }
}
