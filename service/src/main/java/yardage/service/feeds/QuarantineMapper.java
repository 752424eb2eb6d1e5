package yardage.service.feeds;

import java.time.Instant;
import java.util.List;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;

/** Files in quarantine. */
@Mapper
interface QuarantineMapper {
  record Kept(
      String path, long sizeBytes, Instant modifiedAt, String why, String putBy, Instant putAt) {}

  @Select(
      "SELECT path, size_bytes, modified_at, why, put_by, put_at FROM quarantine WHERE feed = #{feed} ORDER BY path")
  List<Kept> of(String feed);

  @Insert(
      """
      INSERT INTO quarantine (feed, path_hash, path, size_bytes, modified_at, why, put_by, put_at)
      VALUES (#{feed}, SHA2(#{k.path}, 256), #{k.path}, #{k.sizeBytes}, #{k.modifiedAt}, #{k.why}, #{k.putBy}, #{k.putAt})
      ON DUPLICATE KEY UPDATE size_bytes = VALUES(size_bytes), modified_at = VALUES(modified_at), why = VALUES(why),
        put_by = VALUES(put_by), put_at = VALUES(put_at)
      """)
  void put(@Param("feed") String feed, @Param("k") Kept kept);

  @Delete("DELETE FROM quarantine WHERE feed = #{feed} AND path_hash = SHA2(#{path}, 256)")
  int release(@Param("feed") String feed, @Param("path") String path);
}
