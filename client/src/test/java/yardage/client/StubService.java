package yardage.client;

import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.io.PrintStream;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Queue;
import java.util.concurrent.Executors;

/**
 * Answers as it was told, on loopback, and keeps what it was asked. What is told for one address
 * several times is answered in turn, the last of it again and again.
 */
final class StubService implements AutoCloseable {
  /** What it was asked. */
  record Asked(String method, String path, String token, byte[] body) {
    String text() {
      return new String(body, StandardCharsets.UTF_8);
    }

    @Override
    public String toString() {
      return method + " " + path;
    }
  }

  /** What it answers; a connection is broken off for a status of 0. */
  record Answer(int status, String type, String body, String cookie) {}

  /** What a command left behind. */
  record Outcome(int exitCode, String out, String err) {}

  final List<Asked> asked = new ArrayList<>();
  private final Map<String, Queue<Answer>> answers = new HashMap<>();
  private final HttpServer server;
  private Optional<Answer> otherwise = Optional.empty();

  StubService() throws IOException {
    server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext("/", this::answer);
    server.setExecutor(Executors.newCachedThreadPool());
    server.start();
  }

  String address() {
    return "http://127.0.0.1:" + server.getAddress().getPort();
  }

  StubService on(String call, String json) {
    return on(call, new Answer(200, "application/json", json, ""));
  }

  StubService on(String call, Answer answer) {
    answers.computeIfAbsent(call, c -> new ArrayDeque<>()).add(answer);
    return this;
  }

  /** Answers everything that nothing else is told for. */
  StubService always(Answer answer) {
    otherwise = Optional.of(answer);
    return this;
  }

  private synchronized void answer(HttpExchange exchange) throws IOException {
    Asked asked =
        new Asked(
            exchange.getRequestMethod(),
            exchange.getRequestURI().toString().replaceFirst("^/api/v1", ""),
            String.valueOf(exchange.getRequestHeaders().getFirst("Authorization")),
            exchange.getRequestBody().readAllBytes());
    this.asked.add(asked);
    Queue<Answer> told = answers.get(asked.toString());
    Answer answer =
        told == null
            ? otherwise.orElse(
                new Answer(
                    404,
                    "application/problem+json",
                    "{\"detail\":\"Nothing is at " + asked.path() + "\"}",
                    ""))
            : told.size() > 1 ? told.poll() : told.peek();
    if (answer.status() == 0) {
      exchange.close();
      return;
    }
    exchange.getResponseHeaders().add("Content-Type", answer.type());
    if (!answer.cookie().isEmpty()) {
      exchange.getResponseHeaders().add("Set-Cookie", answer.cookie());
    }
    byte[] body = answer.body().getBytes(StandardCharsets.UTF_8);
    exchange.sendResponseHeaders(answer.status(), body.length == 0 ? -1 : body.length);
    exchange.getResponseBody().write(body);
    exchange.close();
  }

  /** Runs a command line against this service. */
  Outcome run(String... line) {
    List<String> all = new ArrayList<>(List.of(line));
    all.add("--server");
    all.add(address());
    return runAlone(all.toArray(String[]::new));
  }

  /** Runs a command line as it is. */
  static Outcome runAlone(String... line) {
    return runInto(new ByteArrayOutputStream(), line);
  }

  /** Runs a command line whose output goes somewhere. */
  static Outcome runInto(OutputStream told, String... line) {
    PrintStream out = System.out;
    PrintStream err = System.err;
    ByteArrayOutputStream wrong = new ByteArrayOutputStream();
    try {
      System.setOut(new PrintStream(told, true, StandardCharsets.UTF_8));
      System.setErr(new PrintStream(wrong, true, StandardCharsets.UTF_8));
      int exitCode = Main.run(line);
      return new Outcome(
          exitCode,
          told instanceof ByteArrayOutputStream b ? b.toString(StandardCharsets.UTF_8) : "",
          wrong.toString(StandardCharsets.UTF_8));
    } finally {
      System.setOut(out);
      System.setErr(err);
    }
  }

  @Override
  public void close() {
    server.stop(0);
  }
}
