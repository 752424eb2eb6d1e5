package yardage.service.documents;

import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;

/** Versions of documents. */
@Mapper
interface DocumentMapper {
  @Select(
      """
      SELECT d.name, d.version, d.text, d.saved_by, d.saved_at FROM documents d
      JOIN (SELECT name, MAX(version) AS version FROM documents WHERE kind = #{kind} GROUP BY name) l
        ON l.name = d.name AND l.version = d.version
      WHERE d.kind = #{kind} ORDER BY d.name
      """)
  List<StoredDocument> latest(String kind);

  @Select(
      """
      SELECT name, version, text, saved_by, saved_at FROM documents
      WHERE kind = #{kind} AND name = #{name} ORDER BY version DESC LIMIT 1
      """)
  Optional<StoredDocument> find(@Param("kind") String kind, @Param("name") String name);

  @Select(
      "SELECT name, version, text, saved_by, saved_at FROM documents WHERE kind = #{kind} AND name = #{name} AND version = #{version}")
  Optional<StoredDocument> findVersion(
      @Param("kind") String kind, @Param("name") String name, @Param("version") int version);

  @Select(
      "SELECT name, version, text, saved_by, saved_at FROM documents WHERE kind = #{kind} AND name = #{name} ORDER BY version DESC")
  List<StoredDocument> versions(@Param("kind") String kind, @Param("name") String name);

  @Insert(
      """
      INSERT INTO documents (kind, name, version, text, saved_by, saved_at)
      VALUES (#{kind}, #{d.name}, #{d.version}, #{d.text}, #{d.savedBy}, #{d.savedAt})
      """)
  void insert(@Param("kind") String kind, @Param("d") StoredDocument document);
}
