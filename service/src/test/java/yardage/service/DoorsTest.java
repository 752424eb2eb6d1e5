package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.net.Socket;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.concurrent.CompletableFuture;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.springframework.web.servlet.mvc.method.annotation.RequestMappingHandlerMapping;
import tools.jackson.databind.JsonNode;
import yardage.client.Main;
import yardage.service.web.Open;

/** Who gets in, by which way, how fast, and for how long. */
class DoorsTest {
  private static final String ENDLESS = endless();

  private static TestService service;

  @BeforeAll
  static void start() {
    service = TestService.start();
    service.signedIn();
  }

  @AfterAll
  static void stop() {
    service.close();
  }

  /** A query that would take hours: all combinations of many small tables. */
  private static String endless() {
    StringBuilder from = new StringBuilder();
    StringBuilder sum = new StringBuilder();
    for (int i = 0; i < 12; i++) {
      from.append(i == 0 ? "" : ", ")
          .append("(VALUES 0, 1, 2, 3, 4, 5, 6, 7, 8, 9) AS t%d(x)".formatted(i));
      sum.append(i == 0 ? "" : " + ").append("t%d.x".formatted(i));
    }
    return "SELECT count(*) FROM %s WHERE %s > 50".formatted(from, sum);
  }

  private static String request(String method, String path, String... headers) {
    return "%s %s HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\nContent-Length: 0\r\n%s\r\n"
        .formatted(method, path, String.join("", headers));
  }

  private static int status(String answer) {
    assertTrue(answer.startsWith("HTTP/1.1 "), answer);
    return Integer.parseInt(answer.substring(9, 12));
  }

  /** A path in the ways that two readers might take differently. */
  private static Map<String, String> disguises(String path) {
    Map<String, String> out = new LinkedHashMap<>();
    out.put("plain", path);
    for (int i = 1; i < path.length(); i += 3) {
      char c = path.charAt(i);
      out.put(
          "escaped " + i,
          path.substring(0, i) + "%%%02x".formatted((int) c) + path.substring(i + 1));
    }
    out.put("twice escaped", path.replaceFirst("a", "%2561"));
    out.put("parameter", path.replaceFirst("/api", "/api;x=1"));
    out.put("parameter at the end", path + ";.css");
    out.put("doubled slash", "/" + path);
    out.put("doubled slash within", path.replaceFirst("/v1/", "/v1//"));
    out.put("dots", "/assets/.." + path);
    out.put("dots with a parameter", "/assets/..;" + path);
    out.put("escaped dots", "/assets/%2e%2e" + path);
    out.put("back slash", "/assets\\.." + path);
    out.put("upper case", path.replace("/api", "/API"));
    out.put("slash at the end", path + "/");
    out.put("file's end", path + ".css");
    out.put("question in the path", path + "%3f.css");
    out.put("absolute", "http://127.0.0.1" + path);
    out.put("control", path + "%00");
    return out;
  }

  @Test
  void noDisguiseOfAPathIsAnsweredToWhoIsNotSignedIn() {
    Map<String, String> open = new TreeMap<>();
    Set<Integer> seen = new TreeSet<>();
    service
        .get("/api/v1/openapi")
        .body()
        .path("paths")
        .propertyStream()
        .forEach(
            p ->
                p.getValue()
                    .propertyNames()
                    .forEach(
                        method -> {
                          String path = p.getKey().replaceAll("\\{[^}]*}", "1");
                          disguises(path)
                              .forEach(
                                  (how, address) -> {
                                    String answer =
                                        service.raw(request(method.toUpperCase(), address));
                                    int status = status(answer);
                                    seen.add(status);
                                    if (status != 400 && status != 401) {
                                      open.put(
                                          method + " " + path,
                                          how + ": " + answer.lines().toList());
                                    }
                                  });
                        }));

    open.keySet().removeIf(k -> k.equals("get /api/v1/health"));
    assertEquals(Map.of(), open);
    assertEquals(Set.of(200, 400, 401), seen, "health alone is answered");
  }

