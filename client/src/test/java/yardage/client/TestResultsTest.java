package yardage.client;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import javax.xml.parsers.DocumentBuilderFactory;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.w3c.dom.Document;
import org.w3c.dom.Element;
import yardage.client.StubService.Outcome;

/** Results of pipelines' tests, for people, for programs and for build servers. */
class TestResultsTest {
  private static final String PASSED =
      "{\"test\":\"first-bales\",\"pipeline\":\"bales\",\"passed\":true,\"elapsedMillis\":1204,"
          + "\"problems\":[],\"outcomes\":[{\"step\":\"tidy\",\"passed\":true}]}";
  private static final String DIFFERS =
      """
      {"test":"heavy-bales","pipeline":"bales","passed":false,"elapsedMillis":80,"problems":[],
       "outcomes":[{"step":"heavy","passed":false,"words":"1 row too few, 1 too many",
         "columns":["bale","hall"],"missing":[[1,"North "]],"surplus":[[1,null]]}]}
      """;
  private static final String WRONG =
      """
      {"test":"odd \\u0001 <names> & \\ud83e\\uddf5","pipeline":"bales","passed":false,"elapsedMillis":0,
       "problems":[{"severity":"error","place":{"line":3,"column":9},"message":"There is no step [havy]"}],
       "outcomes":[]}
      """;
  private static final String STOPPED =
      "{\"test\":\"slow\",\"pipeline\":\"bales\",\"passed\":false,\"elapsedMillis\":9,\"problems\":[],"
          + "\"failure\":\"Step [heavy]: division by zero\",\"outcomes\":[]}";

  @TempDir Path folder;
  private StubService service;

  @BeforeEach
  void start() throws IOException {
    service = new StubService();
    System.setProperty("yardage.client.file", folder.resolve("client.properties").toString());
    Files.writeString(
        folder.resolve("client.properties"), "server=%s\ntoken=t\n".formatted(service.address()));
  }

  @AfterEach
  void stop() {
    service.close();
    System.clearProperty("yardage.client.file");
  }

  private Outcome run(String results, String... more) {
    service.on("POST /tests/run", results);
    String[] line = new String[more.length + 3];
    line[0] = "pipeline";
    line[1] = "test";
    line[2] = "run";
    System.arraycopy(more, 0, line, 3, more.length);
    return service.run(line);
  }

  @Test
  void allThatPassEndWithZeroAndOneThatFailsDoesNot() {
    Outcome passed = run("[%s]".formatted(PASSED));
    assertEquals(0, passed.exitCode(), passed.err());
    assertTrue(passed.out().contains("passed  first-bales, of bales, 1.20 s"), passed.out());
    assertTrue(passed.out().contains("All 1 passed"), passed.out());
  }

  @Test
  void whatDiffersIsShownRowByRowWithItsBlanksAndNulls() {
    Outcome failed = run("[%s,%s,%s,%s]".formatted(PASSED, DIFFERS, WRONG, STOPPED));

    assertEquals(1, failed.exitCode());
    assertTrue(failed.out().contains("FAILED  heavy-bales"), failed.out());
    assertTrue(failed.out().contains("heavy gave 1 row too few, 1 too many"), failed.out());
    assertTrue(
        failed.out().matches("(?s).*expected\\s+1\\s+North.*came\\s+1\\s+null.*"), failed.out());
    assertTrue(failed.out().contains("There is no step [havy]"), failed.out());
    assertTrue(failed.out().contains("Step [heavy]: division by zero"), failed.out());
    assertTrue(failed.out().contains("3 of 4 failed"), failed.out());
    assertFalse(failed.out().contains("\u0001"), "a control character draws nothing");
  }

  @Test
  void buildServersReadThemAsXml() throws Exception {
    Path file = folder.resolve("results.xml");
    Outcome failed =
        run("[%s,%s,%s]".formatted(PASSED, DIFFERS, WRONG), "--junit", file.toString());

    assertEquals(1, failed.exitCode());
    Document xml = DocumentBuilderFactory.newInstance().newDocumentBuilder().parse(file.toFile());
    Element suite = xml.getDocumentElement();
    assertEquals("3", suite.getAttribute("tests"));
    assertEquals("2", suite.getAttribute("failures"));
    Element odd = (Element) suite.getElementsByTagName("testcase").item(2);
    assertEquals("odd \ufffd <names> & \ud83e\uddf5", odd.getAttribute("name"));
    assertEquals("bales", odd.getAttribute("classname"));
    assertEquals(
        "There is no step [havy]",
        ((Element) odd.getElementsByTagName("failure").item(0)).getAttribute("message"));
    Element first = (Element) suite.getElementsByTagName("testcase").item(0);
    assertEquals("1.204", first.getAttribute("time"));
    assertEquals(0, first.getElementsByTagName("failure").getLength());
  }

  @Test
  void resultsThatCannotBeWrittenAreAnError() {
    Outcome failed =
        run("[%s]".formatted(PASSED), "--junit", folder.resolve("no/where.xml").toString());

    assertEquals(1, failed.exitCode());
    assertTrue(failed.err().contains("Cannot write ["), failed.err());
  }

  @Test
  void programsGetOneReasonForEach() {
    Outcome csv = run("[%s,%s,%s]".formatted(PASSED, DIFFERS, STOPPED), "-o", "csv");

    assertEquals(1, csv.exitCode());
    assertEquals(
        """
        test,pipeline,result,why
        first-bales,bales,passed,""
        heavy-bales,bales,failed,"heavy gave 1 row too few, 1 too many"
        slow,bales,failed,Step [heavy]: division by zero
        """,
        csv.out().replace("\r\n", "\n"),
        "line ends as RFC 4180 has them, and an empty text that is no null");
  }

  @Test
  void withoutTestsItSaysHowToMakeOne() {
    Outcome none = run("[]", "--of", "bales");

    assertEquals(0, none.exitCode());
    assertTrue(none.out().contains("make one with: yardage pipeline test make"), none.out());
    assertEquals("{\"of\":\"bales\"}", service.asked.get(0).text());
  }
}
