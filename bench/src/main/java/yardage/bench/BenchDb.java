package yardage.bench;

import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import yardage.core.column.*;
import yardage.core.exec.*;
import yardage.core.testing.PrivateMariaDb;

/** The alternative: a MariaDB of this run's own, started when first asked. */
final class BenchDb implements AutoCloseable {
  /** Holds all tables of a bench and their indexes. */
  private static final long BUFFER_BYTES = 6L << 30;

  private PrivateMariaDb db;

  Connection connect(String database) throws SQLException {
    if (db == null) {
      db = PrivateMariaDb.start();
      try (Connection c = db.connect(database);
          Statement s = c.createStatement()) {
        s.execute("SET GLOBAL innodb_buffer_pool_size = " + BUFFER_BYTES);
      }
    }
    return db.connect(database);
  }

  void sql(String... statements) throws SQLException {
    try (Connection c = connect("yardage");
        Statement s = c.createStatement()) {
      for (String statement : statements) {
        s.execute(statement);
      }
    }
  }

  /** All rows of an answer; dates as the engine has them. */
  static List<List<Object>> rows(ResultSet rs) throws SQLException {
    List<List<Object>> out = new ArrayList<>();
    while (rs.next()) {
      List<Object> row = new ArrayList<>();
      for (int i = 1; i <= rs.getMetaData().getColumnCount(); i++) {
        Object v = rs.getObject(i);
        row.add(v instanceof java.sql.Date d ? d.toLocalDate() : v);
      }
      out.add(row);
    }
    return out;
  }

  @Override
  public void close() {
    if (db != null) {
      db.close();
    }
  }
}
