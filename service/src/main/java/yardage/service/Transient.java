package yardage.service;

import java.sql.SQLException;
import java.sql.SQLNonTransientConnectionException;
import java.sql.SQLRecoverableException;
import java.sql.SQLTimeoutException;
import java.sql.SQLTransientException;
import java.util.Set;

/** Failures of the database that pass: it is away, restarts, or two transactions met. */
public final class Transient {
  /** Lock wait timed out, deadlock, row changed meanwhile, shutting down, killed, too many. */
  private static final Set<Integer> CODES = Set.of(1205, 1213, 1020, 1053, 1927, 1040, 1226, 1317);

  private Transient() {}

  /** Whether the same may succeed a moment later. */
  public static boolean is(Throwable failure) {
    for (Throwable t = failure; t != null; t = t.getCause() == t ? null : t.getCause()) {
      if (t instanceof SQLTransientException
          || t instanceof SQLRecoverableException
          || t instanceof SQLNonTransientConnectionException
          || t instanceof SQLTimeoutException) {
        return true;
      }
      if (t instanceof SQLException e) {
        String state = e.getSQLState() == null ? "" : e.getSQLState();
        if (CODES.contains(e.getErrorCode()) || state.startsWith("08") || state.startsWith("40")) {
          return true;
        }
      }
    }
    return false;
  }
}
