package yardage.service.states;

import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Records that name a pipeline or a feed, when its name changes. */
@Mapper
interface NamesMapper {
  @Select(
      "SELECT COUNT(*) FROM runs WHERE pipeline = #{pipeline} AND state IN ('queued', 'running')")
  long runsAtWork(String pipeline);

  @Update("UPDATE runs SET pipeline = #{next} WHERE pipeline = #{name}")
  void runs(@Param("name") String name, @Param("next") String next);

  @Update("UPDATE intake SET pipeline = #{next} WHERE pipeline = #{name}")
  void intakeOfPipeline(@Param("name") String name, @Param("next") String next);

  @Update("UPDATE intake_past SET pipeline = #{next} WHERE pipeline = #{name}")
  void pastOfPipeline(@Param("name") String name, @Param("next") String next);

  @Update("UPDATE intake SET feed = #{next} WHERE feed = #{name}")
  void intakeOfFeed(@Param("name") String name, @Param("next") String next);

  @Update("UPDATE intake_past SET feed = #{next} WHERE feed = #{name}")
  void pastOfFeed(@Param("name") String name, @Param("next") String next);

  @Update("UPDATE feed_intakes SET feed = #{next} WHERE feed = #{name}")
  void intakesOfFeed(@Param("name") String name, @Param("next") String next);

  @Update("UPDATE quarantine SET feed = #{next} WHERE feed = #{name}")
  void quarantine(@Param("name") String name, @Param("next") String next);

  /** Replayed rows are files in a folder of their feed's name: the ledger follows them there. */
  @Update(
      """
      UPDATE intake SET path_hash = SHA2(CONCAT(#{to}, SUBSTRING(path, CHAR_LENGTH(#{from}) + 1)), 256),
        path = CONCAT(#{to}, SUBSTRING(path, CHAR_LENGTH(#{from}) + 1))
      WHERE feed = #{feed} AND LEFT(path, CHAR_LENGTH(#{from})) = #{from}
      """)
  void replaysTaken(@Param("feed") String feed, @Param("from") String from, @Param("to") String to);

  @Update(
      """
      UPDATE set_aside_fates SET replay_file = CONCAT(#{to}, SUBSTRING(replay_file, CHAR_LENGTH(#{from}) + 1))
      WHERE LEFT(replay_file, CHAR_LENGTH(#{from})) = #{from}
      """)
  void replaysMade(@Param("from") String from, @Param("to") String to);
}
