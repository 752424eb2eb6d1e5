package yardage.service.query;

import java.util.List;
import org.springframework.http.HttpStatus;
import yardage.core.column.Schema;
import yardage.core.feed.FeedException;
import yardage.core.feed.FeedRelation;
import yardage.core.feed.FeedReport;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.web.ApiException;

/** A feed that is looked for when the query turns out to name it. */
final class LazyFeed implements Relation {
  private final String name;
  private final FeedService feeds;
  private final LakeService lake;
  private FeedRelation found;

  LazyFeed(String name, FeedService feeds, LakeService lake) {
    this.name = name;
    this.feeds = feeds;
    this.lake = lake;
  }

  List<String> leftOut(List<FeedReport> reports) {
    return found == null ? List.of() : found.leftOut(reports);
  }

  /** Whether a query turned out to name it. */
  boolean isRead() {
    return found != null;
  }

  private FeedRelation feed() {
    if (found == null) {
      try {
        found = new FeedRelation(feeds.require(name), lake.lake().raw(), feeds.quarantine(name));
      } catch (FeedException e) {
        throw new ApiException(
            HttpStatus.UNPROCESSABLE_ENTITY, "feed", e.getMessage(), "Then query it again");
      }
    }
    return found;
  }

  @Override
  public Schema schema() {
    return feed().schema();
  }

  @Override
  public double rowCount() {
    return feed().rowCount();
  }

  @Override
  public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
    return feed().read(columns, predicates, step);
  }
}
