package yardage.service;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.PrintStream;
import java.io.UncheckedIOException;
import java.net.Socket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.Arrays;
import java.util.List;
import java.util.function.BooleanSupplier;
import org.springframework.boot.SpringApplication;
import org.springframework.context.ConfigurableApplicationContext;
import org.springframework.util.FileSystemUtils;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import yardage.client.Main;
import yardage.core.testing.Mills;
import yardage.core.testing.PrivateMariaDb;
import yardage.demo.WeavingMills;

/**
 * The real service in this process, on a free port, against a MariaDB of its own; driven through
 * its client and over HTTP.
 */
final class TestService implements AutoCloseable {
  static final String PASSWORD = "a password for tests";
  private static final JsonMapper JSON = new JsonMapper();
  private static final PrintStream REAL_OUT = System.out;
  private static final PrintStream REAL_ERR = System.err;

  final PrivateMariaDb db;
  final Path home;
  final String server;
  final String oneTimePassword;
  private final List<Path> made;
  private final ConfigurableApplicationContext context;
  private final HttpClient http = HttpClient.newHttpClient();
  String token;

  /**
   * @param made what goes when the service ends
   */
  private TestService(PrivateMariaDb db, Path home, List<Path> made, Class<?>... more) {
    this.db = db;
    this.home = home;
    this.made = made;
    ByteArrayOutputStream printed = new ByteArrayOutputStream();
    System.setOut(new PrintStream(printed, true));
    try {
      Class<?>[] sources = Arrays.copyOf(more, more.length + 1);
      sources[more.length] = YardageService.class;
      context = SpringApplication.run(sources, arguments(db, home, 0));
    } finally {
      System.setOut(REAL_OUT);
    }
    server = "http://127.0.0.1:" + context.getEnvironment().getProperty("local.server.port");
    String out = printed.toString(StandardCharsets.UTF_8);
    int at = out.indexOf("one-time password ");
    oneTimePassword = at < 0 ? "" : out.substring(at + 18).lines().findFirst().orElse("").strip();
  }

  static String[] arguments(PrivateMariaDb db, Path home, int port) {
    return new String[] {
      "--server.port=" + port,
      "--yardage.home=" + home,
      "--spring.datasource.url=" + db.url("yardage"),
      "--spring.datasource.username=root",
      "--spring.datasource.password=",
      "--yardage.memory=1000000000",
      // What no state needs goes at once, so that tests can count files.
      "--yardage.sweep-age=0s",
      // Short, for tests that freeze the database.
      "--spring.datasource.hikari.data-source-properties.socketTimeout=3000",
      "--spring.datasource.hikari.connection-timeout=1000",
      "--logging.level.root=ERROR",
      "--logging.level.yardage=ERROR"
    };
  }

  /**
   * @param more beans beside the service's own
   */
  static TestService start(Class<?>... more) {
    try {
      Path home = Files.createTempDirectory("yardage-home");
      Path share = Files.createTempDirectory("yardage-share");
      Files.writeString(
          home.resolve("settings.yml"),
          "yardage: {connections: {mill-share: %s, gone: /nowhere/at/all}}\n".formatted(share));
      return new TestService(PrivateMariaDb.start(), home, List.of(home, share), more);
    } catch (IOException e) {
      throw new AssertionError(e);
    }
  }

  /** On records and a home that are there already. */
  static TestService on(PrivateMariaDb db, Path home) {
    return new TestService(db, home, List.of());
  }

  /** Signs in as a person would, with the one-time password, and keeps the client's token. */
  TestService signedIn() {
    System.setProperty("yardage.client.file", home.resolve("client.properties").toString());
    Said said =
        clientWithInput(oneTimePassword + "\n" + PASSWORD + "\n", "sign-in", "--password-stdin");
    if (said.code() != 0) {
      throw new AssertionError(said.toString());
    }
    try {
      token =
          Files.readAllLines(home.resolve("client.properties")).stream()
              .filter(l -> l.startsWith("token="))
              .findFirst()
              .orElseThrow()
              .substring(6);
    } catch (IOException e) {
      throw new AssertionError(e);
    }
    return this;
  }

  String server() {
    return server;
  }

  String token() {
    return token;
  }

  Path inbox() {
    return home.resolve("lake/inbox");
  }

  /** What a command of the client printed, and its exit code. */
  record Said(int code, String out, String err) {}

  Said client(String... arguments) {
    return clientWithInput("", arguments);
  }

  /** What a command prints, which must succeed. */
  String say(String... arguments) {
    Said said = client(arguments);
    if (said.code() != 0) {
      throw new AssertionError(String.join(" ", arguments) + "\n" + said.out() + said.err());
    }
    return said.out();
  }

