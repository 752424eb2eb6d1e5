package yardage.client;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.ConnectException;
import java.net.URI;
import java.net.URLEncoder;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Optional;
import java.util.function.Consumer;
import java.util.stream.Stream;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/**
 * The REST interface. Refusals become {@link ClientException}s that say what, where and how to mend
 * it.
 */
final class Api {
  private static final int COPY_BYTES = 1 << 16;

  static final JsonMapper JSON = new JsonMapper();
  private final HttpClient http =
      HttpClient.newBuilder()
          .version(HttpClient.Version.HTTP_1_1)
          .connectTimeout(Duration.ofSeconds(5))
          .build();
  private final Settings settings;

  Api(Settings settings) {
    this.settings = settings;
  }

  Settings settings() {
    return settings;
  }

  JsonNode get(String path) {
    return send("GET", path, Optional.empty(), Optional.empty()).body();
  }

  JsonNode post(String path, Object body) {
    return send("POST", path, Optional.of(body), Optional.empty()).body();
  }

  JsonNode put(String path, Object body) {
    return send("PUT", path, Optional.of(body), Optional.empty()).body();
  }

  /** Sends bytes and gives how many have arrived in all. */
  long putBytes(String path, byte[] bytes) {
    HttpRequest request =
        request(path, Optional.empty())
            .header("Content-Type", "application/octet-stream")
            .PUT(HttpRequest.BodyPublishers.ofByteArray(bytes))
            .build();
    HttpResponse<String> response = exchange(request, HttpResponse.BodyHandlers.ofString());
    if (response.statusCode() >= 400) {
      throw refusal(response.statusCode(), response.body());
    }
    return tree(response.body()).path("arrived").asLong();
  }

  /** Copies an answer as it comes. */
  void copy(String path, OutputStream out) {
    copy(request(path, Optional.empty()).build(), out);
  }

  /** As {@link #copy(String, OutputStream)}, for what is asked for by a body. */
  void copy(String path, Object body, OutputStream out) {
    copy(
        request(path, Optional.empty())
            .header("Content-Type", "application/json")
            .POST(HttpRequest.BodyPublishers.ofString(JSON.writeValueAsString(body)))
            .build(),
        out);
  }

  private void copy(HttpRequest request, OutputStream out) {
    HttpResponse<InputStream> response =
        exchange(request, HttpResponse.BodyHandlers.ofInputStream());
    try (InputStream in = response.body()) {
      if (response.statusCode() >= 400) {
        throw refusal(response.statusCode(), new String(in.readAllBytes(), StandardCharsets.UTF_8));
      }
      byte[] buffer = new byte[COPY_BYTES];
      for (int n = in.read(buffer); n >= 0; n = in.read(buffer)) {
        write(out, buffer, n);
      }
    } catch (IOException e) {
      throw new ClientException(ExitCode.NO_SERVICE, "The answer broke off: " + e.getMessage());
    }
  }

  /** It is not the service's fault when what it sends cannot be kept here. */
  private static void write(OutputStream out, byte[] bytes, int length) {
    try {
      out.write(bytes, 0, length);
      out.flush();
    } catch (IOException e) {
      throw new ClientException(
          ExitCode.FAILED,
          "Cannot write what the service sends: %s; is the disk full?".formatted(e.getMessage()));
    }
  }

  void delete(String path) {
    take(path);
  }

  /** Deletes, and gives what the service says of it. */
  JsonNode take(String path) {
    return send("DELETE", path, Optional.empty(), Optional.empty()).body();
  }

  /** An answer and the cookie that it set. */
  record Answer(JsonNode body, Optional<String> cookie) {}

  Answer send(String method, String path, Optional<Object> body, Optional<String> cookie) {
    HttpRequest.Builder request = request(path, cookie);
    request.method(
        method,
        body.map(b -> HttpRequest.BodyPublishers.ofString(JSON.writeValueAsString(b)))
            .orElse(HttpRequest.BodyPublishers.noBody()));
    body.ifPresent(b -> request.header("Content-Type", "application/json"));
    HttpResponse<String> response = exchange(request.build(), HttpResponse.BodyHandlers.ofString());
    if (response.statusCode() >= 400) {
      throw refusal(response.statusCode(), response.body());
    }
    Optional<String> set = response.headers().firstValue("Set-Cookie").map(c -> c.split(";", 2)[0]);
    return new Answer(response.body().isEmpty() ? JSON.missingNode() : tree(response.body()), set);
  }

