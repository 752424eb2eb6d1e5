package yardage.core.pipeline.compile;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import yardage.core.column.Schema;
import yardage.core.document.Problem;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.read.PipelineDocument;

/**
 * What would come of pipelines if a table lost a column: they are checked against the table without
 * it. A step that then has an error breaks; a table that is written of such rows loses its columns
 * too, and is followed in turn.
 */
public final class ColumnImpact {
  private final Catalog now;
  private final List<PipelineDocument> documents;
  private final Map<TableName, Set<String>> gone = new LinkedHashMap<>();
  private final Map<String, Broken> broken = new LinkedHashMap<>();

  private ColumnImpact(Catalog now, List<PipelineDocument> documents) {
    this.now = now;
    this.documents = documents;
  }

  /** A pipeline that would fail, with what its check would say. */
  public record Broken(String pipeline, List<Problem> problems) {}

  /**
   * @param gone the columns that tables would lose, the asked one first
   * @param broken the pipelines that would fail; what they write stays as it is
   */
  public record Report(Map<TableName, Set<String>> gone, List<Broken> broken) {}

  /**
   * @param texts all pipelines
   * @param column one of the table's
   */
  public static Report of(Catalog now, List<String> texts, TableName table, String column) {
    ColumnImpact impact =
        new ColumnImpact(now, texts.stream().map(PipelineDocument::parse).toList());
    impact.gone.put(table, new LinkedHashSet<>(Set.of(column.toLowerCase(Locale.ROOT))));
    impact.follow(table);
    return new Report(impact.gone, List.copyOf(impact.broken.values()));
  }

  private void follow(TableName first) {
    Deque<TableName> open = new ArrayDeque<>(List.of(first));
    while (!open.isEmpty()) {
      TableName table = open.remove();
      for (PipelineDocument document : documents) {
        if (PipelineCheck.tablesOf(document).stream()
            .anyMatch(u -> !u.writes() && u.table().equals(table))) {
          open.addAll(without(document));
        }
      }
    }
  }

  /** Checks a pipeline without what is gone; gives the tables that lose more by it. */
  private List<TableName> without(PipelineDocument document) {
    PipelineCheck before = PipelineCheck.of(document, now, Map.of());
    List<TableName> more = new ArrayList<>();
    PipelineCheck after = PipelineCheck.of(document, new Without(now, gone), Map.of());
    // A table that is written would have to lose the column too: that alone is no fault of a step.
    for (List<TableName> lost = lost(before, after); !lost.isEmpty(); lost = lost(before, after)) {
      more.addAll(lost);
      after = PipelineCheck.of(document, new Without(now, gone), Map.of());
    }
    Set<String> known = new HashSet<>();
    errors(before).forEach(p -> known.add(words(p)));
    List<Problem> problems = errors(after).stream().filter(p -> !known.contains(words(p))).toList();
    if (!problems.isEmpty()) {
      broken.put(document.name(), new Broken(document.name(), problems));
    }
    return more;
  }

  /** The tables whose rows have fewer columns than before, and more than those that are gone. */
  private List<TableName> lost(PipelineCheck before, PipelineCheck after) {
    List<TableName> out = new ArrayList<>();
    for (PipelineCheck.TableUse use : PipelineCheck.tablesOf(before.document())) {
      PipelineDocument.Step step = before.document().steps().get(use.step());
      if (use.writes() && step != null && !step.inputs().isEmpty()) {
        String input = step.inputs().get(0).text();
        Schema was = before.schema(input);
        Schema is = after.schema(input);
        if (was != null && is != null && loses(use.table(), was, is)) {
          out.add(use.table());
        }
      }
    }
    return out;
  }

  private boolean loses(TableName table, Schema before, Schema after) {
    Set<String> lost = new LinkedHashSet<>();
    before.names().stream()
        .filter(n -> after.indexOf(n) < 0)
        .forEach(n -> lost.add(n.toLowerCase(Locale.ROOT)));
    return !lost.isEmpty() && gone.computeIfAbsent(table, t -> new LinkedHashSet<>()).addAll(lost);
  }

  private static List<Problem> errors(PipelineCheck check) {
    return check.problems().stream().filter(p -> p.severity() == Problem.Severity.ERROR).toList();
  }

  private static String words(Problem p) {
    return p.step() + " " + p.field() + " " + p.message();
  }

  /** A schema without some columns. */
  public static Schema without(Schema schema, Set<String> columns) {
    return new Schema(
        schema.fields().stream()
            .filter(f -> !columns.contains(f.name().toLowerCase(Locale.ROOT)))
            .toList());
  }

  /** All that is there, but for some columns. */
  private record Without(Catalog now, Map<TableName, Set<String>> gone) implements CatalogOver {

    @Override
    public Optional<LakeTable> table(TableName name) {
      return gone.containsKey(name) ? Optional.empty() : now.table(name);
    }

    @Override
    public Optional<Planned> planned(TableName table) {
      if (!gone.containsKey(table)) {
        return now.planned(table);
      }
      return now.table(table)
          .map(LakeTable::schema)
          .or(() -> now.planned(table).map(Planned::schema))
          .map(s -> new Planned("", without(s, gone.get(table))));
    }
  }
}
