package yardage.client;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.client.StubService.Answer;
import yardage.client.StubService.Asked;
import yardage.client.StubService.Outcome;

/** What the client asks, tells and exits with, whatever the service answers. */
class CommandsTest {
  @TempDir Path folder;
  private StubService service;

  @BeforeEach
  void start() throws IOException {
    System.setProperty("yardage.client.file", folder.resolve("client.properties").toString());
    service = new StubService();
  }

  @AfterEach
  void stop() {
    service.close();
    System.clearProperty("yardage.client.file");
  }

  private static Answer json(int status, String body) {
    return new Answer(status, "application/json", body, "");
  }

  @Test
  void signInKeepsATokenForItsOwnerAloneAndNoPassword() throws IOException {
    service
        .on(
            "POST /session",
            new Answer(
                200, "application/json", "{\"mustChangePassword\":true}", "seat=7; HttpOnly"))
        .on("POST /session/password", json(204, ""))
        .on("POST /tokens", "{\"id\":4,\"secret\":\"yd-secret\"}")
        .on("DELETE /session", json(204, ""))
        .on("GET /runs?pipeline=&state=&limit=20", "[]");
    InputStream in = System.in;
    System.setIn(
        new ByteArrayInputStream(
            "one-time words\nlong enough words\n".getBytes(StandardCharsets.UTF_8)));
    try {
      Outcome signedIn = service.run("sign-in", "--password-stdin");
      assertEquals(0, signedIn.exitCode(), signedIn.err());
    } finally {
      System.setIn(in);
    }

    Path kept = folder.resolve("client.properties");
    String text = Files.readString(kept);
    assertTrue(text.contains("yd-secret"), text);
    assertFalse(text.contains("words"), "no password is kept: " + text);
    assertEquals("rw-------", PosixFilePermissions.toString(Files.getPosixFilePermissions(kept)));
    assertEquals(
        "{\"current\":\"one-time words\",\"next\":\"long enough words\"}",
        sorted(service.asked.get(1).text()));
    assertEquals("null", service.asked.get(2).token(), "the session asks, not a token of before");

    assertEquals(0, StubService.runAlone("runs").exitCode(), "the address is kept as well");
    assertEquals("Bearer yd-secret", service.asked.get(service.asked.size() - 1).token());
  }

  private static String sorted(String json) {
    java.util.Map<String, Object> members = new java.util.TreeMap<>();
    Api.JSON.readTree(json).propertyStream().forEach(e -> members.put(e.getKey(), e.getValue()));
    return Api.JSON.writeValueAsString(members);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '!',
      value = {
        "401 ! {\"detail\":\"Sign in first\",\"fix\":\"yardage sign-in\"} ! 3 ! Sign in first~yardage sign-in",
        "503 ! {\"detail\":\"The database is away\"} ! 3 ! The database is away",
        "404 ! {\"detail\":\"There is no feed [x]\",\"fix\":\"See them with: yardage feed list\"} ! 1 ! There is no feed [x]~See them with: yardage feed list",
        "422 ! {\"detail\":\"2 errors\",\"problems\":[{\"severity\":\"error\",\"place\":{\"line\":3,\"column\":9},\"step\":\"rows\",\"message\":\"Unknown [fom]\"}]} ! 1 ! 2 errors~  error at line 3, column 9, step rows: Unknown [fom]",
        "500 ! <html>oops</html> ! 1 ! The service answered 500",
        "0 ! '' ! 3 ! broke off",
        "200 ! <html>another program</html> ! 3 ! not a Yardage service",
      })
  void refusalsAreToldAndTellTheirKindByTheExitCode(
      int status, String body, int exitCode, String told) {
    service.on("GET /feeds/x", json(status, body));

    Outcome shown = service.run("feed", "show", "x");

    assertEquals(exitCode, shown.exitCode(), shown.err());
    assertTrue(shown.err().contains(told.replace('~', '\n')), shown.err());
    assertEquals("", shown.out());
  }

  @Test
  void wrongUsageAndAnAbsentServiceAreToldApart() {
    service.close();
    Outcome away = service.run("runs");
    Outcome noAddress = StubService.runAlone("runs", "--server", "not an address");
    Outcome unknown = StubService.runAlone("runs", "--stat", "failed");

    assertEquals(3, away.exitCode());
    assertTrue(away.err().contains("./yardage start"), away.err());
    assertEquals(2, noAddress.exitCode());
    assertTrue(noAddress.err().contains("Invalid server [not an address]"), noAddress.err());
    assertEquals(2, unknown.exitCode());
    assertTrue(unknown.err().contains("--state"), "the option that was meant: " + unknown.err());
  }

