package yardage.client;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/** Runs: asking for one, watching, looking back, cancelling. */
final class RunCommands {
  private RunCommands() {}

  @Command(name = "run", description = "Run a pipeline.")
  static final class Run implements Callable<Integer> {
    @ParentCommand Main main;

    @Parameters(paramLabel = "PIPELINE")
    String pipeline;

    @Option(
        names = "--set",
        paramLabel = "NAME=VALUE",
        description = "A parameter; may be repeated.")
    Map<String, String> parameters = new LinkedHashMap<>();

    @Option(names = "--wait", description = "Wait for the end and exit with its outcome.")
    boolean wait;

    @Override
    public Integer call() {
      Api api = main.api();
      JsonNode run =
          api.post(
              "/pipelines/" + Api.encoded(pipeline) + "/runs", Map.of("parameters", parameters));
      long id = run.path("id").asLong();
      if (!wait) {
        System.out.println(
            "Run %d of %s is queued. Watch it with: yardage watch %d".formatted(id, pipeline, id));
        return ExitCode.DONE;
      }
      return watch(api, id);
    }
  }

  @Command(name = "watch", description = "Watch a run until it ends, then print its tally.")
  static final class Watch implements Callable<Integer> {
    @ParentCommand Main main;

    @Parameters(paramLabel = "RUN")
    long id;

    @Override
    public Integer call() {
      return watch(main.api(), id);
    }
  }

  static int watch(Api api, long id) {
    boolean terminal = Output.isTerminal();
    int[] drawn = {0};
    while (true) {
      api.events(
          "/runs/" + id + "/events",
          run -> {
            if (terminal) {
              draw(TallyPrinter.progress(run), drawn);
            }
          });
      JsonNode run = api.get("/runs/" + id);
      String state = run.path("summary").path("state").asString();
      if (!state.equals("QUEUED") && !state.equals("RUNNING")) {
        if (terminal) {
          draw(List.of(), drawn);
        }
        return report(api, run);
      }
    }
  }

  /** Draws lines over those drawn before, with the terminal's standard controls (ECMA-48). */
  private static void draw(List<String> lines, int[] drawn) {
    StringBuilder out = new StringBuilder();
    if (drawn[0] > 0) {
      out.append("\u001b[").append(drawn[0]).append('A').append("\u001b[J");
    }
    lines.forEach(l -> out.append(Terminal.line(l)).append('\n'));
    drawn[0] = lines.size();
    Terminal.draw(out.toString());
  }

  /** Prints how a run ended; gives the exit code for it. */
  static int report(Api api, JsonNode run) {
    JsonNode summary = run.path("summary");
    String state = summary.path("state").asString();
    System.out.println(
        "%s, run %d: %s in %s"
            .formatted(
                summary.path("pipeline").asString(),
                summary.path("id").asLong(),
                state.toLowerCase(Locale.ROOT),
                Output.millis(summary.path("elapsedMillis").asLong())));
    if (run.path("steps").size() > 0) {
      TallyPrinter.print(System.out, run);
    }
    if (run.path("setAsideByReason").size() > 0) {
      List<String> reasons = new ArrayList<>();
      run.path("setAsideByReason")
          .propertyStream()
          .forEach(
              e ->
                  reasons.add("%s %s".formatted(Output.number(e.getValue().asLong()), e.getKey())));
      System.out.println(
          "Set aside: %s. See them with: yardage set-aside %d"
              .formatted(String.join(", ", reasons), summary.path("id").asLong()));
    }
    long id = summary.path("id").asLong();
    DiagnoseCommand.tell(api.get("/runs/" + id + "/joins"), id);
    JsonNode failure = summary.path("failure");
    if (!failure.isMissingNode() && !failure.isNull()) {
      String step = failure.path("step").asString("");
      System.err.println(
          (step.isEmpty() ? "" : "Step " + step + ": ") + failure.path("message").asString());
    }
    return switch (state) {
      case "SUCCEEDED", "QUEUED", "RUNNING" -> ExitCode.DONE;
      case "FAILED" -> ExitCode.FAILED;
      default -> ExitCode.STOPPED;
    };
  }

  @Command(name = "runs", description = "List runs, the newest first.")
  static final class Runs implements Callable<Integer> {
    @ParentCommand Main main;
    @Mixin DocumentCommands.Format output;

    @Option(names = "--pipeline", description = "Only this pipeline's.")
    String pipeline = "";

