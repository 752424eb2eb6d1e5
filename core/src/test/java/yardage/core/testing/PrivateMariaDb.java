package yardage.core.testing;

import java.io.IOException;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.concurrent.TimeUnit;

/**
 * A MariaDB of this test's own, on loopback and a free port, with its data in a folder that goes
 * away. Can be stopped and started again with its data kept.
 */
public final class PrivateMariaDb implements AutoCloseable {
  private static final Duration START_LIMIT = Duration.ofSeconds(60);

  private final Path folder;
  private final int port;
  private Process process;

  private PrivateMariaDb(Path folder, int port) {
    this.folder = folder;
    this.port = port;
  }

  public static PrivateMariaDb start() {
    try {
      // A Unix socket's path must be short, so not below the build folder.
      Path folder = Files.createTempDirectory(Path.of("/tmp"), "yardage-db");
      int port;
      try (ServerSocket free = new ServerSocket(0)) {
        port = free.getLocalPort();
      }
      run(
          List.of(
              "mariadb-install-db",
              "--no-defaults",
              "--user=" + System.getProperty("user.name"),
              "--datadir=" + folder.resolve("data"),
              "--auth-root-authentication-method=normal",
              "--skip-test-db"),
          folder.resolve("install.log"));
      PrivateMariaDb db = new PrivateMariaDb(folder, port);
      db.startAgain();
      try (Connection c = db.connect("")) {
        c.createStatement().execute("CREATE DATABASE yardage");
      }
      return db;
    } catch (IOException | InterruptedException | SQLException e) {
      throw new IllegalStateException(
          "Cannot start a private MariaDB; is mariadb-server installed?", e);
    }
  }

  private static void run(List<String> command, Path log) throws IOException, InterruptedException {
    Process p =
        new ProcessBuilder(command).redirectErrorStream(true).redirectOutput(log.toFile()).start();
    if (!p.waitFor(120, TimeUnit.SECONDS) || p.exitValue() != 0) {
      throw new IOException("Failed: " + command + "\n" + Files.readString(log));
    }
  }

  public void startAgain() {
    try {
      process =
          new ProcessBuilder(
                  "mariadbd",
                  "--no-defaults",
                  "--user=" + System.getProperty("user.name"),
                  "--datadir=" + folder.resolve("data"),
                  "--socket=" + folder.resolve("m.sock"),
                  "--pid-file=" + folder.resolve("m.pid"),
                  "--port=" + port,
                  "--bind-address=127.0.0.1",
                  "--skip-name-resolve",
                  "--skip-log-bin",
                  "--character-set-server=utf8mb4",
                  "--collation-server=utf8mb4_bin",
                  "--innodb-buffer-pool-size=512M",
                  "--local-infile=1")
              .redirectErrorStream(true)
              .redirectOutput(
                  ProcessBuilder.Redirect.appendTo(folder.resolve("server.log").toFile()))
              .start();
      Instant limit = Instant.now().plus(START_LIMIT);
      while (true) {
        try (Connection c = connect("")) {
          return;
        } catch (SQLException e) {
          if (Instant.now().isAfter(limit) || !process.isAlive()) {
            throw new IllegalStateException(
                "MariaDB did not start: " + Files.readString(folder.resolve("server.log")), e);
          }
          process.waitFor(50, TimeUnit.MILLISECONDS);
        }
      }
    } catch (IOException | InterruptedException e) {
      throw new IllegalStateException(e);
    }
  }

  public String url(String database) {
    return "jdbc:mariadb://127.0.0.1:"
        + port
        + "/"
        + database
        + "?allowLocalInfile=true&timezone=UTC";
  }

  public Connection connect(String database) throws SQLException {
    return DriverManager.getConnection(url(database), "root", "");
  }

  public int port() {
    return port;
  }

  /** Ends it as a power cut does. */
  public void kill() {
    try {
      process.destroyForcibly().waitFor();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** Stops it where it is: connections stay, and nothing is answered. */
  public void freeze() {
    signal("-STOP");
  }

  public void thaw() {
    signal("-CONT");
  }

  private void signal(String signal) {
    try {
      new ProcessBuilder("kill", signal, String.valueOf(process.pid())).start().waitFor();
    } catch (IOException e) {
      throw new IllegalStateException(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** Cuts every connection but one's own, in the middle of whatever it does. */
  public void cutConnections() {
    try (Connection c = connect("");
        var all = c.createStatement();
        var each = c.createStatement();
        var rows =
            all.executeQuery(
                "SELECT id FROM information_schema.processlist WHERE id <> CONNECTION_ID() AND user <> 'system user'")) {
      while (rows.next()) {
        try {
          each.execute("KILL " + rows.getLong(1));
        } catch (SQLException e) {
          // It has ended by itself.
        }
      }
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  public void stop() {
    process.destroy();
    try {
      if (!process.waitFor(30, TimeUnit.SECONDS)) {
        process.destroyForcibly().waitFor();
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  @Override
  public void close() {
    stop();
    try (var files = Files.walk(folder)) {
      files.sorted(java.util.Comparator.reverseOrder()).forEach(f -> f.toFile().delete());
    } catch (IOException e) {
      // A folder below /tmp that stays harms nobody.
    }
  }
}
