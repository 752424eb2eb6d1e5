package yardage.service.map;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.sampler.Block;
import yardage.core.sampler.SamplerDocument;
import yardage.core.sampler.SamplerSql;
import yardage.core.star.model.StarModel;
import yardage.core.view.ViewDocument;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.lake.LakeService;

/** What hangs together with what. */
@RestController
@RequestMapping("/api/v1/map")
class MapController {
  private static final Pattern TWO_NAMES = Pattern.compile("\\w+\\.\\w+");

  private final DocumentStore documents;
  private final LakeService lake;
  private final ImpactService impact;

  MapController(DocumentStore documents, LakeService lake, ImpactService impact) {
    this.documents = documents;
    this.lake = lake;
    this.impact = impact;
  }

  /** What a place of the map is. */
  enum PlaceKind {
    FEED,
    PIPELINE,
    TABLE,
    STAR,
    VIEW,
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

  /** What would come of everything if a table lost a column; nothing is changed. */
  @GetMapping("/column")
  ImpactService.Impact column(@RequestParam String table, @RequestParam String column) {
    return impact.of(table, column);
  }

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
    List<ViewDocument> views = views();
    Map<String, PlaceName> named = named(tables, views);
    for (ViewDocument v : views) {
      Set<PlaceName> its = at(from, PlaceKind.VIEW, v.name());
      its.addAll(readBy(v.sql().text(), named));
      its.remove(new PlaceName(PlaceKind.VIEW, v.name()));
    }
    for (StoredDocument d : documents.latest(DocumentStore.Kind.SAMPLER)) {
      Set<PlaceName> its = at(from, PlaceKind.SAMPLER, d.name());
      for (String over : overs(d)) {
        its.addAll(readBy(over, named));
      }
    }
    List.copyOf(from.values()).forEach(i -> i.forEach(p -> at(from, p.kind(), p.name())));
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

  private List<ViewDocument> views() {
    return documents.latest(DocumentStore.Kind.VIEW).stream()
        .flatMap(d -> ViewDocument.parse(d.text()).document().stream())
        .toList();
  }

  /** What queries can name, and where it is on the map. */
  private Map<String, PlaceName> named(Set<String> tables, List<ViewDocument> views) {
    Map<String, PlaceName> out = new TreeMap<>(String.CASE_INSENSITIVE_ORDER);
    tables.forEach(t -> out.put(t, new PlaceName(PlaceKind.TABLE, t)));
    for (String feed : documents.names(DocumentStore.Kind.FEED)) {
      out.put(Names.inFrom("feed", feed), new PlaceName(PlaceKind.FEED, feed));
    }
    views.forEach(v -> out.put(v.inFrom(), new PlaceName(PlaceKind.VIEW, v.name())));
    for (StoredDocument d : documents.latest(DocumentStore.Kind.STAR)) {
      StarModel.parse(d.text())
          .model()
          .ifPresent(
              m ->
                  m.facts()
                      .keySet()
                      .forEach(
                          f ->
                              out.put(
                                  d.name() + "." + f, new PlaceName(PlaceKind.STAR, d.name()))));
    }
    return out;
  }

  /** What a query names, as far as its words tell. */
  private static Set<PlaceName> readBy(String sql, Map<String, PlaceName> named) {
    Set<PlaceName> out = new LinkedHashSet<>();
    Matcher words = TWO_NAMES.matcher(sql.replace("\"", ""));
    while (words.find()) {
      Optional.ofNullable(named.get(words.group())).ifPresent(out::add);
    }
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

  /** What a page is over, and its own queries. */
  private static Set<String> overs(StoredDocument d) {
    Set<String> out = new LinkedHashSet<>();
    Optional<SamplerDocument> page = SamplerDocument.parse(d.text()).document();
    for (Block block : page.map(SamplerDocument::blocks).orElse(List.of())) {
      if (block.content() instanceof Block.Answer a) {
        SamplerSql.over(a.question()).map(TextValue::text).ifPresent(out::add);
        if (a.question() instanceof Block.Own own) {
          out.add(own.sql().text());
        }
      }
    }
    return out;
  }
}
