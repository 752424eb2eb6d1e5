package yardage.service.uploads;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;

/** Uploads that have begun. */
@Mapper
interface UploadMapper {
  record Upload(
      String id, String path, Long sizeBytes, String ifThere, String begunBy, Instant begunAt) {}

  @Insert(
      """
      INSERT INTO uploads (id, path, size_bytes, if_there, begun_by, begun_at)
      VALUES (#{u.id}, #{u.path}, #{u.sizeBytes}, #{u.ifThere}, #{u.begunBy}, #{u.begunAt})
      """)
  void begin(@Param("u") Upload upload);

  @Select("SELECT id, path, size_bytes, if_there, begun_by, begun_at FROM uploads WHERE id = #{id}")
  Optional<Upload> find(String id);

  @Select("SELECT id, path, size_bytes, if_there, begun_by, begun_at FROM uploads ORDER BY id")
  List<Upload> all();

  @Delete("DELETE FROM uploads WHERE id = #{id}")
  void delete(String id);
}
