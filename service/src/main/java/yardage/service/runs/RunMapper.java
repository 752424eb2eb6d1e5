package yardage.service.runs;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Options;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Runs, their log lines, and the intake ledger that they write. */
@Mapper
interface RunMapper {
  String COLUMNS =
      """
      id, pipeline, document_version, feed_versions, parameters, settings, state, cause, requested_by, requested_at, due_at,
      started_at, finished_at, owner, lease_until, cancel_asked_by, failure_code, failure_step, failure_message, failure_feed, failure_file, tallies,
      set_aside, peak_bytes, warnings
      """;

  /** A new run's values; the id is filled in by the insert. */
  final class NewRun {
    public Long id;
    public String pipeline;
    public int documentVersion;
    public String feedVersions;
    public String parameters;
    public String cause;
    public String requestedBy;
    public Instant requestedAt;
    public Instant dueAt;
  }

  /** Ignores a due time that has a run already, whoever made it; returns 0 then. */
  @Insert(
      """
      INSERT IGNORE INTO runs (pipeline, document_version, feed_versions, parameters, settings, state, cause, requested_by, requested_at, due_at, tallies, set_aside)
      VALUES (#{pipeline}, #{documentVersion}, #{feedVersions}, #{parameters}, '{}', 'queued', #{cause}, #{requestedBy}, #{requestedAt}, #{dueAt}, '[]', '{}')
      """)
  @Options(useGeneratedKeys = true, keyProperty = "id")
  int insert(NewRun run);

  @Select("SELECT " + COLUMNS + " FROM runs WHERE id = #{id}")
  Optional<RunRow> find(long id);

  @Select("SELECT " + COLUMNS + " FROM runs WHERE pipeline = #{pipeline} ORDER BY id DESC LIMIT 1")
  Optional<RunRow> latestOf(String pipeline);

  @Select(
      "SELECT "
          + COLUMNS
          + " FROM runs WHERE pipeline = #{pipeline} AND state = 'succeeded' ORDER BY id DESC LIMIT 1")
  Optional<RunRow> latestSuccessOf(String pipeline);

  @Select(
      "<script>SELECT "
          + COLUMNS
          + """
      FROM runs
      WHERE id &lt; #{before}
      <if test="pipeline != ''">AND pipeline = #{pipeline}</if>
      <if test="state != ''">AND state = #{state}</if>
      ORDER BY id DESC LIMIT #{limit}
      </script>
      """)
  List<RunRow> list(
      @Param("pipeline") String pipeline,
      @Param("state") String state,
      @Param("before") long before,
      @Param("limit") int limit);

  /**
   * The oldest queued run whose pipeline is not at work, locked for the caller's transaction; other
   * claimers skip it.
   */
  @Select(
      """
      SELECT q.id FROM runs q
      WHERE q.state = 'queued'
        AND NOT EXISTS (SELECT 1 FROM runs r WHERE r.pipeline = q.pipeline AND r.state = 'running')
      ORDER BY q.id LIMIT 1 FOR UPDATE SKIP LOCKED
      """)
  Optional<Long> lockNext();

  @Update(
      """
      UPDATE runs SET state = 'running', owner = #{owner}, started_at = #{now}, lease_until = #{lease}, settings = #{settings}
      WHERE id = #{id} AND state = 'queued'
      """)
  int claim(
      @Param("id") long id,
      @Param("owner") String owner,
      @Param("now") Instant now,
      @Param("lease") Instant lease,
      @Param("settings") String settings);

  @Update(
      "UPDATE runs SET lease_until = #{lease}, tallies = #{tallies}, peak_bytes = #{peak} WHERE id = #{id} AND owner = #{owner} AND state = 'running'")
  int renew(
      @Param("id") long id,
      @Param("owner") String owner,
      @Param("lease") Instant lease,
      @Param("tallies") String tallies,
      @Param("peak") long peak);

  /** Why a run ended without publishing; nulls where there is nothing to say. */
  record Failed(String code, String step, String message, String feed, String file) {
    static final Failed NOT = new Failed(null, null, null, null, null);
  }

  /** Ends a run that its owner still holds. */
  @Update(
      """
      UPDATE runs SET state = #{state}, finished_at = #{now}, tallies = #{tallies}, set_aside = #{setAside}, peak_bytes = #{peak}, warnings = #{warnings},
        failure_code = #{f.code}, failure_step = #{f.step}, failure_message = #{f.message}, failure_feed = #{f.feed}, failure_file = #{f.file}
      WHERE id = #{id} AND owner = #{owner} AND state = 'running'
      """)
  int finish(
      @Param("id") long id,
      @Param("owner") String owner,
      @Param("state") String state,
      @Param("now") Instant now,
      @Param("tallies") String tallies,
      @Param("setAside") String setAside,
      @Param("peak") long peak,
      @Param("warnings") String warnings,
      @Param("f") Failed failed);

