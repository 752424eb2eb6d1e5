package yardage.service.lake;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Pointers to tables' metadata. */
@Mapper
public interface TableMapper {
  record Name(String namespace, String name) {}

  @Select("SELECT namespace, name FROM lake_tables ORDER BY namespace, name")
  List<Name> names();

  /** A table, where its metadata is, and what is known of it without opening that. */
  record Pointer(
      String namespace,
      String name,
      String metadataLocation,
      String summary,
      String health,
      Integer changes) {}

  /** All pointers, as one statement sees them: no publication shows in part. */
  @Select(
      "SELECT namespace, name, metadata_location, summary, health, changes FROM lake_tables ORDER BY namespace, name")
  List<Pointer> pointers();

  @Update(
      """
      UPDATE lake_tables SET summary = COALESCE(#{summary}, summary), health = COALESCE(#{health}, health), health_at = COALESCE(#{at}, health_at)
      WHERE namespace = #{namespace} AND name = #{name} AND metadata_location = #{location}
      """)
  void know(
      @Param("namespace") String namespace,
      @Param("name") String name,
      @Param("location") String location,
      @Param("summary") String summary,
      @Param("health") String health,
      @Param("at") Instant at);

  /** What is known of a table's health no longer counts. */
  @Update("UPDATE lake_tables SET health = NULL WHERE namespace = #{namespace} AND name = #{name}")
  void doubt(@Param("namespace") String namespace, @Param("name") String name);

  /** Tables whose health was not looked into since their pointer moved, or not for so long. */
  @Select(
      """
      SELECT namespace, name, metadata_location, NULL AS summary, NULL AS health, changes FROM lake_tables
      WHERE health IS NULL OR health_at < #{before} ORDER BY health_at LIMIT 20
      """)
  List<Pointer> toLookInto(Instant before);

  /** Gives a pointer of a lake that was moved its new form. */
  @Update(
      """
      UPDATE lake_tables SET metadata_location = #{location}
      WHERE namespace = #{namespace} AND name = #{name} AND metadata_location = #{expected}
      """)
  int move(
      @Param("namespace") String namespace,
      @Param("name") String name,
      @Param("expected") String expected,
      @Param("location") String location);

  @Update("UPDATE table_bin SET metadata_location = #{location} WHERE id = #{id}")
  int moveBinned(@Param("id") long id, @Param("location") String location);

  /** Tables that have changed so often since they were last swept, or not at all for so long. */
  @Select(
      """
      SELECT namespace, name FROM lake_tables
      WHERE changes >= #{changes} OR changes > 0 AND (swept_at IS NULL OR swept_at < #{before})
      ORDER BY changes DESC, namespace, name LIMIT 20
      """)
  List<Name> toSweep(@Param("changes") int changes, @Param("before") Instant before);

  @Update(
      "UPDATE lake_tables SET changes = 0, swept_at = #{now} WHERE namespace = #{namespace} AND name = #{name}")
  void swept(
      @Param("namespace") String namespace, @Param("name") String name, @Param("now") Instant now);

  @Select(
      "SELECT metadata_location FROM lake_tables WHERE namespace = #{namespace} AND name = #{name}")
  Optional<String> location(@Param("namespace") String namespace, @Param("name") String name);

  @Delete(
      "DELETE FROM lake_tables WHERE namespace = #{namespace} AND name = #{name} AND metadata_location = #{location}")
  int remove(
      @Param("namespace") String namespace,
      @Param("name") String name,
      @Param("location") String location);

  /** A dropped table. */
  record Binned(
      long id,
      String namespace,
      String name,
      String metadataLocation,
      Instant droppedAt,
      String droppedBy) {}

  @Insert(
      """
      INSERT INTO table_bin (namespace, name, metadata_location, dropped_at, dropped_by)
      VALUES (#{namespace}, #{name}, #{location}, #{now}, #{by})
      """)
  void putInBin(
      @Param("namespace") String namespace,
      @Param("name") String name,
      @Param("location") String location,
      @Param("now") Instant now,
      @Param("by") String by);

  @Select("SELECT LAST_INSERT_ID()")
  long lastInBin();

  @Select(
      """
      SELECT id, namespace, name, metadata_location, dropped_at, dropped_by FROM table_bin
      ORDER BY id DESC
      """)
  List<Binned> bin();

  @Select(
      """
      SELECT id, namespace, name, metadata_location, dropped_at, dropped_by FROM table_bin
      WHERE id = #{id}
      """)
  Binned binned(long id);

  @Select(
      "SELECT metadata_location FROM table_bin WHERE namespace = #{namespace} AND name = #{name}")
  List<String> binnedLocations(@Param("namespace") String namespace, @Param("name") String name);

  @Delete("DELETE FROM table_bin WHERE id = #{id}")
  int outOfBin(long id);

  /** What a pipeline has taken in of a feed. */
  record RawBytes(String pipeline, String feed, Long sizeBytes) {}

  @Select(
      "SELECT pipeline, feed, SUM(size_bytes) AS size_bytes FROM intake GROUP BY pipeline, feed")
  List<RawBytes> rawBytes();

  @Insert(
      "INSERT IGNORE INTO lake_tables (namespace, name, metadata_location, summary, updated_at) VALUES (#{namespace}, #{name}, #{location}, #{summary}, #{now})")
  int create(
      @Param("namespace") String namespace,
      @Param("name") String name,
      @Param("location") String location,
      @Param("summary") String summary,
      @Param("now") Instant now);

  @Update(
      """
      UPDATE lake_tables
      SET metadata_location = #{location}, summary = #{summary}, health = NULL, changes = changes + 1, updated_at = #{now}
      WHERE namespace = #{namespace} AND name = #{name} AND metadata_location = #{expected}
      """)
  int swap(
      @Param("namespace") String namespace,
      @Param("name") String name,
      @Param("expected") String expected,
      @Param("location") String location,
      @Param("summary") String summary,
      @Param("now") Instant now);
}
