package yardage.service.documents;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Versions of documents. */
@Mapper
interface DocumentMapper {
  @Select(
      """
      SELECT d.name, d.version, d.text, d.saved_by, d.saved_at FROM documents d
      JOIN (SELECT name, MAX(version) AS version FROM documents WHERE kind = #{kind} GROUP BY name) l
        ON l.name = d.name AND l.version = d.version
      WHERE d.kind = #{kind} AND NOT EXISTS
        (SELECT 1 FROM document_states s WHERE s.kind = d.kind AND s.name = d.name AND s.removed_at IS NOT NULL)
      ORDER BY d.name
      """)
  List<StoredDocument> latest(String kind);

  /** As {@link #latest}, without what the documents say. */
  @Select(
      """
      SELECT d.name, MAX(d.version) AS version FROM documents d
      WHERE d.kind = #{kind} AND NOT EXISTS
        (SELECT 1 FROM document_states s WHERE s.kind = d.kind AND s.name = d.name AND s.removed_at IS NOT NULL)
      GROUP BY d.name ORDER BY d.name
      """)
  List<NamedVersion> newest(String kind);

  @Select(
      """
      SELECT name, version, text, saved_by, saved_at FROM documents
      WHERE kind = #{kind} AND name = #{name} AND NOT EXISTS
        (SELECT 1 FROM document_states s WHERE s.kind = #{kind} AND s.name = #{name} AND s.removed_at IS NOT NULL)
      ORDER BY version DESC LIMIT 1
      """)
  Optional<StoredDocument> find(@Param("kind") String kind, @Param("name") String name);

  /** The newest version, of a document that is removed too. */
  @Select("SELECT COALESCE(MAX(version), 0) FROM documents WHERE kind = #{kind} AND name = #{name}")
  int newestVersion(@Param("kind") String kind, @Param("name") String name);

  @Select(
      "SELECT name, removed_at, removed_by, paused_at, paused_by, paused_why, renamed_to FROM document_states WHERE kind = #{kind} AND name = #{name}")
  Optional<DocumentState> state(@Param("kind") String kind, @Param("name") String name);

  @Select(
      "SELECT name, removed_at, removed_by, paused_at, paused_by, paused_why, renamed_to FROM document_states WHERE kind = #{kind} AND removed_at IS NOT NULL AND renamed_to IS NULL ORDER BY name")
  List<DocumentState> removed(String kind);

  @Insert(
      """
      INSERT INTO document_states (kind, name, removed_at, removed_by, renamed_to) VALUES (#{kind}, #{name}, #{at}, #{by}, #{renamedTo})
      ON DUPLICATE KEY UPDATE removed_at = VALUES(removed_at), removed_by = VALUES(removed_by), renamed_to = VALUES(renamed_to)
      """)
  void remove(
      @Param("kind") String kind,
      @Param("name") String name,
      @Param("at") Instant at,
      @Param("by") String by,
      @Param("renamedTo") String renamedTo);

  @Update(
      "UPDATE document_states SET removed_at = NULL, removed_by = NULL WHERE kind = #{kind} AND name = #{name}")
  void bringBack(@Param("kind") String kind, @Param("name") String name);

  @Insert(
      """
      INSERT INTO document_states (kind, name, paused_at, paused_by, paused_why) VALUES (#{kind}, #{name}, #{at}, #{by}, #{why})
      ON DUPLICATE KEY UPDATE paused_at = VALUES(paused_at), paused_by = VALUES(paused_by), paused_why = VALUES(paused_why)
      """)
  void pause(
      @Param("kind") String kind,
      @Param("name") String name,
      @Param("at") Instant at,
      @Param("by") String by,
      @Param("why") String why);

  @Delete("DELETE FROM document_states WHERE kind = #{kind} AND name = #{name}")
  void forget(@Param("kind") String kind, @Param("name") String name);

  @Update("UPDATE documents SET name = #{next} WHERE kind = #{kind} AND name = #{name}")
  void rename(@Param("kind") String kind, @Param("name") String name, @Param("next") String next);

  @Update("UPDATE document_states SET name = #{next} WHERE kind = #{kind} AND name = #{name}")
  void renameState(
      @Param("kind") String kind, @Param("name") String name, @Param("next") String next);

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
