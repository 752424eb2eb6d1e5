package yardage.service.feeds;

import java.time.Instant;
import java.util.List;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;

/** What the intake ledger says of feeds. */
@Mapper
interface FeedMapper {
  record Taken(
      String pipeline,
      String path,
      Long sizeBytes,
      Long records,
      Long setAside,
      Long runId,
      Instant takenAt) {}

  record Intake(Long runId, Instant takenAt, Long files, Long records, Long setAside) {}

  record Freshness(String feed, Instant lastAt, Long records, Long setAside) {}

  @Select(
      """
      SELECT i.pipeline, i.path, i.size_bytes, i.records, i.set_aside, i.run_id, r.finished_at AS taken_at
      FROM intake i JOIN runs r ON r.id = i.run_id WHERE i.feed = #{feed} ORDER BY i.run_id DESC, i.path LIMIT 5000
      """)
  List<Taken> taken(String feed);

  @Select(
      """
      SELECT i.run_id, r.finished_at AS taken_at, i.files, i.records, i.set_aside
      FROM feed_intakes i JOIN runs r ON r.id = i.run_id WHERE i.feed = #{feed} ORDER BY i.run_id DESC LIMIT 60
      """)
  List<Intake> intakes(String feed);

  @Select(
      """
      SELECT i.feed, MAX(r.finished_at) AS last_at, CAST(SUM(i.records) AS SIGNED) AS records,
        CAST(SUM(i.set_aside) AS SIGNED) AS set_aside
      FROM intake i JOIN runs r ON r.id = i.run_id GROUP BY i.feed
      """)
  List<Freshness> freshness();

  /** Lets contents come again that a file has now: they are no earlier ones of any. */
  @Delete(
      """
      DELETE FROM intake_past WHERE feed = #{feed} AND pipeline = #{pipeline} AND content_hash IN
        (SELECT content_hash FROM intake WHERE feed = #{feed} AND pipeline = #{pipeline} AND path_hash = SHA2(#{path}, 256))
      """)
  void forgetPast(
      @Param("feed") String feed, @Param("pipeline") String pipeline, @Param("path") String path);

  @Delete(
      "DELETE FROM intake WHERE feed = #{feed} AND pipeline = #{pipeline} AND path_hash = SHA2(#{path}, 256)")
  int forget(
      @Param("feed") String feed, @Param("pipeline") String pipeline, @Param("path") String path);
}