  @Test
  void namesWithOddCharactersStayOneName() {
    service.on(
        "GET /feeds/a%20b%2F%3F%25", json(404, "{\"detail\":\"There is no feed [a b/?%]\"}"));

    Outcome shown = service.run("feed", "show", "a b/?%");

    assertEquals("There is no feed [a b/?%]\n", shown.err());
  }

  private static String run(String state) {
    return """
        {"summary":{"id":12,"pipeline":"cloth-star","state":"%s","elapsedMillis":1500
        %s},"steps":[{"name":"rolls","verb":"read","tally":{"rowsIn":10000,"setAside":3,"rowsOut":9997}}],
        "setAsideByReason":{"wrong-type":3}}"""
        .formatted(
            state,
            state.equals("failed")
                ? ",\"failure\":{\"step\":\"rolls\",\"message\":\"the disk is full\"}"
                : "");
  }

  @ParameterizedTest
  @CsvSource({"succeeded, 0", "failed, 1", "cancelled, 4", "interrupted, 4"})
  void waitingForARunEndsWithItsOutcome(String state, int exitCode) {
    service
        .on("POST /pipelines/cloth-star/runs", "{\"id\":12}")
        // The stream breaks off while the run goes on: the client asks, and listens again.
        .on("GET /runs/12/events", json(0, ""))
        .on(
            "GET /runs/12/events",
            new Answer(
                200,
                "text/event-stream",
                "event: run\ndata: " + run("running").replace("\n", "") + "\n\n",
                ""))
        .on("GET /runs/12", run("running"))
        .on("GET /runs/12", run(state))
        .on("GET /runs/12/joins", "[]");

    Outcome waited = service.run("run", "cloth-star", "--wait", "--set", "day=2026-03-01");

    assertEquals(exitCode, waited.exitCode(), waited.err());
    assertEquals("{\"parameters\":{\"day\":\"2026-03-01\"}}", service.asked.get(0).text());
    assertTrue(
        waited.out().startsWith("cloth-star, run 12: %s in ".formatted(state)), waited.out());
    assertTrue(waited.out().contains("10,000"), waited.out());
    assertTrue(waited.out().contains("Set aside: 3 wrong-type"), waited.out());
    assertEquals(
        "Run 12 of cloth-star is queued\n"
            + (state.equals("failed") ? "Step rolls: the disk is full\n" : ""),
        waited.err());
  }

  @Test
  void aServiceThatGoesAwayDoesNotLoseTheRunsNumber() {
    service
        .on("POST /pipelines/cloth-star/runs", "{\"id\":12}")
        .on("GET /runs/12/events", json(0, ""))
        .on("GET /runs/12", json(0, ""));

    Outcome waited = service.run("run", "cloth-star", "--wait");

    assertEquals(3, waited.exitCode());
    assertTrue(waited.err().contains("Run 12 of cloth-star is queued"), waited.err());
    assertTrue(waited.err().contains("Run 12 is not lost"), waited.err());
    assertTrue(waited.err().contains("yardage watch 12"), waited.err());
  }