  @Test
  void onlyTwoHandlersAreOpenAndTheOthersAskThemselves() {
    List<String> open = new ArrayList<>();
    service
        .bean(RequestMappingHandlerMapping.class)
        .getHandlerMethods()
        .forEach(
            (info, method) -> {
              if (method.hasMethodAnnotation(Open.class)) {
                open.add(method.getMethod().getName());
              }
            });

    open.sort(null);
    assertEquals(List.of("health", "signIn"), open);
  }

  @ParameterizedTest
  @CsvSource({
    "127.0.0.1:9273, 200",
    "localhost, 200",
    "LOCALHOST:1, 200",
    "[::1]:9273, 200",
    "mill.example, 400",
    "127.0.0.1.mill.example, 400",
    "localhost.mill.example:9273, 400"
  })
  void answersToItsOwnNamesOnly(String host, int status) {
    String answer =
        service.raw(
            "GET /api/v1/health HTTP/1.1\r\nHost: %s\r\nConnection: close\r\n\r\n".formatted(host));

    assertEquals(status, status(answer), answer);
  }

  private static String cookie() {
    TestService.Answer in =
        service.send(
            "POST", "/api/v1/session", Map.of("name", "admin", "password", TestService.PASSWORD));
    assertEquals(200, in.status(), in.response().body());
    return in.response().headers().firstValue("Set-Cookie").orElseThrow().split(";")[0];
  }

  @Test
  void aChangeOnACookieMustComeFromTheOwnPage() {
    String cookie = "Cookie: " + cookie() + "\r\n";
    String path = "/api/v1/tokens/999999";
    // 404: let in, and there is no such token.
    assertEquals(404, status(service.raw(request("DELETE", path, cookie))));
    assertEquals(
        404, status(service.raw(request("DELETE", path, cookie, "Origin: http://127.0.0.1\r\n"))));
    for (String foreign :
        List.of(
            "Origin: http://mill.example\r\n",
            "Origin: http://127.0.0.1:8080\r\n",
            "Origin: null\r\n",
            "Origin: ::\r\n",
            "Sec-Fetch-Site: cross-site\r\n",
            "Sec-Fetch-Site: same-site\r\nOrigin: http://127.0.0.1\r\n")) {
      assertEquals(403, status(service.raw(request("DELETE", path, cookie, foreign))), foreign);
    }
  }

  @Test
  void everyAnswerTellsTheBrowserWhatItMayDo() {
    String page = service.raw(request("GET", "/"));

    for (String wanted :
        List.of("base-uri 'none'", "form-action 'self'", "frame-ancestors 'none'", "nosniff")) {
      assertTrue(page.contains(wanted), page);
    }
  }

