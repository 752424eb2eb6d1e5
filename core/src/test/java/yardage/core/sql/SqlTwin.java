package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.stream.Collectors;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.testing.LivePlans;
import yardage.core.testing.PrivateMariaDb;
import yardage.core.testing.Rows;

/** The same tables here and in a MariaDB, to ask both the same. */
final class SqlTwin implements AutoCloseable {
  private final PrivateMariaDb db = PrivateMariaDb.start();
  private final Map<String, Relation> relations = new LinkedHashMap<>();

  void table(String name, Schema schema, List<? extends List<Object>> rows) throws SQLException {
    relations.put(name, Rows.relation(schema, List.copyOf(rows), 257));
    try (Connection c = db.connect("yardage");
        Statement s = c.createStatement()) {
      s.execute(
          "CREATE TABLE "
              + name
              + " ("
              + schema.fields().stream()
                  .map(x -> "`" + x.name() + "` " + mariaDbType(x.type()))
                  .collect(Collectors.joining(", "))
              + ")");
      String marks = schema.fields().stream().map(x -> "?").collect(Collectors.joining(", "));
      try (PreparedStatement insert =
          c.prepareStatement("INSERT INTO " + name + " VALUES (" + marks + ")")) {
        for (List<Object> row : rows) {
          for (int i = 0; i < row.size(); i++) {
            insert.setObject(i + 1, sent(row.get(i), schema.field(i).type()));
          }
          insert.addBatch();
        }
        if (!rows.isEmpty()) {
          insert.executeBatch();
        }
      }
    }
  }

  private static Object sent(Object value, Type type) {
    return type.kind() == Type.Kind.UUID || type.kind() == Type.Kind.BINARY
        ? value == null ? null : HexFormat.of().parseHex(asTheirs(value).toString())
        : asTheirs(value);
  }

  /** A value of ours as MariaDB has it: instants in UTC, and UUIDs as their bytes. */
  private static Object asTheirs(Object value) {
    return value instanceof UUID id
        ? id.toString().replace("-", "")
        : value instanceof Instant at ? LocalDateTime.ofInstant(at, ZoneOffset.UTC) : value;
  }

  private static Object got(ResultSet rs, int i) throws SQLException {
    Object v = rs.getObject(i);
    if (v instanceof java.sql.Date d) {
      return d.toLocalDate();
    } else if (v instanceof java.sql.Timestamp) {
      return rs.getObject(i, LocalDateTime.class);
    } else if (v instanceof java.sql.Time) {
      return rs.getObject(i, LocalTime.class);
    }
    return v instanceof byte[] bytes ? HexFormat.of().formatHex(bytes) : v;
  }

  private static String mariaDbType(Type type) {
    return switch (type.kind()) {
      case VARCHAR -> "VARCHAR(200)";
      case TIME -> "TIME(6)";
      case TIMESTAMP, TIMESTAMP_TZ -> "DATETIME(6)";
      // Their own type for UUIDs orders them by the time in them.
      case UUID, BINARY -> "VARBINARY(100)";
      case DECIMAL -> "DECIMAL(%d, %d)".formatted(type.precision(), type.scale());
      default -> type.kind().name();
    };
  }

  /** The rows of a query; the books of it balance, and all memory is given back. */
  List<List<Object>> ours(String sql) {
    PlanSession session = new PlanSession();
    PlanSession.Planned planned =
        session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(relations));
    StepTally tally = new StepTally("query", "sql");
    ExecutionContext context = ExecutionContext.standalone(1L << 30);
    Executor executor = LivePlans.executor(context, tally);
    try {
      List<List<Object>> rows =
          Rows.rows(
              executor.collect(
                  session.physical().plan(session.optimize(planned.rel()), "query"), "query"));
      tally.rowsOut.add(rows.size());
      assertEquals(
          0,
          tally.snapshot().imbalance(),
          () -> "the books of the query must balance: " + tally.snapshot());
      rows.forEach(row -> row.replaceAll(SqlTwin::asTheirs));
      return rows;
    } finally {
      assertEquals(0, context.memory().usedBytes(), "all memory is given back");
    }
  }

  List<List<Object>> theirs(String sql) throws SQLException {
    try (Connection c = db.connect("yardage")) {
      return theirs(c, sql);
    }
  }

  /** Many queries cost less over one connection. */
  Connection connect() throws SQLException {
    return db.connect("yardage");
  }

  List<List<Object>> theirs(Connection c, String sql) throws SQLException {
    try (Statement s = c.createStatement()) {
      s.execute("SET sql_mode = 'ANSI,PIPES_AS_CONCAT,ONLY_FULL_GROUP_BY'");
      ResultSet rs = s.executeQuery(sql);
      List<List<Object>> out = new ArrayList<>();
      while (rs.next()) {
        List<Object> row = new ArrayList<>();
        for (int i = 1; i <= rs.getMetaData().getColumnCount(); i++) {
          row.add(got(rs, i));
        }
        out.add(row);
      }
      return out;
    }
  }

  @Override
  public void close() {
    db.close();
  }
}
