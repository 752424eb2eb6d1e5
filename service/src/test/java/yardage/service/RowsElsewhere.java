package yardage.service;

import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.text.DecimalFormat;
import java.text.DecimalFormatSymbols;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import javax.sql.DataSource;
import tools.jackson.databind.JsonNode;

/**
 * The rolls of the demo's star in MariaDB, to hold what a page shows against the same rows there.
 */
record RowsElsewhere(Connection db) implements AutoCloseable {
  private static final String ROLLS =
      "select l.hall, l.loom_code, r.metres from star.fact_roll r join star.dim_loom l on l.loom_key = r.loom_key";
  private static final int MOST = 100_000;

  static RowsElsewhere of(TestService service) throws SQLException {
    JsonNode rows =
        service.post("/api/v1/query", Map.of("sql", ROLLS, "limit", MOST)).body().path("rows");
    assertTrue(rows.size() > 0 && rows.size() < MOST, "all rows: " + rows.size());
    Connection db = service.bean(DataSource.class).getConnection();
    try (Statement s = db.createStatement()) {
      s.execute("create temporary table rolls (hall text, loom text, metres decimal(9, 2))");
    }
    try (PreparedStatement p = db.prepareStatement("insert into rolls values (?, ?, ?)")) {
      for (JsonNode row : rows) {
        for (int i : List.of(0, 1, 2)) {
          p.setString(i + 1, row.get(i).isNull() ? null : row.get(i).asString());
        }
        p.addBatch();
      }
      p.executeBatch();
    }
    return new RowsElsewhere(db);
  }

  /** The metres of some rows. */
  BigDecimal sum(String where) throws SQLException {
    try (Statement s = db.createStatement();
        ResultSet r = s.executeQuery("select sum(metres) from rolls where " + where)) {
      assertTrue(r.next());
      return r.getBigDecimal(1);
    }
  }

  /** The metres of some rows, as a sampler writes them. */
  String metres(String where) throws SQLException {
    BigDecimal sum = sum(where);
    boolean isSmall = sum.compareTo(BigDecimal.valueOf(1000)) < 0;
    DecimalFormat words =
        new DecimalFormat(
            isSmall ? "#,##0.##" : "#,##0", DecimalFormatSymbols.getInstance(Locale.UK));
    words.setRoundingMode(RoundingMode.HALF_UP);
    return words.format(sum) + " m";
  }

  @Override
  public void close() throws SQLException {
    try (Statement s = db.createStatement()) {
      s.execute("drop temporary table rolls");
    }
    db.close();
  }
}
