package yardage.bench;

import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import yardage.core.column.*;
import yardage.core.exec.*;
import yardage.core.testing.PrivateMariaDb;

/** The alternative: a MariaDB of this run's own, started when first asked. */
final class BenchDb implements AutoCloseable {
  private PrivateMariaDb db;

  Connection connect(String database) throws SQLException {
    if (db == null) {
      db = PrivateMariaDb.start();
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

  @Override
  public void close() {
    if (db != null) {
      db.close();
    }
  }
}
