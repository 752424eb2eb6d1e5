package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import tools.jackson.databind.JsonNode;

/**
 * Every call that the service describes, made wrongly in every way that its description allows to
 * think of: it must refuse in words that a person can use, and never fail itself.
 */
class InterfaceTest {
  private static final List<String> NAMES =
      List.of(
          "nothing",
          "No%20Such%20Name",
          "a'b%22%3Cc%3E",
          "..%2F..",
          "%C3%A9%F0%9F%A7%B5",
          "raw.nothing",
          "x".repeat(400));
  private static final List<String> NUMBERS =
      List.of("0", "-1", "999999999", "9223372036854775807", "many", "1.5", "%20");
  private static final String ODD_TEXT = "x'\"<>; drop é🧵\u0001";

  /** The session is what these calls are made with. */
  private static final Set<String> LEFT_OUT = Set.of("/api/v1/session", "/api/v1/session/password");

  private static TestService service;
  private static JsonNode described;

  @BeforeAll
  static void start() {
    service = TestService.start();
    service.signedIn();
    described = service.get("/api/v1/openapi").body();
  }

  @AfterAll
  static void stop() {
    service.close();
  }

  private record Call(String method, String path, JsonNode operation) {}

  private static List<Call> calls() {
    List<Call> out = new ArrayList<>();
    described
        .path("paths")
        .propertyStream()
        .filter(p -> !LEFT_OUT.contains(p.getKey()))
        .forEach(
            p ->
                p.getValue()
                    .propertyStream()
                    .forEach(
                        o ->
                            out.add(
                                new Call(
                                    o.getKey().toUpperCase(java.util.Locale.ROOT),
                                    p.getKey(),
                                    o.getValue()))));
    return out;
  }

  /** Addresses with every parameter set to some odd value in turn. */
  private static List<String> addresses(Call call) {
    List<String> out = new ArrayList<>();
    for (int i = 0; i < NAMES.size(); i++) {
      String path = call.path();
      List<String> query = new ArrayList<>();
      for (JsonNode p : call.operation().path("parameters")) {
        boolean number = p.path("schema").path("type").asString("").equals("integer");
        String value = (number ? NUMBERS : NAMES).get(i);
        if (p.path("in").asString().equals("path")) {
          path = path.replace("{" + p.path("name").asString() + "}", value);
        } else if (i != 1) {
          query.add(p.path("name").asString() + "=" + value);
        }
      }
      out.add(path + (query.isEmpty() ? "" : "?" + String.join("&", query)));
    }
    return out.stream().distinct().toList();
  }

  /** A value of a schema that is right in form and means nothing. */
  private static Object nonsense(JsonNode schema, int depth) {
    JsonNode s = schema;
    if (s.has("$ref")) {
      String name = s.path("$ref").asString().replaceFirst(".*/", "");
      s = described.path("components").path("schemas").path(name);
    }
    if (s.has("enum")) {
      return s.path("enum").get(0).asString();
    }
    return switch (s.path("type").asString("object")) {
      case "string" -> ODD_TEXT;
      case "integer", "number" -> -7;
      case "boolean" -> true;
      case "array" -> List.of(nonsense(s.path("items"), depth + 1));
      default -> {
        Map<String, Object> members = new LinkedHashMap<>();
        if (depth < 5) {
          s.path("properties")
              .propertyStream()
              .forEach(m -> members.put(m.getKey(), nonsense(m.getValue(), depth + 1)));
        }
        yield members;
      }
    };
  }

  private static List<Object> bodies(Call call) {
    JsonNode content = call.operation().path("requestBody").path("content");
    List<Object> out = new ArrayList<>();
    if (!content.has("application/json")) {
      out.add(null);
      return out;
    }
    Object nonsense = nonsense(content.path("application/json").path("schema"), 0);
    out.addAll(List.of(nonsense, Map.of(), List.of(1), "text", Map.of("unknown", Map.of())));
    if (nonsense instanceof Map<?, ?> members) {
      // Each member of another type than it has.
      members.keySet().forEach(k -> out.add(Map.of(k, List.of(Map.of()))));
      Map<Object, Object> nulls = new LinkedHashMap<>();
      members.keySet().forEach(k -> nulls.put(k, null));
      out.add(nulls);
    }
    return out;
  }

  @Test
  void whateverIsAskedWronglyIsRefusedInWords() {
    Map<String, String> faults = new TreeMap<>();
    int asked = 0;
    for (Call call : calls()) {
      for (String address : addresses(call)) {
        for (Object body : bodies(call)) {
          TestService.Answer answer =
              service.send(
                  call.method(), address, body, "Authorization", "Bearer " + service.token());
          asked++;
          String detail = answer.body().path("detail").asString("");
          boolean inWords =
              answer
                      .response()
                      .headers()
                      .firstValue("Content-Type")
                      .orElse("")
                      .equals("application/problem+json")
                  && detail.length() > 10
                  && !detail.matches(
                      "(?s).*(Exception|\\bnull\\b|java\\.|yardage\\.|org\\.|tools\\.jackson|Throwable).*");
          if (answer.status() >= 500 || answer.status() >= 400 && !inWords) {
            faults.putIfAbsent(
                call.method() + " " + call.path(),
                "%d to %s with %s: %s"
                    .formatted(answer.status(), address, body, answer.response().body()));
          }
        }
      }
    }
    assertEquals("", String.join("\n", faults.values()), faults.size() + " calls");
    assertTrue(asked > 1000, "there is something to ask: " + asked);
  }

  @Test
  void nothingIsAnsweredToWhoDoesNotSayWhoTheyAre() {
    Map<String, Integer> answered = new TreeMap<>();
    for (Call call : calls()) {
      int status = service.send(call.method(), addresses(call).get(0), null).status();
      if (status != 401) {
        answered.put(call.method() + " " + call.path(), status);
      }
    }
    assertEquals(Map.of("GET /api/v1/health", 200), answered);
  }

  @Test
  void aPageThatIsNotThereIsThePageThatSaysSo() throws Exception {
    HttpResponse<String> page = get("/no/such/page", "text/html");
    HttpResponse<String> file =
        get(page.body().replaceFirst("(?s).*src=\"(/assets/[^\"]*)\".*", "$1"), "*/*");

    assertEquals(404, page.statusCode());
    assertTrue(page.body().contains("<div id=\"root\">"), page.body());
    assertEquals(200, file.statusCode());
    assertEquals(
        "max-age=31536000, public, immutable",
        file.headers().firstValue("Cache-Control").orElse(""));
    assertEquals(401, get("/no/such/page", "application/json").statusCode());
    assertEquals(401, get("/api/v1/nosuch", "text/html").statusCode());
  }

  private static HttpResponse<String> get(String path, String accept) throws Exception {
    return HttpClient.newHttpClient()
        .send(
            HttpRequest.newBuilder(URI.create(service.server + path))
                .header("Accept", accept)
                .build(),
            HttpResponse.BodyHandlers.ofString());
  }
}
