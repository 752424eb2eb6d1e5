package yardage.core.pipeline.compile;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.feed.FeedColumn;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.IntakePolicy;
import yardage.core.lake.WriteMode;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;

/**
 * Where a table keeps the file that each row came from, so that the rows of a file's earlier
 * contents can go when it is replaced. That is exact only where a row of the table is made of one
 * row of one file: rows that were merged or grouped are no one file's any more.
 */
public final class ReplacedFiles {
  /** The table's column with the file, and the feeds whose replaced files count. */
  public record Place(String column, List<String> feeds) {}

  private ReplacedFiles() {}

  /** For a write that appends rows of feeds that replace; empty for every other. */
  public static Optional<Place> of(PipelineCheck check, Catalog catalog, String write) {
    return find(check, catalog, write).flatMap(Found::place);
  }

  /** Why the rows cannot be told; empty when they can, or need not be. */
  static Optional<String> complaint(PipelineCheck check, Catalog catalog, String write) {
    return find(check, catalog, write).filter(f -> f.place().isEmpty()).map(Found::complaint);
  }

  private record Found(Optional<Place> place, String complaint) {}

  private static Optional<Found> find(PipelineCheck check, Catalog catalog, String name) {
    PipelineDocument document = check.document();
    PipelineDocument.Step write = document.steps().get(name);
    if (!(write.verb() instanceof Verb.Write w) || w.mode() != WriteMode.APPEND) {
      return Optional.empty();
    }
    List<PipelineDocument.Step> behind = PipelineCheck.behind(document, name);
    Map<String, FeedDefinition> replacing = new java.util.TreeMap<>();
    for (PipelineDocument.Step s : behind) {
      if (s.verb() instanceof Verb.ReadFeed r) {
        catalog
            .feed(r.feed().text())
            .filter(f -> f.intake().replaced() == IntakePolicy.Again.REPLACE)
            .ifPresent(f -> replacing.put(s.name(), f));
      }
    }
    if (replacing.isEmpty()) {
      return Optional.empty();
    }
    for (PipelineDocument.Step s : behind) {
      if (s.verb() instanceof Verb.AggregateStep
          || s.verb() instanceof Verb.Dedupe
          || s.verb() instanceof Verb.Dimension
          || s.verb() instanceof Verb.Pivot
          || s.verb() instanceof Verb.Sql) {
        return Optional.of(
            new Found(
                Optional.empty(),
                "Step [%s] makes rows of several files' rows, so those of a replaced file cannot be taken out of [%s]: append to a raw table first, or write with mode: replace"
                    .formatted(s.name(), w.table())));
      }
    }
    return Optional.of(place(check, replacing, name, w));
  }

  private static Found place(
      PipelineCheck check, Map<String, FeedDefinition> replacing, String name, Verb.Write write) {
    ColumnLineage lineage = ColumnLineage.of(check);
    for (String column : check.schema(name).names()) {
      var same = lineage.sameBehind(new ColumnLineage.At(name, column));
      List<String> feeds = new ArrayList<>();
      replacing.forEach(
          (step, feed) -> {
            boolean has =
                feed.columns().stream()
                    .filter(
                        c ->
                            c.source() instanceof FeedColumn.Added a
                                && a.what() == FeedColumn.Addition.FILE)
                    .anyMatch(c -> same.contains(new ColumnLineage.At(step, c.name())));
            if (has) {
              feeds.add(feed.name());
            }
          });
      if (feeds.size() == replacing.size()) {
        return new Found(Optional.of(new Place(column, feeds.stream().distinct().toList())), "");
      }
    }
    return new Found(
        Optional.empty(),
        "Feed [%s] says replaced: replace, and [%s] does not keep the file that each row came from: give the feed a column with add: file, and keep it up to this write"
            .formatted(replacing.values().iterator().next().name(), write.table()));
  }
}
