package yardage.service.runs;

import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Timestamp;
import java.util.Comparator;
import java.util.List;
import java.util.stream.Collectors;
import org.springframework.jdbc.core.JdbcTemplate;
import org.springframework.stereotype.Component;
import yardage.core.feed.IntakeFile;
import yardage.core.feed.KnownFiles;
import yardage.service.TextHash;
import yardage.service.feeds.FeedService;

/**
 * Writes the intake ledger, also of very many files, in the transaction of its caller.
 *
 * <p>The one place that goes past MyBatis: 100,000 files took 9 to 11 s through it, a row or 200
 * rows a statement alike, and 3 s as here, with many rows a statement in the order of the table's
 * primary key.
 */
@Component
public class IntakeLedger {
  private static final int ROWS_A_STATEMENT = 500;

  private static final String HEAD =
      """
      INSERT INTO intake (pipeline, feed, path_hash, path, size_bytes, modified_at, content_hash, records, set_aside, run_id)
      VALUES\s""";
  private static final String EARLIER =
      """
      INSERT IGNORE INTO intake_past (pipeline, feed, content_hash, path, size_bytes, run_id)
      SELECT pipeline, feed, content_hash, path, size_bytes, run_id FROM intake
      WHERE pipeline = ? AND (feed, path_hash) IN (%s)
      """;
  private static final String ROW = "(?, ?, ?, ?, ?, ?, ?, ?, ?, ?)";
  private static final String TAIL =
      """

      ON DUPLICATE KEY UPDATE size_bytes = VALUES(size_bytes), modified_at = VALUES(modified_at), content_hash = VALUES(content_hash),
        records = VALUES(records), set_aside = VALUES(set_aside), run_id = VALUES(run_id)
      """;

  private final JdbcTemplate jdbc;
  private final RunMapper mapper;
  private final FeedService feeds;

  IntakeLedger(JdbcTemplate jdbc, RunMapper mapper, FeedService feeds) {
    this.jdbc = jdbc;
    this.mapper = mapper;
    this.feeds = feeds;
  }

  /** What is known of a pipeline's files now. */
  public KnownFiles known(String pipeline) {
    return known(pipeline, PinnedCatalog.Patience.NONE);
  }

  KnownFiles known(String pipeline, PinnedCatalog.Patience patience) {
    return new LedgerFiles(pipeline, mapper, feeds, patience);
  }

  private record Entry(String pathHash, IntakeFile file) {}

  /** Takes a run's files in, and sums them up by feed. */
  void takeIn(String pipeline, long run, List<IntakeFile> files) {
    if (files.isEmpty()) {
      return;
    }
    List<Entry> entries =
        files.stream()
            .map(f -> new Entry(TextHash.sha256(f.path()), f))
            .sorted(
                Comparator.comparing((Entry e) -> e.file().feed()).thenComparing(Entry::pathHash))
            .toList();
    jdbc.execute(
        (Connection connection) -> {
          for (int at = 0; at < entries.size(); at += ROWS_A_STATEMENT) {
            List<Entry> some = entries.subList(at, Math.min(entries.size(), at + ROWS_A_STATEMENT));
            keepEarlier(connection, pipeline, some);
            insert(connection, pipeline, run, some);
          }
          return null;
        });
    mapper.sumUpIntake(
        run, pipeline, files.stream().map(IntakeFile::feed).collect(Collectors.toSet()));
  }

  /** Remembers what files held that have other contents now. */
  private static void keepEarlier(Connection connection, String pipeline, List<Entry> entries)
      throws SQLException {
    String places = "(?, ?), ".repeat(entries.size() - 1) + "(?, ?)";
    try (PreparedStatement statement = connection.prepareStatement(EARLIER.formatted(places))) {
      int p = 0;
      statement.setString(++p, pipeline);
      for (Entry e : entries) {
        statement.setString(++p, e.file().feed());
        statement.setString(++p, e.pathHash());
      }
      statement.executeUpdate();
    }
  }

  private static void insert(Connection connection, String pipeline, long run, List<Entry> entries)
      throws SQLException {
    String rows = (ROW + ", ").repeat(entries.size() - 1) + ROW;
    try (PreparedStatement statement = connection.prepareStatement(HEAD + rows + TAIL)) {
      int p = 0;
      for (Entry e : entries) {
        IntakeFile f = e.file();
        statement.setString(++p, pipeline);
        statement.setString(++p, f.feed());
        statement.setString(++p, e.pathHash());
        statement.setString(++p, f.path());
        statement.setLong(++p, f.sizeBytes());
        statement.setTimestamp(++p, Timestamp.from(f.modified()));
        statement.setString(++p, f.contentHash());
        statement.setLong(++p, f.records());
        statement.setLong(++p, f.setAside());
        statement.setLong(++p, run);
      }
      statement.executeUpdate();
    }
  }
}
