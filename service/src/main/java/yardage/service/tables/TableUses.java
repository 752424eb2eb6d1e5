package yardage.service.tables;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.springframework.stereotype.Component;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.compile.PipelineCheck.TableUse;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.lake.TableMapper;

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
   * The bytes of the raw files from which rows of each table came, as the intake ledger has them;
   * tables that no pipeline writes from feeds are not there. Every document is read once.
   */
  Map<TableName, Long> rawBytes() {
    Map<List<String>, Long> byFeed = new HashMap<>();
    mapper.rawBytes().forEach(r -> byFeed.put(List.of(r.pipeline(), r.feed()), r.sizeBytes()));
    Map<TableName, Long> out = new HashMap<>();
    for (StoredDocument d : documents.latest(DocumentStore.Kind.PIPELINE)) {
      PipelineDocument document = PipelineDocument.parse(d.text());
      Map<TableName, Set<String>> feeds = new HashMap<>();
      for (TableUse use : PipelineCheck.tablesOf(document)) {
        if (use.writes()) {
          feeds
              .computeIfAbsent(use.table(), t -> new HashSet<>())
              .addAll(PipelineCheck.feedsOf(document, use.step()));
        }
      }
      feeds.forEach(
          (table, names) ->
              names.forEach(
                  f -> out.merge(table, byFeed.getOrDefault(List.of(d.name(), f), 0L), Long::sum)));
    }
    return out;
  }
}