  private JsonNode tree(String body) {
    try {
      return JSON.readTree(body);
    } catch (tools.jackson.core.JacksonException e) {
      throw new ClientException(
          ExitCode.NO_SERVICE,
          "What answers at %s is not a Yardage service: it sent something that is not JSON\nCheck the address: --server, $YARDAGE_SERVER, or where you signed in"
              .formatted(settings.server()));
    }
  }

  /** Hands over the data of each server-sent event until the stream ends. */
  void events(String path, Consumer<JsonNode> onData) {
    HttpResponse<Stream<String>> response =
        exchange(
            request(path, Optional.empty()).header("Accept", "text/event-stream").build(),
            HttpResponse.BodyHandlers.ofLines());
    try (Stream<String> lines = response.body()) {
      if (response.statusCode() >= 400) {
        throw refusal(response.statusCode(), String.join("\n", lines.toList()));
      }
      lines
          .filter(l -> l.startsWith("data:"))
          .forEach(l -> onData.accept(JSON.readTree(l.substring(5))));
    } catch (java.io.UncheckedIOException e) {
      // The service went away in the middle; the caller asks again for how it ended.
    }
  }

  private HttpRequest.Builder request(String path, Optional<String> cookie) {
    HttpRequest.Builder request;
    try {
      request = HttpRequest.newBuilder(URI.create(settings.server() + "/api/v1" + path));
    } catch (IllegalArgumentException e) {
      throw new ClientException(
          ExitCode.WRONG_USAGE,
          "Invalid server [%s]: write it like %s"
              .formatted(settings.server(), Settings.DEFAULT_SERVER));
    }
    if (cookie.isPresent()) {
      request.header("Cookie", cookie.get());
    } else {
      settings.token().ifPresent(t -> request.header("Authorization", "Bearer " + t));
    }
    return request;
  }

  private <T> HttpResponse<T> exchange(HttpRequest request, HttpResponse.BodyHandler<T> handler) {
    try {
      return http.send(request, handler);
    } catch (ConnectException e) {
      throw new ClientException(
          ExitCode.NO_SERVICE,
          "No service answers at %s\nStart it with: ./yardage start".formatted(settings.server()));
    } catch (IOException e) {
      throw new ClientException(
          ExitCode.NO_SERVICE,
          "The service at %s broke off: %s".formatted(settings.server(), e.getMessage()));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new ClientException(ExitCode.STOPPED, "Interrupted");
    }
  }

  private static ClientException refusal(int status, String body) {
    StringBuilder text = new StringBuilder();
    try {
      JsonNode problem = JSON.readTree(body);
      text.append(problem.path("detail").asString("The service answered " + status));
      problem.path("problems").forEach(p -> text.append('\n').append(problem(p)));
      if (problem.has("fix")) {
        text.append('\n').append(problem.path("fix").asString());
      }
    } catch (tools.jackson.core.JacksonException e) {
      text.append("The service answered ").append(status);
    }
    return new ClientException(
        status == 401 || status == 503 ? ExitCode.NO_SERVICE : ExitCode.FAILED, text.toString());
  }

  /** A value as it stands in an address, in its path and behind its question mark alike. */
  static String encoded(String text) {
    // What needs no escape must not have one: the service refuses such addresses.
    return URLEncoder.encode(text, StandardCharsets.UTF_8).replace("+", "%20").replace("%7E", "~");
  }

  /** One problem of a document: place, step, what. */
  static String problem(JsonNode p) {
    String step = p.path("step").asString("");
    return "  %s at line %d, column %d%s: %s"
        .formatted(
            p.path("severity").asString(""),
            p.path("place").path("line").asInt(),
            p.path("place").path("column").asInt(),
            step.isEmpty() ? "" : ", step " + step,
            p.path("message").asString());
  }
}
