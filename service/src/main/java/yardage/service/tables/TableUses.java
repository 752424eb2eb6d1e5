package yardage.service.tables;

import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;
import org.springframework.stereotype.Component;
import yardage.core.lake.TableName;
import yardage.core.pipeline.PipelineCheck;
import yardage.core.pipeline.PipelineCheck.TableUse;
import yardage.core.pipeline.PipelineDocument;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;

/** Which pipelines read and write a table, by their newest documents. */
@Component
class TableUses {
  private final DocumentStore documents;
  private final TableMapper mapper;

  TableUses(DocumentStore documents, TableMapper mapper) {
    this.documents = documents;
    this.mapper = mapper;
  }

  /** A pipeline's step that reads or writes. */
  record Use(String pipeline, TableUse use) {}

  List<Use> of(TableName table) {
    List<Use> out = new ArrayList<>();
    for (StoredDocument d : documents.latest(DocumentStore.Kind.PIPELINE)) {
      PipelineCheck.tablesOf(PipelineDocument.parse(d.text())).stream()
          .filter(u -> u.table().equals(table))
          .forEach(u -> out.add(new Use(d.name(), u)));
    }
    return out;
  }

  /**
   * The bytes of the raw files from which rows of the table came, as the intake ledger has them; 0
   * when no pipeline writes it from feeds.
   */
  long rawBytes(TableName table) {
    TreeMap<String, List<String>> feeds = new TreeMap<>();
    for (Use u : of(table)) {
      if (u.use().writes()) {
        documents
            .find(DocumentStore.Kind.PIPELINE, u.pipeline())
            .ifPresent(
                d ->
                    feeds
                        .computeIfAbsent(u.pipeline(), p -> new ArrayList<>())
                        .addAll(
                            PipelineCheck.feedsOf(
                                PipelineDocument.parse(d.text()), u.use().step())));
      }
    }
    return feeds.entrySet().stream()
        .flatMap(e -> e.getValue().stream().distinct().map(f -> mapper.rawBytes(e.getKey(), f)))
        .mapToLong(Long::longValue)
        .sum();
  }
}