  /** Everything that the demo does: files, feeds, parts, pipelines, runs and stars. */
  WeavingMills.Expected runSampleScenario(long rolls, long seed) {
    WeavingMills.Expected expected;
    try {
      expected = WeavingMills.write(inbox(), rolls, seed);
    } catch (IOException e) {
      throw new AssertionError(e);
    }
    Mills.FEEDS.forEach(feed -> applyDemo("feed", feed));
    applyDemo("part", "tidy-rolls");
    for (String pipeline : Mills.PIPELINES) {
      applyDemo("pipeline", pipeline);
      say("run", pipeline, "--wait");
    }
    applyDemo("star", "cloth");
    applyDemo("star", "faulty");
    applyDemo("sampler", "cloth-week-by-week");
    return expected;
  }

  private void applyDemo(String noun, String name) {
    String text = demoDocument("%ss/%s.yaml".formatted(noun, name));
    say(noun, "apply", file("%s-%s.yaml".formatted(noun, name), text));
  }

  synchronized Said clientWithInput(String input, String... arguments) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    ByteArrayOutputStream err = new ByteArrayOutputStream();
    InputStream realIn = System.in;
    System.setIn(new ByteArrayInputStream(input.getBytes(StandardCharsets.UTF_8)));
    System.setOut(new PrintStream(out, true, StandardCharsets.UTF_8));
    System.setErr(new PrintStream(err, true, StandardCharsets.UTF_8));
    String[] all = new String[arguments.length + 2];
    all[0] = "--server";
    all[1] = server;
    System.arraycopy(arguments, 0, all, 2, arguments.length);
    try {
      return new Said(
          Main.run(all),
          out.toString(StandardCharsets.UTF_8),
          err.toString(StandardCharsets.UTF_8));
    } finally {
      System.setIn(realIn);
      System.setOut(REAL_OUT);
      System.setErr(REAL_ERR);
    }
  }

  /** An answer over plain HTTP. */
  record Answer(int status, JsonNode body, HttpResponse<String> response) {}

  Answer send(String method, String path, Object body, String... headers) {
    HttpRequest.Builder request =
        HttpRequest.newBuilder(URI.create(server + path)).timeout(Duration.ofMinutes(3));
    request.method(
        method,
        body == null
            ? HttpRequest.BodyPublishers.noBody()
            : HttpRequest.BodyPublishers.ofString(JSON.writeValueAsString(body)));
    if (body != null) {
      request.header("Content-Type", "application/json");
    }
    if (headers.length > 0) {
      request.headers(headers);
    }
    try {
      HttpResponse<String> response =
          http.send(request.build(), HttpResponse.BodyHandlers.ofString());
      boolean json = response.headers().firstValue("Content-Type").orElse("").contains("json");
      return new Answer(
          response.statusCode(),
          json ? JSON.readTree(response.body()) : JSON.missingNode(),
          response);
    } catch (IOException | InterruptedException e) {
      throw new AssertionError(e);
    }
  }

  /** Sends bytes as they are, and gives the first line and the rest of what comes back. */
  String raw(String request) {
    try (Socket socket = new Socket("127.0.0.1", port())) {
      socket.setSoTimeout(30_000);
      socket.getOutputStream().write(request.getBytes(StandardCharsets.UTF_8));
      return new String(socket.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new AssertionError(request, e);
    }
  }

  int port() {
    return URI.create(server).getPort();
  }

  Answer delete(String path) {
    return send("DELETE", path, null, "Authorization", "Bearer " + token);
  }

  Answer get(String path) {
    return send("GET", path, null, "Authorization", "Bearer " + token);
  }

  Answer post(String path, Object body) {
    return send("POST", path, body, "Authorization", "Bearer " + token);
  }

  Answer put(String path, Object body) {
    return send("PUT", path, body, "Authorization", "Bearer " + token);
  }

  /** Writes a document's text to a file, for the client. */
  String file(String name, String text) {
    try {
      Path file = home.resolve(name);
      Files.writeString(file, text);
      return file.toString();
    } catch (IOException e) {
      throw new AssertionError(e);
    }
  }

  void put(String path, String contents) {
    try {
      Files.createDirectories(inbox().resolve(path).getParent());
      Files.writeString(inbox().resolve(path), contents);
      // Old enough that no run waits until it is still.
      Files.setLastModifiedTime(
          inbox().resolve(path),
          java.nio.file.attribute.FileTime.from(Instant.now().minusSeconds(60)));
    } catch (IOException e) {
      throw new AssertionError(e);
    }
  }

  static String demoDocument(String path) {
    try {
      return Mills.document(path);
    } catch (IOException e) {
      throw new AssertionError(e);
    }
  }

  /** Waits for a condition, with a deadline. */
  static void await(String what, Duration limit, BooleanSupplier condition) {
    Instant end = Instant.now().plus(limit);
    while (!condition.getAsBoolean()) {
      if (Instant.now().isAfter(end)) {
        throw new AssertionError("Not within " + limit + ": " + what);
      }
      java.util.concurrent.locks.LockSupport.parkNanos(20_000_000);
    }
  }

  String state(long run) {
    return get("/api/v1/runs/" + run).body().path("summary").path("state").asString();
  }

  <T> T bean(Class<T> type) {
    return context.getBean(type);
  }

  @Override
  public void close() {
    context.close();
    db.close();
    for (Path folder : made) {
      try {
        FileSystemUtils.deleteRecursively(folder);
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
  }
}
