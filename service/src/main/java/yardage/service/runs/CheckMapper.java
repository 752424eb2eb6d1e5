package yardage.service.runs;

import java.time.Instant;
import java.util.List;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import yardage.core.pipeline.run.CheckResults;

/** What came of the rules of check steps, run by run. */
@Mapper
interface CheckMapper {
  record Kept(
      long runId,
      Instant endedAt,
      String step,
      String rule,
      String outcome,
      long rowsIn,
      long failed,
      String words) {}

  @Insert(
      """
      INSERT IGNORE INTO check_results (run_id, step, rule, outcome, rows_in, failed, words)
      VALUES (#{run}, #{r.step}, #{r.rule}, #{r.outcome}, #{r.rows}, #{r.failed}, #{r.words})
      """)
  void keep(@Param("run") long run, @Param("r") CheckResults.Result result);

  @Select(
      """
      SELECT c.run_id, COALESCE(r.finished_at, r.requested_at) AS ended_at, c.step, c.rule, c.outcome, c.rows_in, c.failed, c.words
      FROM check_results c JOIN runs r ON r.id = c.run_id
      WHERE c.run_id = #{run} ORDER BY c.step, c.rule
      """)
  List<Kept> ofRun(long run);

  /** The newest runs' results, the oldest of them first. */
  @Select(
      """
      SELECT * FROM (
        SELECT c.run_id, COALESCE(r.finished_at, r.requested_at) AS ended_at, c.step, c.rule, c.outcome, c.rows_in, c.failed, c.words
        FROM check_results c JOIN runs r ON r.id = c.run_id
        WHERE r.pipeline = #{pipeline} ORDER BY c.run_id DESC LIMIT #{most}
      ) newest ORDER BY run_id, step, rule
      """)
  List<Kept> ofPipeline(@Param("pipeline") String pipeline, @Param("most") int most);
}
