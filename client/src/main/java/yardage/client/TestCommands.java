package yardage.client;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.regex.Pattern;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/** Tests of pipelines: given rows in, expected rows out. */
final class TestCommands {
  private TestCommands() {}

  @Command(
      name = "test",
      description = "Tests of pipelines: given rows in, expected rows out.",
      subcommands = {
        ListTests.class,
        DocumentCommands.Show.class,
        Make.class,
        RunTests.class,
        DocumentCommands.Apply.class
      },
      synopsisSubcommandLabel = "COMMAND")
  static final class Test implements DocumentCommands.Noun, Runnable {
    @ParentCommand DocumentCommands.Pipeline pipeline;

    @Override
    public Main main() {
      return pipeline.main;
    }

    @Override
    public String word() {
      return "test";
    }

    @Override
    public void run() {
      pipeline
          .main
          .spec
          .commandLine()
          .getSubcommands()
          .get("pipeline")
          .getSubcommands()
          .get("test")
          .usage(System.out);
    }
  }

  @Command(name = "list", description = "List the tests that are kept.")
  static final class ListTests implements Callable<Integer> {
    @ParentCommand Test test;
    @Mixin DocumentCommands.Format output;

    @Option(names = "--of", paramLabel = "PIPELINE", description = "Only this pipeline's.")
    String of;

    @Override
    public Integer call() {
      new Listing()
          .text("test", "name")
          .text("of", "of")
          .number("version", "version")
          .words("expects rows of", "expects")
          .text("about", "about")
          .print(
              output.format,
              test.main().api().get("/tests" + (of == null ? "" : "?of=" + Api.encoded(of))));
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "make",
      description = {
        "Write a test of rows as they are now.",
        "Given are the first rows of each source, expected those that the step gives of them."
      })
  static final class Make implements Callable<Integer> {
    @ParentCommand Test test;

    @Parameters(
        index = "0",
        paramLabel = "FILE|PIPELINE",
        description = "A document, or the name of a pipeline that is kept.")
    String of;

    @Parameters(index = "1", paramLabel = "STEP")
    String step;

    @Option(names = "--name", description = "The test's name (default: from the step's).")
    String name;

    @Option(
        names = "--rows",
        description =
            "Rows of each source (default: ${DEFAULT-VALUE}); of one that others look up in those that matter.",
        defaultValue = "5")
    int rows;

    @Mixin SourceOptions sources;

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("text", PreviewCommand.text(test.main().api(), of));
      body.put("step", step);
      body.put("name", name == null ? step.replace('_', '-') + "-rows" : name);
      body.put("rows", rows);
      sources.into(body);
      Terminal.data()
          .print(test.main().api().post("/pipelines/preview/test", body).path("text").asString());
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "run",
      description = {
        "Run tests: files, or those that are kept. No file and no table is read.",
        "Exits with 0 when all pass."
      })
  static final class RunTests implements Callable<Integer> {
    @ParentCommand Test test;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "FILE", arity = "0..*", description = "Tests that need not be kept.")
    List<Path> files = List.of();

    @Option(
        names = "--of",
        paramLabel = "PIPELINE",
        description = "Without files: only this pipeline's tests.")
    String of;

    @Option(
        names = "--pipeline",
        paramLabel = "FILE",
        description = "Run them against this document instead of the pipeline that is kept.")
    Path pipeline;

    @Option(
        names = "--junit",
        paramLabel = "FILE",
        description = "Write the results as JUnit XML too, for whatever builds and tests.")
    Path junit;

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      if (!files.isEmpty()) {
        body.put("texts", files.stream().map(DocumentCommands::read).toList());
      }
      if (of != null) {
        body.put("of", of);
      }
      if (pipeline != null) {
        body.put("pipeline", DocumentCommands.read(pipeline));
      }
      JsonNode results = test.main().api().post("/tests/run", body);
      if (junit != null) {
        write(junit, JUnitXml.of(results));
      }
      if (output.format == Output.Format.table) {
        results.forEach(RunTests::tell);
        long failed = results.valueStream().filter(r -> !r.path("passed").asBoolean()).count();
        System.out.println(
            results.isEmpty()
                ? "There are no tests; make one with: yardage pipeline test make PIPELINE STEP"
                : failed == 0
                    ? "All %d passed".formatted(results.size())
                    : "%d of %d failed".formatted(failed, results.size()));
      } else {
        new Listing()
            .text("test", "test")
            .text("pipeline", "pipeline")
            .text("result", r -> r.path("passed").asBoolean() ? "passed" : "failed")
            .text("why", RunTests::why)
            .print(output.format, results);
      }
      boolean passed = results.valueStream().allMatch(r -> r.path("passed").asBoolean());
      return passed ? ExitCode.DONE : ExitCode.FAILED;
    }

