package yardage.service.pipelines;

import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.compile.PlannedTables;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.service.documents.DocumentStore;
import yardage.service.feeds.CatalogOfNow;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.web.ApiException;

/** Checks documents that need not be kept, against all that is there at one moment. */
@Service
public class Drafts {
  private final FeedService feeds;
  private final LakeService lake;
  private final DocumentStore documents;

  Drafts(FeedService feeds, LakeService lake, DocumentStore documents) {
    this.feeds = feeds;
    this.lake = lake;
    this.documents = documents;
  }

  /**
   * A document that need not be kept.
   *
   * @param together the texts of other pipelines, which need not be kept
   */
  public record Draft(String text, List<String> together, Map<String, String> parameters) {}

  /**
   * A draft that was checked.
   *
   * @param catalog the feeds and tables that it was checked against
   */
  public record Checked(PipelineCheck check, Catalog catalog) {
    public PipelineDocument document() {
      return check.document();
    }

    /**
     * @throws ApiException when some of the steps read a table that only another document will
     *     write
     */
    public void requireTables(Collection<PipelineDocument.Step> steps) {
      for (PipelineDocument.Step s : steps) {
        if (s.verb() instanceof Verb.ReadTable read && check.awaited().containsKey(read.table())) {
          throw new ApiException(
              HttpStatus.CONFLICT,
              "not-there-yet",
              "Step [%s] reads table [%s], which is not there yet"
                  .formatted(s.name(), read.table()),
              "Run [%s] first, which writes it".formatted(check.awaited().get(read.table())));
        }
      }
    }
  }

  public Checked check(Draft draft) {
    PipelineDocument document = PipelineDocument.parse(draft.text());
    Catalog now =
        new PlannedTables(
            CatalogOfNow.of(feeds, lake),
            document.name(),
            () ->
                Stream.concat(
                        draft.together().stream(),
                        documents.texts(DocumentStore.Kind.PIPELINE).stream())
                    .toList());
    return new Checked(PipelineCheck.of(document, now, draft.parameters()), now);
  }
}
