package yardage.service.schedules;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** The next due time of each scheduled pipeline. */
@Mapper
interface ScheduleMapper {
  record Due(String pipeline, Instant nextAt) {}

  @Insert(
      "INSERT INTO schedules (pipeline, next_at) VALUES (#{pipeline}, #{next}) ON DUPLICATE KEY UPDATE next_at = VALUES(next_at)")
  void put(@Param("pipeline") String pipeline, @Param("next") Instant next);

  @Delete("DELETE FROM schedules WHERE pipeline = #{pipeline}")
  void remove(String pipeline);

  @Update("UPDATE schedules SET pipeline = #{next} WHERE pipeline = #{name}")
  void rename(@Param("name") String name, @Param("next") String next);

  @Select("SELECT next_at FROM schedules WHERE pipeline = #{pipeline}")
  Optional<Instant> nextAt(String pipeline);

  @Select("SELECT pipeline, next_at FROM schedules WHERE next_at <= #{now} ORDER BY next_at")
  List<Due> due(Instant now);

  @Update(
      "UPDATE schedules SET next_at = #{next} WHERE pipeline = #{pipeline} AND next_at = #{was}")
  int advance(
      @Param("pipeline") String pipeline, @Param("was") Instant was, @Param("next") Instant next);

  @Delete("DELETE FROM schedules WHERE pipeline = #{pipeline} AND next_at = #{was}")
  int finish(@Param("pipeline") String pipeline, @Param("was") Instant was);
}
