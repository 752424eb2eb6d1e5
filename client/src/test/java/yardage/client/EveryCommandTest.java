package yardage.client;

import static org.junit.jupiter.api.Assertions.*;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeSet;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import picocli.CommandLine;
import yardage.client.StubService.Answer;
import yardage.client.StubService.Outcome;

/** Each command against a service that refuses, talks nonsense, or goes away. */
class EveryCommandTest {
  /** A line for each command that asks the service; FILE is a document's text. */
  private static final List<String> LINES =
      List.of(
          "token list",
          "token make robot",
          "token revoke 4",
          "feed list",
          "feed show looms",
          "feed check FILE",
          "feed apply FILE",
          "feed pause looms",
          "feed resume looms",
          "feed rename looms frames",
          "feed remove looms",
          "feed restore looms",
          "feed quarantine looms a.csv",
          "feed release looms a.csv",
          "feed propose looms",
          "feed preview FILE",
          "feed files looms",
          "feed changes looms",
          "feed accept looms",
          "feed again looms a.csv --pipeline land",
          "feed connections",
          "pipeline list",
          "pipeline show land",
          "pipeline check FILE",
          "pipeline apply FILE",
          "pipeline preview land rolls",
          "pipeline profile land rolls",
          "pipeline pause land",
          "pipeline resume land",
          "pipeline rename land bring",
          "pipeline remove land",
          "pipeline restore land",
          "pipeline test list",
          "pipeline test show first",
          "pipeline test make land rolls",
          "pipeline test run FILE",
          "pipeline test apply FILE",
          "part list",
          "part show tidy",
          "part check FILE",
          "part apply FILE",
          "star list",
          "star show cloth",
          "star check cloth",
          "star measures cloth",
          "star apply FILE",
          "sampler list",
          "sampler show week",
          "sampler check FILE",
          "sampler apply FILE",
          "sampler ask week",
          "sampler remove week",
          "view list",
          "view show late",
          "view check FILE",
          "view apply FILE",
          "view ask late",
          "view versions late",
          "view remove late",
          "run land",
          "run land --trial",
          "runs",
          "watch 7",
          "tally 7",
          "checks land",
          "diagnose 7",
          "duplicates land once",
          "log 7",
          "cancel 7",
          "set-aside show 7 1",
          "table list",
          "table show mill.looms",
          "table sample mill.looms",
          "table profile mill.looms",
          "table roll-back mill.looms 5",
          "table compare mill.looms 5",
          "table health mill.looms",
          "table compact mill.looms",
          "table expire mill.looms --keep 5",
          "table drop mill.looms",
          "table bin",
          "table restore 4",
          "table purge 4",
          "query 'select 1'",
          "queries",
          "follow row mill.looms loom=L1",
          "follow line looms looms/1.csv 7",
          "follow column mill.looms loom");

  @TempDir Path folder;
  private Path file;

  static Stream<String> lines() {
    return LINES.stream();
  }

  @BeforeEach
  void home() throws IOException {
    System.setProperty("yardage.client.file", folder.resolve("client.properties").toString());
    file =
        Files.writeString(
            folder.resolve("document.yaml"),
            Stream.of("feed", "pipeline", "part", "star", "sampler", "view", "test")
                .map(w -> w + ": x\n")
                .reduce("", String::concat));
  }

  @AfterEach
  void forget() {
    System.clearProperty("yardage.client.file");
  }

  private String[] words(String line) {
    List<String> out = new ArrayList<>();
    for (String word : line.split(" (?=(?:[^']*'[^']*')*[^']*$)")) {
      out.add(word.replace("'", "").replace("FILE", file.toString()));
    }
    return out.toArray(String[]::new);
  }

  /** Whatever comes back: one exit code that tells, words for a person, and no stack of calls. */
  private void assertTold(String line, Answer answer, int exitCode, String told)
      throws IOException {
    try (StubService service = new StubService()) {
      service.always(answer);
      Outcome outcome = service.run(words(line));
      String all = outcome.out() + outcome.err();
      assertAll(
          line + " against " + answer,
          () -> assertEquals(exitCode, outcome.exitCode(), all),
          () -> assertTrue(all.contains(told), all),
          () -> assertFalse(all.contains("\tat ") || all.contains("Exception"), all),
          () -> assertFalse(service.asked.isEmpty(), "it was asked"));
    }
  }

  @ParameterizedTest
  @MethodSource("lines")
  void aRefusalIsToldWithItsMend(String line) throws IOException {
    assertTold(
        line,
        new Answer(
            409,
            "application/problem+json",
            "{\"status\":409,\"code\":\"no\",\"detail\":\"The mill is closed\",\"fix\":\"Come on Monday\"}",
            ""),
        ExitCode.FAILED,
        "The mill is closed");
  }

  @ParameterizedTest
  @MethodSource("lines")
  void whoIsNotSignedInIsToldSo(String line) throws IOException {
    assertTold(
        line,
        new Answer(
            401,
            "application/problem+json",
            "{\"status\":401,\"code\":\"not-signed-in\",\"detail\":\"Sign in first\",\"fix\":\"yardage sign-in\"}",
            ""),
        ExitCode.NO_SERVICE,
        "Sign in first");
  }

  @ParameterizedTest
  @MethodSource("lines")
  void anAnswerThatIsNoneOfTheServicesIsToldSo(String line) throws IOException {
    assertTold(
        line,
        new Answer(502, "text/html", "<html><body>Bad gateway</body></html>", ""),
        ExitCode.FAILED,
        "502");
  }

  /** A command that is added has to be in the list, or say here why it is not. */
  @Test
  void noCommandIsLeftOut() {
    List<String> alone =
        List.of(
            "sign-in",
            "sign-out",
            "completion",
            "upload",
            "export",
            "feed land",
            "set-aside correct",
            "set-aside replay",
            "set-aside withdraw",
            "set-aside export");
    TreeSet<String> missing = new TreeSet<>();
    collect("", new CommandLine(new Main()), missing);
    missing.removeIf(
        c -> alone.contains(c) || LINES.stream().anyMatch(l -> (l + " ").startsWith(c + " ")));
    assertEquals(List.of(), List.copyOf(missing));
  }

  private static void collect(String path, CommandLine command, TreeSet<String> out) {
    command
        .getSubcommands()
        .forEach(
            (name, sub) -> {
              String whole = (path + " " + name).strip();
              if (sub.getSubcommands().isEmpty()) {
                out.add(whole);
              } else {
                collect(whole, sub, out);
              }
            });
  }
}
