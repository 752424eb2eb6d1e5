package yardage.service.access;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Users, and the sessions and tokens they have; only hashes of secrets are kept. */
@Mapper
interface AccessMapper {
  record User(long id, String name, String passwordHash, boolean oneTime) {}

  /** A user, and the session or token that they came with. */
  record SignedIn(long id, String name, boolean oneTime, String scope, long sign) {}

  record SignInRow(
      long id, String name, String scope, Instant createdAt, Instant usedAt, Instant expiresAt) {}

  @Select("SELECT COUNT(*) FROM users")
  int countUsers();

  @Insert(
      "INSERT INTO users (name, password_hash, one_time, created_at) VALUES (#{name}, #{hash}, TRUE, #{now})")
  void insertUser(
      @Param("name") String name, @Param("hash") String hash, @Param("now") Instant now);

  @Select("SELECT id, name, password_hash, one_time FROM users WHERE name = #{name}")
  Optional<User> userByName(String name);

  @Update("UPDATE users SET password_hash = #{hash}, one_time = FALSE WHERE id = #{id}")
  void setPassword(@Param("id") long id, @Param("hash") String hash);

  @Insert(
      """
      INSERT INTO sign_ins (user_id, kind, name, scope, hash, created_at, expires_at)
      VALUES (#{user}, #{kind}, #{name}, #{scope}, #{hash}, #{now}, #{expires})
      """)
  void insertSignIn(
      @Param("user") long user,
      @Param("kind") String kind,
      @Param("name") String name,
      @Param("scope") String scope,
      @Param("hash") String hash,
      @Param("now") Instant now,
      @Param("expires") Instant expires);

  @Select(
      """
      SELECT u.id, u.name, u.one_time, s.scope, s.id AS sign
      FROM sign_ins s JOIN users u ON u.id = s.user_id
      WHERE s.hash = #{hash} AND s.kind = #{kind} AND s.revoked_at IS NULL AND s.expires_at > #{now}
      """)
  Optional<SignedIn> userBySecret(
      @Param("hash") String hash, @Param("kind") String kind, @Param("now") Instant now);

  @Update(
      "UPDATE sign_ins SET used_at = #{now} WHERE hash = #{hash} AND (used_at IS NULL OR used_at < #{stale})")
  void touch(@Param("hash") String hash, @Param("now") Instant now, @Param("stale") Instant stale);

  @Update(
      "UPDATE sign_ins SET revoked_at = #{now} WHERE id = #{id} AND user_id = #{user} AND revoked_at IS NULL")
  int revoke(@Param("id") long id, @Param("user") long user, @Param("now") Instant now);

  @Update(
      "UPDATE sign_ins SET revoked_at = #{now} WHERE user_id = #{user} AND revoked_at IS NULL AND id <> #{except}")
  int revokeOthers(
      @Param("user") long user, @Param("except") long except, @Param("now") Instant now);

  @Update(
      "UPDATE sign_ins SET revoked_at = #{now} WHERE id = #{id} AND user_id = #{user} AND kind = 'token' AND revoked_at IS NULL")
  int revokeToken(@Param("id") long id, @Param("user") long user, @Param("now") Instant now);

  @Select(
      "SELECT id, name, scope, created_at, used_at, expires_at FROM sign_ins WHERE user_id = #{user} AND kind = 'token' AND revoked_at IS NULL ORDER BY id")
  List<SignInRow> tokens(long user);
}