    private static void write(Path file, String text) {
      try {
        Files.writeString(file, text);
      } catch (IOException e) {
        throw new ClientException(
            ExitCode.FAILED, "Cannot write [%s]: %s".formatted(file, e.getMessage()));
      }
    }

    /** The first thing that is wrong, in words. */
    static String why(JsonNode r) {
      if (!r.path("problems").isEmpty()) {
        return r.path("problems").get(0).path("message").asString();
      }
      if (r.path("failure").isString()) {
        return r.path("failure").asString();
      }
      return r.path("outcomes")
          .valueStream()
          .filter(o -> !o.path("passed").asBoolean())
          .map(o -> "%s gave %s".formatted(o.path("step").asString(), o.path("words").asString()))
          .findFirst()
          .orElse("");
    }

    private static void tell(JsonNode r) {
      System.out.println(
          "%s  %s, of %s, %s"
              .formatted(
                  r.path("passed").asBoolean() ? "passed" : "FAILED",
                  r.path("test").asString(),
                  r.path("pipeline").asString(),
                  Output.millis(r.path("elapsedMillis").asLong())));
      r.path("problems").forEach(p -> System.out.println(Api.problem(p)));
      if (r.path("failure").isString()) {
        System.out.println("  " + r.path("failure").asString());
      }
      for (JsonNode o : r.path("outcomes")) {
        if (!o.path("passed").asBoolean()) {
          System.out.println(
              "  %s gave %s".formatted(o.path("step").asString(), o.path("words").asString()));
          rows(o);
        }
      }
    }

    private static void rows(JsonNode outcome) {
      List<Heading> headings = new ArrayList<>(List.of(Heading.left("row")));
      outcome.path("columns").forEach(c -> headings.add(Heading.left(c.asString())));
      List<List<String>> rows = new ArrayList<>();
      for (String kind : List.of("missing", "surplus")) {
        for (JsonNode row : outcome.path(kind)) {
          List<String> cells =
              new ArrayList<>(List.of(kind.equals("missing") ? "expected" : "came"));
          row.forEach(v -> cells.add(Printing.shown(v)));
          rows.add(cells);
        }
      }
      if (!rows.isEmpty()) {
        Output.table(System.out, headings, rows);
      }
    }
  }

  /** Results in the form that build servers read; characters as XML 1.0, 2.2 has them. */
  private static final class JUnitXml {
    private static final Pattern NOT_XML =
        Pattern.compile("[^\\x09\\x0A\\x0D\\x20-\\uD7FF\\uE000-\\uFFFD\\x{10000}-\\x{10FFFF}]");

    private JUnitXml() {}

    static String of(JsonNode results) {
      StringBuilder out = new StringBuilder("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
      long failed = results.valueStream().filter(r -> !r.path("passed").asBoolean()).count();
      out.append(
          "<testsuite name=\"yardage\" tests=\"%d\" failures=\"%d\">\n"
              .formatted(results.size(), failed));
      for (JsonNode r : results) {
        out.append(
            "  <testcase classname=\"%s\" name=\"%s\" time=\"%s\">\n"
                .formatted(
                    text(r.path("pipeline").asString()),
                    text(r.path("test").asString()),
                    r.path("elapsedMillis").asLong() / 1000.0));
        if (!r.path("passed").asBoolean()) {
          out.append("    <failure message=\"%s\"/>\n".formatted(text(RunTests.why(r))));
        }
        out.append("  </testcase>\n");
      }
      return out.append("</testsuite>\n").toString();
    }

    private static String text(String text) {
      return NOT_XML
          .matcher(text)
          .replaceAll("\uFFFD")
          .replace("&", "&amp;")
          .replace("<", "&lt;")
          .replace(">", "&gt;")
          .replace("\"", "&quot;");
    }
  }
}
