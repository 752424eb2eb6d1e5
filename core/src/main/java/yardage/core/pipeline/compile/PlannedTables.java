package yardage.core.pipeline.compile;

import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Supplier;
import yardage.core.lake.TableName;
import yardage.core.pipeline.read.PipelineDocument;

/**
 * A catalog that also knows the tables that documents will write: those that are checked together,
 * and those that are kept and have not run yet. A document that reads such a table can be checked
 * before the table is there.
 */
public final class PlannedTables implements CatalogOver {
  private final Catalog now;
  private final String besides;
  private final Supplier<List<String>> texts;
  private final Map<TableName, Optional<Planned>> known = new HashMap<>();
  private final Set<TableName> open = new HashSet<>();
  private List<PipelineDocument> documents;

  /**
   * @param besides the pipeline that is checked, whose own text plans nothing for it
   * @param texts the pipelines; the first that writes a table says what it will be. They are asked
   *     for when a table is missed, which is seldom
   */
  public PlannedTables(Catalog now, String besides, Supplier<List<String>> texts) {
    this.now = now;
    this.besides = besides;
    this.texts = texts;
  }

  private List<PipelineDocument> documents() {
    if (documents == null) {
      documents =
          texts.get().stream()
              .map(PipelineDocument::parse)
              .filter(d -> !d.name().equals(besides))
              .toList();
    }
    return documents;
  }

  @Override
  public Optional<Planned> planned(TableName table) {
    if (known.containsKey(table)) {
      return known.get(table);
    }
    if (!open.add(table)) {
      // A document that reads what it writes itself, through others or not.
      return Optional.empty();
    }
    Optional<Planned> found =
        documents().stream()
            .filter(d -> PipelineCheck.writes(d, table))
            .findFirst()
            .flatMap(
                d ->
                    PipelineCheck.of(d, this, Map.of())
                        .written(table)
                        .map(s -> new Planned(d.name(), s)));
    open.remove(table);
    known.put(table, found);
    return found;
  }

  @Override
  public Catalog now() {
    return now;
  }
}
