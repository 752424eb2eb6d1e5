package yardage.service.tables;

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
interface TableMapper {
  record Name(String namespace, String name) {}

  @Select("SELECT namespace, name FROM lake_tables ORDER BY namespace, name")
  List<Name> names();

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

  @Select(
      "SELECT COALESCE(SUM(size_bytes), 0) FROM intake WHERE pipeline = #{pipeline} AND feed = #{feed}")
  long rawBytes(@Param("pipeline") String pipeline, @Param("feed") String feed);

  @Insert(
      "INSERT IGNORE INTO lake_tables (namespace, name, metadata_location, updated_at) VALUES (#{namespace}, #{name}, #{location}, #{now})")
  int create(
      @Param("namespace") String namespace,
      @Param("name") String name,
      @Param("location") String location,
      @Param("now") Instant now);

  @Update(
      """
      UPDATE lake_tables SET metadata_location = #{location}, updated_at = #{now}
      WHERE namespace = #{namespace} AND name = #{name} AND metadata_location = #{expected}
      """)
  int swap(
      @Param("namespace") String namespace,
      @Param("name") String name,
      @Param("expected") String expected,
      @Param("location") String location,
      @Param("now") Instant now);
}
