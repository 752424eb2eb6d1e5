package yardage.service.feeds;

import java.util.List;
import java.util.Optional;
import org.springframework.stereotype.Service;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.Catalog;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.tables.LakeService;
import yardage.service.web.ApiException;

/** Reads and keeps feeds; the catalog that pipelines are checked against. */
@Service
public class FeedService implements Catalog {
  private final DocumentStore documents;
  private final LakeService lake;

  FeedService(DocumentStore documents, LakeService lake) {
    this.documents = documents;
    this.lake = lake;
  }

  StoredDocument save(String name, String text, String by, Optional<Integer> basedOn) {
    FeedDefinition.Parsed parsed = FeedDefinition.parse(text);
    if (parsed.feed().isEmpty()) {
      throw ApiException.invalidDocument(name, parsed.problems());
    }
    if (!parsed.feed().get().name().equals(name)) {
      throw new ApiException(
          org.springframework.http.HttpStatus.UNPROCESSABLE_ENTITY,
          "other-name",
          "The document calls itself [%s], not [%s]".formatted(parsed.feed().get().name(), name),
          "Save it under its own name");
    }
    return documents.save(DocumentStore.Kind.FEED, name, text, by, basedOn);
  }

  /** The feed as of a version. */
  public Optional<FeedDefinition> feed(String name, int version) {
    return documents
        .find(DocumentStore.Kind.FEED, name, version)
        .flatMap(d -> FeedDefinition.parse(d.text()).feed());
  }

  @Override
  public Optional<FeedDefinition> feed(String name) {
    return documents
        .find(DocumentStore.Kind.FEED, name)
        .flatMap(d -> FeedDefinition.parse(d.text()).feed());
  }

  @Override
  public List<String> feeds() {
    return documents.latest(DocumentStore.Kind.FEED).stream().map(StoredDocument::name).toList();
  }

  @Override
  public Optional<LakeTable> table(TableName name) {
    return lake.lake().table(name);
  }

  @Override
  public List<TableName> tables() {
    return lake.tables();
  }
}
