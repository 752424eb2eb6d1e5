package yardage.client;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.URI;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.Optional;
import java.util.Properties;

/**
 * Where the service is and with which token: from the environment, or from the file that sign-in
 * writes. The file's token belongs to the file's server; the environment's goes wherever one asks.
 */
record Settings(String server, Optional<String> token) {
  static final String DEFAULT_SERVER = "http://127.0.0.1:9273";

  static Path file() {
    String path = System.getProperty("yardage.client.file", System.getenv("YARDAGE_CLIENT_FILE"));
    if (path == null) {
      path = System.getProperty("user.home") + "/.config/yardage/client.properties";
    }
    return Path.of(path);
  }

  static Settings load(String serverOption) {
    Properties p = new Properties();
    if (Files.exists(file())) {
      try (var in = Files.newBufferedReader(file())) {
        p.load(in);
      } catch (IOException e) {
        throw new UncheckedIOException("Cannot read [%s]: %s".formatted(file(), e.getMessage()), e);
      }
    }
    String server =
        serverOption != null
            ? serverOption
            : System.getenv()
                .getOrDefault("YARDAGE_SERVER", p.getProperty("server", DEFAULT_SERVER));
    server = server.endsWith("/") ? server.substring(0, server.length() - 1) : server;
    // A token goes to the server that gave it, and to no other.
    String kept = sameServer(server, p.getProperty("server", "")) ? p.getProperty("token") : null;
    return new Settings(
        server, Optional.ofNullable(System.getenv().getOrDefault("YARDAGE_TOKEN", kept)));
  }

  private static boolean sameServer(String one, String other) {
    try {
      URI a = URI.create(one);
      URI b = URI.create(other);
      return a.getHost() != null
          && a.getHost().equalsIgnoreCase(b.getHost())
          && a.getPort() == b.getPort()
          && a.getScheme().equalsIgnoreCase(b.getScheme());
    } catch (IllegalArgumentException e) {
      return false;
    }
  }

  /** Forgets the token. */
  static void forget() {
    try {
      Files.deleteIfExists(file());
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot remove [%s]: %s".formatted(file(), e.getMessage()), e);
    }
  }

  void save() {
    Properties p = new Properties();
    p.setProperty("server", server);
    token.ifPresent(t -> p.setProperty("token", t));
    try {
      Files.createDirectories(file().toAbsolutePath().getParent());
      Files.deleteIfExists(file());
      Files.createFile(
          file(),
          PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      try (var out = Files.newBufferedWriter(file())) {
        p.store(out, "Yardage client");
      }
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot write [%s]: %s".formatted(file(), e.getMessage()), e);
    }
  }
}
