package yardage.service.previews;

import java.util.List;
import java.util.Optional;
import yardage.core.insight.profile.Profile;
import yardage.service.query.ShownRows;

/**
 * What columns hold; see {@link Profile}. Values are as in the rows of a query.
 *
 * @param of the step or table
 * @param sources what was read, in words
 */
record ProfileView(
    String of,
    long rows,
    List<ColumnView> columns,
    List<String> sources,
    List<String> notes,
    long elapsedMillis) {

  /** A column; see {@link Profile.ColumnProfile}. */
  record ColumnView(
      String name,
      String type,
      long nulls,
      long distinct,
      boolean isExact,
      Optional<Object> smallest,
      Optional<Object> largest,
      List<Object> quantiles,
      List<CountedView> commonest,
      Optional<Profile.TextLengths> lengths,
      List<Profile.TextShape> shapes,
      List<BucketView> histogram,
      List<Profile.Oddity> findings) {}

  /** A value and how often it comes; at least so often where it is not exact. */
  record CountedView(Object value, long count, boolean isExact) {}

  /** Values from one on to another. */
  record BucketView(Object from, Object to, long count) {}

  static ProfileView of(
      String of, Profile profile, List<String> sources, List<String> notes, long elapsedMillis) {
    return new ProfileView(
        of,
        profile.rows(),
        profile.columns().stream().map(ProfileView::column).toList(),
        sources,
        notes,
        elapsedMillis);
  }

  private static ColumnView column(Profile.ColumnProfile c) {
    return new ColumnView(
        c.name(),
        c.type(),
        c.nulls(),
        c.distinct(),
        c.isExact(),
        c.smallest().map(ShownRows::json),
        c.largest().map(ShownRows::json),
        c.quantiles().stream().map(ShownRows::json).toList(),
        c.commonest().stream()
            .map(v -> new CountedView(ShownRows.json(v.value()), v.count(), v.isExact()))
            .toList(),
        c.lengths(),
        c.shapes(),
        c.histogram().stream()
            .map(b -> new BucketView(ShownRows.json(b.from()), ShownRows.json(b.to()), b.count()))
            .toList(),
        c.findings());
  }
}