  @Test
  void slowSendersAreLetGoAndHoldUpNobody() throws Exception {
    List<Socket> bodies = new ArrayList<>();
    List<Socket> heads = new ArrayList<>();
    try {
      for (int i = 0; i < 230; i++) {
        Socket s = new Socket("127.0.0.1", service.port());
        s.getOutputStream()
            .write(
                "POST /api/v1/session HTTP/1.1\r\nHost: localhost\r\nContent-Length: 500\r\n\r\n{"
                    .getBytes(StandardCharsets.US_ASCII));
        bodies.add(s);
      }
      for (int i = 0; i < 20; i++) {
        Socket s = new Socket("127.0.0.1", service.port());
        s.getOutputStream().write("GET / HTTP/1.1\r\n".getBytes(StandardCharsets.US_ASCII));
        heads.add(s);
      }
      long start = System.nanoTime();

      assertEquals(200, service.get("/api/v1/feeds").status());
      assertEquals(
          422,
          service.post("/api/v1/query", Map.of("sql", "SELECT nothing")).status(),
          "a body of somebody who is signed in is taken");
      Duration took = Duration.ofNanos(System.nanoTime() - start);
      assertTrue(took.toSeconds() < 5, "answered in " + took);

      TestService.await(
          "all slow heads are let go",
          Duration.ofSeconds(25),
          () -> heads.stream().allMatch(DoorsTest::dripsIntoNothing));
      for (Socket s : bodies) {
        s.setSoTimeout(20_000);
        String answer = new String(s.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        assertTrue(Set.of(408, 503).contains(status(answer)), answer);
      }
    } finally {
      for (Socket s : bodies) {
        s.close();
      }
      for (Socket s : heads) {
        s.close();
      }
    }
  }

  private static boolean dripsIntoNothing(Socket s) {
    try {
      s.getOutputStream().write("X-Drop: 1\r\n".getBytes(StandardCharsets.US_ASCII));
      return false;
    } catch (IOException e) {
      return true;
    }
  }

  @Test
  void largeBodiesAreRefusedByWhatACallTakes() {
    String large = "x".repeat(20_000);
    assertEquals(
        413,
        service
            .send("POST", "/api/v1/session", Map.of("name", large, "password", "secret"))
            .status());
    TestService.Answer document =
        service.post("/api/v1/pipelines/check", Map.of("text", "# " + "x".repeat(2_000_000)));
    assertEquals(413, document.status());
    assertEquals("too-large", document.body().path("code").asString());
    assertEquals(
        200, service.post("/api/v1/pipelines/check", Map.of("text", "# " + large)).status());
  }

  @Test
  void aTokenThatReadsChangesNothing() {
    String secret = service.say("token", "make", "reader", "--read", "--days", "1").strip();
    String[] bearer = {"Authorization", "Bearer " + secret};

    assertEquals(200, service.send("GET", "/api/v1/tables", null, bearer).status());
    assertEquals(
        200,
        service.send("POST", "/api/v1/query", Map.of("sql", "SELECT 1 AS x"), bearer).status());
    Map<String, Integer> taken = new TreeMap<>();
    Set<String> reads =
        Set.of(
            "/api/v1/query",
            "/api/v1/results",
            "/api/v1/results/{id}",
            "/api/v1/exports",
            "/api/v1/follow/row",
            "/api/v1/pipelines/check",
            "/api/v1/pipelines/diagnose",
            "/api/v1/pipelines/mend",
            "/api/v1/pipelines/duplicates",
            "/api/v1/feeds/check",
            "/api/v1/feeds/propose",
            "/api/v1/feeds/preview",
            "/api/v1/parts/check",
            "/api/v1/pipelines/edit/add",
            "/api/v1/pipelines/edit/remove",
            "/api/v1/pipelines/edit/rename",
            "/api/v1/pipelines/edit/fields",
            "/api/v1/pipelines/edit/set",
            "/api/v1/pipelines/edit/move",
            "/api/v1/pipelines/edit/paste",
            "/api/v1/samplers/check",
            "/api/v1/views/check",
            "/api/v1/samplers/answer",
            "/api/v1/pipelines/preview",
            "/api/v1/pipelines/profile",
            "/api/v1/pipelines/preview/test",
            "/api/v1/pipelines/preview/values",
            "/api/v1/tests/run",
            "/api/v1/stars/check",
            "/api/v1/runs/{run}/set-aside/{number}/check");
    for (Map.Entry<String, JsonNode> path :
        service.get("/api/v1/openapi").body().path("paths").properties()) {
      path.getValue()
          .propertyNames()
          .forEach(
              method -> {
                boolean session = path.getKey().equals("/api/v1/session");
                if (!method.equals("get") && !reads.contains(path.getKey()) && !session) {
                  boolean upload = path.getKey().equals("/api/v1/uploads/{id}");
                  int status =
                      service
                          .send(
                              method.toUpperCase(),
                              path.getKey().replaceAll("\\{[^}]*}", "1")
                                  + (upload ? "?offset=0" : ""),
                              Map.of(),
                              bearer)
                          .status();
                  if (status != 403 && status != 415) {
                    taken.put(method + " " + path.getKey(), status);
                  }
                }
              });
    }
    assertEquals(Map.of(), taken);
  }

  @Test
  void anEndedTokenOpensNothing() throws Exception {
    String secret = service.say("token", "make", "short", "--days", "1").strip();
    assertEquals(
        200,
        service.send("GET", "/api/v1/feeds", null, "Authorization", "Bearer " + secret).status());

    try (var c = service.db.connect("yardage");
        var s = c.createStatement()) {
      assertEquals(
          1,
          s.executeUpdate(
              "UPDATE sign_ins SET expires_at = UTC_TIMESTAMP(6) WHERE name = 'short'"));
    }

    assertEquals(
        401,
        service.send("GET", "/api/v1/feeds", null, "Authorization", "Bearer " + secret).status());
  }

  @Test
  void signingOutRevokesTheClientsTokenAndATokenGoesToItsServerOnly(@TempDir Path folder)
      throws Exception {
    try (TestService other = TestService.start()) {
      // The client of this one keeps its token in a file of its own.
      other.signedIn();
      String secret = other.token();
      Path file = other.home.resolve("client.properties");

      TestService.Said elsewhere = service.client("feed", "list");
      assertEquals(3, elsewhere.code(), "no token is sent to another server: " + elsewhere.err());
      assertTrue(elsewhere.err().contains("Sign in first"), elsewhere.err());

      assertEquals(0, other.client("sign-out").code());
      assertFalse(Files.exists(file));
      assertEquals(
          401,
          other.send("GET", "/api/v1/feeds", null, "Authorization", "Bearer " + secret).status());
    } finally {
      System.setProperty(
          "yardage.client.file", service.home.resolve("client.properties").toString());
    }
    assertEquals(0, Main.run("--server", service.server(), "feed", "list"));
  }

  @Test
  void aNewPasswordEndsEveryOtherSessionAndToken() {
    try (TestService other = TestService.start()) {
      other.signedIn();
      String cookie =
          other
              .send(
                  "POST",
                  "/api/v1/session",
                  Map.of("name", "admin", "password", TestService.PASSWORD))
              .response()
              .headers()
              .firstValue("Set-Cookie")
              .orElseThrow()
              .split(";")[0];
      Map<String, String> change =
          Map.of("current", TestService.PASSWORD, "next", "another one for tests");

      for (String weak : List.of("aaaaaaaaaa", "Password2026!", "\u00fc".repeat(50), "short")) {
        TestService.Answer refused =
            other.send(
                "POST",
                "/api/v1/session/password",
                Map.of("current", TestService.PASSWORD, "next", weak),
                "Cookie",
                cookie);
        assertEquals(422, refused.status(), weak);
      }
      assertEquals(
          204, other.send("POST", "/api/v1/session/password", change, "Cookie", cookie).status());

      assertEquals(401, other.get("/api/v1/feeds").status(), "the client's token has ended");
      assertEquals(200, other.send("GET", "/api/v1/feeds", null, "Cookie", cookie).status());
    } finally {
      System.setProperty(
          "yardage.client.file", service.home.resolve("client.properties").toString());
    }
  }

  private static JsonNode queries() {
    return service.get("/api/v1/queries").body();
  }

  @Test
  void aQueryIsListedAndCanBeEnded() throws Exception {
    CompletableFuture<TestService.Answer> asked =
        CompletableFuture.supplyAsync(
            () ->
                service.send(
                    "POST",
                    "/api/v1/query",
                    Map.of("sql", ENDLESS),
                    "Authorization",
                    "Bearer " + service.token(),
                    "X-Request-Id",
                    "mine"));
    TestService.await("the query runs", Duration.ofSeconds(30), () -> !queries().isEmpty());

    JsonNode listed = queries().get(0);
    assertEquals("admin", listed.path("askedBy").asString());
    assertEquals("mine", listed.path("requestId").asString());
    assertTrue(service.say("queries").contains("SELECT count(*)"));
    service.say("queries", "--end", listed.path("id").asString());

    TestService.Answer ended = asked.get();
    assertEquals(422, ended.status(), ended.response().body());
    assertEquals("ended", ended.body().path("code").asString());
    assertEquals(404, service.delete("/api/v1/queries/" + listed.path("id").asLong()).status());
  }

  @Test
  void aQueryEndsWithItsClient() throws Exception {
    String body = "{\"sql\":\"" + ENDLESS + "\"}";
    try (Socket s = new Socket("127.0.0.1", service.port())) {
      s.getOutputStream()
          .write(
              ("POST /api/v1/query HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer %s\r\nContent-Type: application/json\r\nContent-Length: %d\r\n\r\n%s"
                      .formatted(service.token(), body.length(), body))
                  .getBytes(StandardCharsets.US_ASCII));
      TestService.await("the query runs", Duration.ofSeconds(30), () -> !queries().isEmpty());
    }

    TestService.await("the query has ended", Duration.ofSeconds(60), () -> queries().isEmpty());
  }
}