  /** What people read has units and separators; what programs read is exact. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "table list | GET /tables | [{\"name\":\"mart.cloth\",\"rows\":18582,\"files\":3,\"sizeBytes\":2301,\"partitionedBy\":[\"year\"],\"updatedAt\":\"2026-01-05T10:00:00Z\"}] | 18,582 | 2.3 kB | size (bytes) | mart.cloth,18582,3,2301,year,2026-01-05T10:00:00Z,",
        "feed list | GET /feeds | [{\"name\":\"rolls\",\"version\":2,\"format\":\"text\",\"columns\":4,\"files\":[\"a\",\"b\"],\"records\":1000,\"setAside\":6,\"about\":\"\"}] | 0.60 % | a, b | set aside (share) | rolls,2,text,4,",
        "runs | GET /runs?pipeline=&state=&limit=20 | [{\"id\":12345,\"pipeline\":\"p\",\"state\":\"failed\",\"cause\":\"schedule\",\"elapsedMillis\":61000,\"rowsIn\":20000,\"rowsOut\":0,\"setAside\":0,\"warnings\":0,\"failure\":{\"message\":\"the disk is full\"}}] | 1:01 min | the disk is full | took (ms) | 12345,p,failed,schedule,\"\",61000,20000,0,0,0,the disk is full",
        "table health | GET /tables/health | [{\"table\":\"raw.a\",\"files\":1200,\"sizeBytes\":50,\"rawBytes\":200,\"findings\":[]}] | 25.00 % | 1,200 | of raw (share) | raw.a,1200,50,200,0.250000,well",
        "token list | GET /tokens | [{\"id\":7,\"name\":\"night\",\"scope\":\"read\",\"expiresAt\":\"2026-02-01T00:00:00Z\"}] | 2026-02-01 00:00:00 | ends (UTC) | ends,made | 7,night,read,2026-02-01T00:00:00Z,",
      })
  void listsAreReadableForPeopleAndExactForPrograms(
      String command,
      String call,
      String answer,
      String shown,
      String also,
      String heading,
      String exact) {
    service.on(call, answer).on(call, answer).on(call, answer);

    Outcome people = service.run(command.split(" "));
    Outcome csv = service.run((command + " -o csv").split(" "));
    Outcome jsonOut = service.run((command + " -o json").split(" "));

    assertTrue(people.out().contains(shown) && people.out().contains(also), people.out());
    assertTrue(csv.out().contains(exact), csv.out());
    assertTrue(csv.out().lines().findFirst().orElse("").contains(heading), csv.out());
    assertEquals(Api.JSON.readTree(answer), Api.JSON.readTree(jsonOut.out()));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "table rows 5 | There is no command [yardage table rows]; there are list, show",
        "tabl list | There is no command [yardage tabl]; did you mean table?",
        "feed lst | There is no command [yardage feed lst]; did you mean list?",
        "run | Missing required parameter: 'PIPELINE'",
        "watch twelve | 'twelve' is not a whole number",
      })
  void wrongUsageSaysWhatIsThereAndWhereToLook(String command, String told) {
    Outcome wrong = StubService.runAlone(command.split(" "));

    assertEquals(2, wrong.exitCode());
    assertTrue(wrong.err().contains(told), wrong.err());
    assertTrue(wrong.err().contains("--help"), wrong.err());
    assertEquals("", wrong.out());
  }

  @Test
  void anExportIntoNoFolderIsRefusedBeforeAnythingIsAsked() {
    Outcome refused = service.run("export", "mart.cloth", "-o", folder + "/none/x.csv");

    assertEquals(2, refused.exitCode());
    assertTrue(refused.err().contains("there is no folder [" + folder + "/none]"), refused.err());
    assertTrue(service.asked.isEmpty());
  }

  @Test
  void anExportGoesWhereALinkLeads() throws IOException {
    Path real = Files.writeString(folder.resolve("real.csv"), "old");
    Path link = Files.createSymbolicLink(folder.resolve("link.csv"), real);
    service.on("POST /exports", new Answer(200, "text/csv", "roll\nR1\n", ""));

    service.run("export", "mart.cloth", "-o", link.toString());

    assertTrue(Files.isSymbolicLink(link));
    assertEquals("roll\nR1\n", Files.readString(real));
  }

  @ParameterizedTest
  @ValueSource(strings = {"table list", "table list -o json", "completion"})
  void outputThatCannotBeWrittenIsAnError(String command) {
    // So that it is known which stream the process has.
    StubService.runAlone("--help");
    service.on("GET /tables", "[]");
    OutputStream full =
        new OutputStream() {
          @Override
          public void write(int b) throws IOException {
            throw new IOException("No space left on device");
          }
        };

    Outcome lost =
        StubService.runInto(full, (command + " --server " + service.address()).split(" "));

    assertEquals(1, lost.exitCode(), lost.err());
    assertTrue(lost.err().contains("could be written; is there room"), lost.err());
  }

  @Test
  void anUploadGoesOnWhereItBrokeOff() throws IOException {
    byte[] bytes = new byte[(8 << 20) + 1000];
    new Random(5).nextBytes(bytes);
    Path file = Files.write(folder.resolve("rolls 1.csv"), bytes);
    int arrived = 5 << 20;
    service
        .on("POST /uploads", "{\"id\":\"u1\"}")
        .on("PUT /uploads/u1?offset=0", json(0, ""))
        .on("GET /uploads/u1", "{\"arrived\":%d}".formatted(arrived))
        .on("PUT /uploads/u1?offset=" + arrived, "{\"arrived\":%d}".formatted(bytes.length))
        .on("POST /uploads/u1/finish", "{\"path\":\"rolls/rolls 1.csv\"}");

    Outcome sent = service.run("upload", file.toString(), "--to", "rolls/");

    assertEquals(0, sent.exitCode(), sent.err());
    assertTrue(sent.out().contains("8,389,608 bytes, now at rolls/rolls 1.csv"), sent.out());
    Asked rest =
        service.asked.stream()
            .filter(a -> a.path().endsWith("offset=" + arrived))
            .findFirst()
            .orElseThrow();
    assertArrayEquals(java.util.Arrays.copyOfRange(bytes, arrived, bytes.length), rest.body());
    assertTrue(
        service
            .asked
            .get(service.asked.size() - 1)
            .text()
            .matches("\\{\"sha256\":\"[0-9a-f]{64}\"}"));
    assertEquals(
        "{\"ifThere\":\"ask\",\"path\":\"rolls/rolls 1.csv\",\"sizeBytes\":8389608}",
        sorted(service.asked.get(0).text()));
  }

  @Test
  void oneUploadThatIsRefusedDoesNotKeepTheOthersBack() throws IOException {
    Path there = Files.writeString(folder.resolve("there.csv"), "a");
    Path full = Files.writeString(folder.resolve("full.csv"), "b");
    Path fine = Files.writeString(folder.resolve("fine.csv"), "c");
    service
        .on("POST /uploads", json(409, "{\"detail\":\"[in/there.csv] is there already\"}"))
        .on("POST /uploads", "{\"id\":\"u2\"}")
        .on("POST /uploads", "{\"id\":\"u3\"}")
        .on("PUT /uploads/u2?offset=0", json(413, "{\"detail\":\"The disk is full\"}"))
        .on("GET /uploads/u2", "{\"arrived\":0}")
        .on("PUT /uploads/u3?offset=0", "{\"arrived\":1}")
        .on("POST /uploads/u3/finish", "{\"path\":null}");

    Outcome sent =
        service.run("upload", there.toString(), full.toString(), fine.toString(), "--to", "in");
    Outcome missing = service.run("upload", folder.resolve("no.csv").toString(), "--to", "in");

    assertEquals(1, sent.exitCode());
    assertEquals(
        List.of(there + ": [in/there.csv] is there already", full + ": The disk is full"),
        sent.err().lines().toList());
    assertTrue(sent.out().contains("fine.csv: skipped, since in/fine.csv is there"), sent.out());
    assertEquals(
        1,
        service.asked.stream().filter(a -> a.toString().equals("PUT /uploads/u2?offset=0")).count(),
        "a refusal is not asked for again");
    assertEquals(2, missing.exitCode());
  }

  private static final String ASIDE =
      """
      {"total":1204,"rows":[{"number":1,"file":"rolls/2026-03-01.csv","line":1742,"state":"open",
      "original":"R1;\\tx","failures":[{"field":"metres","reason":"wrong-type","message":"[x] is not a valid int"},
      {"field":"","reason":"check-failed","message":"the check is false"}]}]}""";

  @Test
  void setAsideRowsAreReadByPeopleAndByPrograms() throws IOException {
    service.on("GET /runs/7/set-aside?reason=wrong-type&state=&limit=1", ASIDE);
    String[] line = {"set-aside", "7", "--reason", "wrong-type", "--rows", "1"};

    Outcome people = service.run(line);
    Outcome csv = service.run(with(line, "-o", "csv"));
    Outcome json = service.run(with(line, "-o", "json"));

    assertEquals(
        List.of(
            "row 1: rolls/2026-03-01.csv, line 1,742",
            "  metres, wrong-type: [x] is not a valid int",
            "  check-failed: the check is false",
            "  | " + Output.visible("R1;\tx"),
            "1 of 1,204 rows; ask for more with --rows"),
        people.out().lines().toList());
    assertEquals(
        "row,file,line,why,state,as it arrived",
        csv.out().lines().findFirst().orElseThrow().strip());
    assertTrue(
        csv.out().contains(",metres: [x] is not a valid int; the check is false,open,R1;\tx"),
        csv.out());
    assertEquals(Api.JSON.readTree(ASIDE), Api.JSON.readTree(json.out()));
  }

  private static String[] with(String[] line, String... more) {
    return java.util.stream.Stream.of(line, more)
        .flatMap(java.util.Arrays::stream)
        .toArray(String[]::new);
  }

  @Test
  void anAnswerThatIsCopiedComesWholeOrIsRefused() {
    service
        .on("GET /runs/7/set-aside.csv", new Answer(200, "text/csv", "row\r\n1\r\n", ""))
        .on("GET /runs/8/log", json(404, "{\"detail\":\"There is no run 8\"}"));

    ByteArrayOutputStream out = new ByteArrayOutputStream();
    new Api(Settings.load(service.address())).copy("/runs/7/set-aside.csv", out);
    Outcome log = service.run("log", "8");

    assertEquals("row\r\n1\r\n", out.toString(StandardCharsets.UTF_8));
    assertEquals(1, log.exitCode());
    assertEquals("There is no run 8\n", log.err());
  }

  @Test
  void manyRowsAreCorrectedFromAFileAndTheRefusedAreNamed() throws IOException {
    Path file =
        Files.writeString(
            folder.resolve("corrected.jsonl"),
            "{\"number\":1,\"corrected\":\"R1;5\"}\n\n{\"number\":2,\"original\":\"x\"}\n{\"number\":3,\"corrected\":\"R3\"}\n");
    Path broken =
        Files.writeString(
            folder.resolve("broken.jsonl"), "{\"number\":1,\"corrected\":\"a\"}\n{\n");
    service
        .on("PUT /runs/7/set-aside/1", "{}")
        .on("PUT /runs/7/set-aside/3", json(422, "{\"detail\":\"The record does not fit yet\"}"));

    Outcome some = service.run("set-aside", "correct", "7", "--from", file.toString());
    int asked = service.asked.size();
    Outcome none = service.run("set-aside", "correct", "7", "--from", broken.toString());
    Outcome unclear = service.run("set-aside", "correct", "7", "40");

    assertEquals(1, some.exitCode());
    assertTrue(some.out().startsWith("1 of 2 rows of run 7 are corrected"), some.out());
    assertEquals("row 3: The record does not fit yet\n", some.err());
    assertEquals("{\"text\":\"R1;5\"}", service.asked.get(0).text());
    assertEquals(2, none.exitCode());
    assertTrue(none.err().contains("Line 2 of"), none.err());
    assertEquals(asked, service.asked.size(), "a broken file corrects nothing");
    assertEquals(2, unclear.exitCode());
    assertTrue(unclear.err().contains("--from"), unclear.err());
  }

  /** What a build server reads of a check: one line a problem, and the exit code. */
  @Test
  void aCheckCanBeReadByPrograms() throws IOException {
    Path file = Files.writeString(folder.resolve("p.yaml"), "pipeline: p\n");
    String answer =
        "{\"sound\":false,\"problems\":[{\"severity\":\"error\",\"code\":\"no-verb\",\"step\":\"a\",\"place\":{\"line\":3,\"column\":5},\"message\":\"There is no verb [red], or so\"}]}";
    service.on("POST /pipelines/check", answer).on("POST /pipelines/check", answer);

    Outcome csv = service.run("pipeline", "check", file.toString(), "-o", "csv");
    Outcome people = service.run("pipeline", "check", file.toString());

    assertEquals(1, csv.exitCode());
    assertEquals(
        "file,severity,code,step,line,column,message\r\n%s,error,no-verb,a,3,5,\"There is no verb [red], or so\"\r\n"
            .formatted(file),
        csv.out());
    assertEquals(1, people.exitCode());
    assertTrue(
        people.out().startsWith(file + ": 1 error\n  error at line 3, column 5, step a: "),
        people.out());
    assertTrue(
        service.asked.get(0).text().contains("\"together\":[]"), service.asked.get(0).text());
  }

  @Test
  void cancellingSaysWhatBecameOfTheRun() {
    service
        .on("POST /runs/3/cancel", "{\"id\":3,\"state\":\"cancelled\"}")
        .on("POST /runs/4/cancel", "{\"id\":4,\"state\":\"running\"}");

    String waited = service.run("cancel", "3").out();
    String ran = service.run("cancel", "4").out();

    assertTrue(waited.contains("Run 3 is cancelled"), waited);
    assertTrue(ran.contains("Run 4 is asked to stop"), ran);
  }
}
