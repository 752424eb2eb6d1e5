package yardage.client;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.Optional;
import java.util.Properties;

/**
 * Where the service is and with which token: from the environment, or from the file that sign-in
 * writes.
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
    String token = System.getenv().getOrDefault("YARDAGE_TOKEN", p.getProperty("token"));
    return new Settings(
        server.endsWith("/") ? server.substring(0, server.length() - 1) : server,
        Optional.ofNullable(token));
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
