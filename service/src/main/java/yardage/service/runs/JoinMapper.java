package yardage.service.runs;

import java.util.List;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;

/** What runs said of their joins that found little; an insight is kept as JSON. */
@Mapper
interface JoinMapper {
  @Insert(
      "INSERT IGNORE INTO run_joins (run_id, step, insight) VALUES (#{run}, #{step}, #{insight})")
  void keep(@Param("run") long run, @Param("step") String step, @Param("insight") String insight);

  @Select("SELECT insight FROM run_joins WHERE run_id = #{run} ORDER BY step")
  List<String> ofRun(long run);
}
