package yardage.service.tables;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
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
