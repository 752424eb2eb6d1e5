package yardage.service.uploads;

import java.time.Instant;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;

/** Uploads that have begun. */
@Mapper
interface UploadMapper {
  record Upload(String id, String path, Long sizeBytes, String ifThere, String begunBy) {}

  @Insert(
      """
      INSERT INTO uploads (id, path, size_bytes, if_there, begun_by, begun_at)
      VALUES (#{u.id}, #{u.path}, #{u.sizeBytes}, #{u.ifThere}, #{u.begunBy}, #{at})
      """)
  void begin(@Param("u") Upload upload, @Param("at") Instant at);

  @Select("SELECT id, path, size_bytes, if_there, begun_by FROM uploads WHERE id = #{id}")
  Optional<Upload> find(String id);

  @Delete("DELETE FROM uploads WHERE id = #{id}")
  void delete(String id);
}