  @Update(
      "UPDATE runs SET cancel_asked_by = #{by} WHERE id = #{id} AND state = 'running' AND cancel_asked_by IS NULL")
  int askToCancel(@Param("id") long id, @Param("by") String by);

  @Update(
      "UPDATE runs SET state = 'cancelled', finished_at = #{now}, cancel_asked_by = #{by} WHERE id = #{id} AND state = 'queued'")
  int cancelQueued(@Param("id") long id, @Param("by") String by, @Param("now") Instant now);

  @Select(
      "SELECT id FROM runs WHERE owner = #{owner} AND state = 'running' AND cancel_asked_by IS NOT NULL")
  List<Long> askedToCancel(String owner);

  /**
   * Runs at work whose service is gone: of this home but another process, or with a lease that ran
   * out.
   */
  @Select(
      """
      SELECT id FROM runs
      WHERE state = 'running' AND owner <> #{owner} AND (owner LIKE CONCAT(#{home}, '/%') OR lease_until < #{now})
      """)
  List<Long> abandoned(
      @Param("owner") String owner, @Param("home") String home, @Param("now") Instant now);

  /** Runs that this service has claimed and not ended. */
  @Select("SELECT id FROM runs WHERE state = 'running' AND owner = #{owner}")
  List<Long> claimedBy(String owner);

  /** Puts a run back whose claim was made without anybody here knowing of it. */
  @Update(
      """
      UPDATE runs SET state = 'queued', owner = NULL, started_at = NULL, lease_until = NULL
      WHERE id = #{id} AND owner = #{owner} AND state = 'running'
      """)
  int putBack(@Param("id") long id, @Param("owner") String owner);

  @Update(
      """
      UPDATE runs SET state = 'interrupted', finished_at = #{now}, failure_code = 'interrupted',
        failure_message = 'The service stopped during this run; nothing was published. Run it again'
      WHERE id = #{id} AND state = 'running'
      """)
  int interrupt(@Param("id") long id, @Param("now") Instant now);

  @Insert(
      // The same line again is an answer that was lost.
      "INSERT IGNORE INTO run_log (run_id, line, at, message) VALUES (#{run}, #{line}, #{at}, #{message})")
  void log(
      @Param("run") long run,
      @Param("line") int line,
      @Param("at") Instant at,
      @Param("message") String message);

  @Update("UPDATE runs SET feed_versions = #{versions} WHERE id = #{run}")
  void feedVersions(@Param("run") long run, @Param("versions") String versions);

  record LogLine(Integer line, Instant at, String message) {}

  @Select(
      "SELECT line, at, message FROM run_log WHERE run_id = #{run} AND line > #{after} ORDER BY line LIMIT 1000")
  List<LogLine> logLines(@Param("run") long run, @Param("after") int after);

  record KnownFile(String path, Long sizeBytes, Instant modifiedAt, String contentHash) {}

  @Select(
      "SELECT path, size_bytes, modified_at, content_hash FROM intake WHERE pipeline = #{pipeline} AND feed = #{feed}")
  List<KnownFile> knownFiles(@Param("pipeline") String pipeline, @Param("feed") String feed);

  record EarlierContents(String contentHash, String path, Long sizeBytes) {}

  @Select(
      "SELECT content_hash, path, size_bytes FROM intake_past WHERE pipeline = #{pipeline} AND feed = #{feed}")
  List<EarlierContents> earlier(@Param("pipeline") String pipeline, @Param("feed") String feed);

  /** Sums up what a run has just taken in, for each feed. */
  @Insert(
      """
      <script>
      INSERT INTO feed_intakes (run_id, feed, files, records, set_aside)
      SELECT run_id, feed, COUNT(*), SUM(records), SUM(set_aside)
      FROM intake WHERE run_id = #{run} AND pipeline = #{pipeline} AND feed IN
      <foreach collection="feeds" item="feed" open="(" separator="," close=")">#{feed}</foreach>
      GROUP BY run_id, feed
      </script>
      """)
  void sumUpIntake(
      @Param("run") long run,
      @Param("pipeline") String pipeline,
      @Param("feeds") java.util.Collection<String> feeds);

  @Select("SELECT COUNT(*) FROM runs WHERE state = #{state}")
  long count(String state);
}