    @Option(names = "--state", description = "Only runs in this state.")
    String state = "";

    @Option(
        names = "--rows",
        description = "How many (default: ${DEFAULT-VALUE}).",
        defaultValue = "20")
    int limit;

    @Override
    public Integer call() {
      JsonNode runs =
          main.api()
              .get(
                  "/runs?pipeline=%s&state=%s&limit=%d"
                      .formatted(Api.encoded(pipeline), Api.encoded(state), limit));
      List<List<String>> rows = new ArrayList<>();
      for (JsonNode r : runs) {
        rows.add(
            List.of(
                r.path("id").asString(),
                r.path("pipeline").asString(),
                r.path("state").asString().toLowerCase(Locale.ROOT),
                r.path("cause").asString().equals("schedule")
                    ? "schedule"
                    : r.path("requestedBy").asString(),
                Output.time(r.path("startedAt").asString("")),
                r.path("elapsedMillis").isMissingNode()
                    ? ""
                    : Output.millis(r.path("elapsedMillis").asLong()),
                Output.number(r.path("rowsIn").asLong()),
                Output.count(r.path("setAside").asLong()),
                Output.number(r.path("rowsOut").asLong()),
                Output.count(r.path("warnings").asLong())));
      }
      Printing.print(
          output.format,
          runs,
          List.of(
              Heading.right("run"),
              Heading.left("pipeline"),
              Heading.left("state"),
              Heading.left("asked by"),
              Heading.left("started (UTC)"),
              Heading.right("took"),
              Heading.right("rows in"),
              Heading.right("set aside"),
              Heading.right("rows out"),
              Heading.right("warnings")),
          rows);
      return ExitCode.DONE;
    }
  }

  @Command(name = "tally", description = "Print a run's account, step by step.")
  static final class Tally implements Callable<Integer> {
    @ParentCommand Main main;

    @Parameters(paramLabel = "RUN")
    long id;

    @Override
    public Integer call() {
      report(main.api(), main.api().get("/runs/" + id));
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "checks",
      description = "Print what came of a run's rules, or of a pipeline's rules run by run.")
  static final class Checks implements Callable<Integer> {
    @ParentCommand Main main;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "RUN|PIPELINE", description = "A run's number, or a pipeline's name.")
    String of;

    @Override
    public Integer call() {
      boolean run = of.matches("[0-9]+");
      JsonNode all = main.api().get((run ? "/runs/" : "/pipelines/") + of + "/checks");
      List<List<String>> rows = new ArrayList<>();
      for (JsonNode c : all) {
        rows.add(
            List.of(
                c.path("run").asString(),
                c.path("step").asString(),
                c.path("rule").asString(),
                c.path("outcome").asString(),
                "%,d".formatted(c.path("failed").asLong()),
                "%,d".formatted(c.path("rows").asLong()),
                c.path("words").asString()));
      }
      if (rows.isEmpty()) {
        System.err.println("There are no results: a check step gives a pipeline rules");
      }
      Printing.print(
          output.format,
          all,
          List.of(
              Heading.right("run"),
              Heading.left("step"),
              Heading.left("rule"),
              Heading.left("outcome"),
              Heading.right("not met"),
              Heading.right("of rows"),
              Heading.left("found")),
          rows);
      return ExitCode.DONE;
    }
  }

  @Command(name = "log", description = "Print a run's log.")
  static final class Log implements Callable<Integer> {
    @ParentCommand Main main;

    @Parameters(paramLabel = "RUN")
    long id;

    @Override
    public Integer call() {
      main.api()
          .get("/runs/" + id + "/log")
          .forEach(
              l ->
                  System.out.println(
                      Output.time(l.path("at").asString()) + "  " + l.path("message").asString()));
      return ExitCode.DONE;
    }
  }

  @Command(name = "cancel", description = "Cancel a run; nothing of it is published.")
  static final class Cancel implements Callable<Integer> {
    @ParentCommand Main main;

    @Parameters(paramLabel = "RUN")
    long id;

    @Override
    public Integer call() {
      JsonNode run = main.api().post("/runs/" + id + "/cancel", Map.of());
      System.out.println(
          run.path("state").asString().equals("CANCELLED")
              ? "Run %d is cancelled.".formatted(id)
              : "Run %d is asked to stop.".formatted(id));
      return ExitCode.DONE;
    }
  }
}
