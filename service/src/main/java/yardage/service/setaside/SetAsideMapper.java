package yardage.service.setaside;

import java.time.Instant;
import java.util.List;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** What became of set-aside rows. */
@Mapper
interface SetAsideMapper {
  record Fate(Long numberInRun, String corrected, String identity, String replayFile) {}

  @Select(
      "SELECT number_in_run, corrected, identity, replay_file FROM set_aside_fates WHERE run_id = #{run}")
  List<Fate> fates(@Param("run") long run);

  @Select(
      "<script>SELECT identity FROM set_aside_fates WHERE identity IN <foreach collection='identities' item='i' open='(' separator=',' close=')'>#{i}</foreach></script>")
  List<String> replayed(@Param("identities") List<String> identities);

  @Insert(
      """
      INSERT INTO set_aside_fates (run_id, number_in_run, corrected, changed_by, changed_at)
      VALUES (#{run}, #{row}, #{text}, #{by}, #{at})
      ON DUPLICATE KEY UPDATE corrected = VALUES(corrected), changed_by = VALUES(changed_by), changed_at = VALUES(changed_at)
      """)
  void correct(
      @Param("run") long run,
      @Param("row") long row,
      @Param("text") String text,
      @Param("by") String by,
      @Param("at") Instant at);

  @Insert(
      """
      INSERT IGNORE INTO set_aside_fates (run_id, number_in_run, changed_by, changed_at)
      VALUES (#{run}, #{row}, #{by}, #{at})
      """)
  void touch(
      @Param("run") long run,
      @Param("row") long row,
      @Param("by") String by,
      @Param("at") Instant at);

  @Select("SELECT COUNT(*) FROM intake WHERE path = #{file}")
  long timesTaken(String file);

  @Select("SELECT COUNT(*) FROM set_aside_fates WHERE replay_file = #{file}")
  long rowsOf(String file);

  @Update(
      "UPDATE set_aside_fates SET identity = NULL, replay_file = NULL WHERE run_id = #{run} AND replay_file = #{file}")
  int withdrawReplay(@Param("run") long run, @Param("file") String file);

  @Update(
      "UPDATE set_aside_fates SET corrected = NULL WHERE run_id = #{run} AND number_in_run = #{row} AND corrected IS NOT NULL AND identity IS NULL")
  int withdrawCorrection(@Param("run") long run, @Param("row") long row);

  /** Marks a row as replayed; 0 when it was before. Fails when another run's copy of it was. */
  @Update(
      """
      UPDATE set_aside_fates SET identity = #{identity}, replay_file = #{file}, changed_by = #{by}, changed_at = #{at}
      WHERE run_id = #{run} AND number_in_run = #{row} AND identity IS NULL
      """)
  int replay(
      @Param("run") long run,
      @Param("row") long row,
      @Param("identity") String identity,
      @Param("file") String file,
      @Param("by") String by,
      @Param("at") Instant at);
}
