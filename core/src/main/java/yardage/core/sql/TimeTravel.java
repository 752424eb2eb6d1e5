package yardage.core.sql;

import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.time.format.DateTimeParseException;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.calcite.sql.SqlBasicCall;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlIdentifier;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlSnapshot;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlShuttle;

/**
 * Reads {@code FROM t FOR SYSTEM_TIME AS OF TIMESTAMP '…'} (ISO SQL:2011, 7.6): the relation as it
 * was at that time, in UTC, takes the place of the one that is now.
 */
final class TimeTravel extends SqlShuttle {
  private final Map<String, Relation> relations;

  private TimeTravel(PlanSession.Scope scope) {
    relations = new LinkedHashMap<>(scope.relations());
  }

  /** A query without such clauses, and what it may name then. */
  record Resolved(SqlNode query, PlanSession.Scope scope) {}

  static Resolved resolve(SqlNode query, PlanSession.Scope scope) {
    TimeTravel travel = new TimeTravel(scope);
    SqlNode now = query.accept(travel);
    return new Resolved(now, new PlanSession.Scope(travel.relations));
  }

  @Override
  public SqlNode visit(SqlCall call) {
    if (call.getKind() == SqlKind.AS && call.operand(0) instanceof SqlSnapshot snapshot) {
      SqlBasicCall renamed = (SqlBasicCall) call.clone(call.getParserPosition());
      renamed.setOperand(0, then(snapshot));
      return renamed;
    }
    if (call instanceof SqlSnapshot snapshot) {
      SqlIdentifier name = (SqlIdentifier) snapshot.getTableRef();
      SqlParserPos at = name.getParserPosition();
      return SqlStdOperatorTable.AS.createCall(
          at, then(snapshot), new SqlIdentifier(name.names.get(name.names.size() - 1), at));
    }
    return super.visit(call);
  }

  private SqlIdentifier then(SqlSnapshot snapshot) {
    SqlIdentifier name = (SqlIdentifier) snapshot.getTableRef();
    String wanted = String.join(".", name.names);
    Relation now =
        relations.entrySet().stream()
            .filter(e -> e.getKey().equalsIgnoreCase(wanted))
            .map(Map.Entry::getValue)
            .findFirst()
            .orElse(null);
    if (now == null) {
      return name;
    }
    Instant time = time(snapshot.getPeriod());
    try {
      relations.put(wanted + "@" + time, now.asOf(time));
    } catch (UnsupportedOperationException e) {
      throw problem(snapshot, "[%s] has no past that could be read".formatted(wanted));
    } catch (RuntimeException e) {
      throw problem(snapshot, e.getMessage());
    }
    List<String> names = new java.util.ArrayList<>(name.names);
    names.set(names.size() - 1, names.get(names.size() - 1) + "@" + time);
    return new SqlIdentifier(names, name.getParserPosition());
  }

  private static Instant time(SqlNode period) {
    try {
      if (period instanceof SqlLiteral literal) {
        String text = literal.toValue();
        return LocalDateTime.parse(
                text.contains(":") ? text : text + " 00:00:00",
                DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm:ss[.SSSSSS][.SSS]"))
            .toInstant(ZoneOffset.UTC);
      }
    } catch (DateTimeParseException e) {
      // Told below.
    }
    throw problem(
        period,
        "Write the time as a constant in UTC, as in FOR SYSTEM_TIME AS OF TIMESTAMP '2026-03-01 12:00:00'");
  }

  private static SqlProblemException problem(SqlNode at, String message) {
    SqlParserPos p = at.getParserPosition();
    return new SqlProblemException(
        new SqlProblem(
            p.getLineNum(),
            p.getColumnNum(),
            p.getEndLineNum(),
            p.getEndColumnNum() + 1,
            message,
            Optional.empty()),
        null);
  }
}
