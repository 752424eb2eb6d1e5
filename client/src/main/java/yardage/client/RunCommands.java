package yardage.client;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;

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

    @Option(
        names = "--trial",
        description = {
          "Do all but publish, and show what would change in each table.",
          "The pipeline may be a file that is not applied."
        })
    boolean trial;

    @Option(names = "--wait", description = "Wait for the end and exit with its outcome.")
    boolean wait;

    @Mixin DocumentCommands.Format output;

    @Override
    public Integer call() {
      Api api = main.api();
      if (trial) {
        return TrialPrinter.trial(api, pipeline, parameters, output.format);
      }
      JsonNode run =
          api.post(
              "/pipelines/" + Api.encoded(pipeline) + "/runs", Map.of("parameters", parameters));
      long id = run.path("id").asLong();
      if (!wait) {
        if (output.format == Output.Format.table) {
          System.out.println(
              "Run %d of %s is queued. Watch it with: yardage watch %d"
                  .formatted(id, pipeline, id));
        } else {
          TallyPrinter.SUMMARY.print(output.format, run, Api.JSON.createArrayNode().add(run));
        }
        return ExitCode.DONE;
      }
      System.err.println("Run %d of %s is queued".formatted(id, pipeline));
      return watch(api, id, output.format);
    }
  }

  @Command(name = "watch", description = "Watch a run until it ends, then print its tally.")
  static final class Watch implements Callable<Integer> {
    @ParentCommand Main main;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "RUN")
    long id;

    @Override
    public Integer call() {
      return watch(main.api(), id, output.format);
    }
  }

  /** Follows a run to its end. Whoever stops looking is told that the run goes on without them. */
  static int watch(Api api, long id, Output.Format format) {
    Thread leaving = new Thread(() -> System.err.println("\n" + goesOn(id)));
    Runtime.getRuntime().addShutdownHook(leaving);
    try {
      return follow(api, id, format);
    } catch (ClientException e) {
      throw e.exitCode() == ExitCode.NO_SERVICE
          ? new ClientException(
              e.exitCode(),
              "%s\nRun %d is not lost: when the service is back, see what became of it with: yardage watch %d"
                  .formatted(e.getMessage(), id, id))
          : e;
    } finally {
      try {
        Runtime.getRuntime().removeShutdownHook(leaving);
      } catch (IllegalStateException e) {
        // The client is ending already, and has said so.
      }
    }
  }

  private static String goesOn(long id) {
    return "Run %d goes on. Watch it again with: yardage watch %d; end it with: yardage cancel %d"
        .formatted(id, id, id);
  }

  private static int follow(Api api, long id, Output.Format format) {
    boolean terminal = Output.isTerminal() && format == Output.Format.table;
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
      if (!state.equals("queued") && !state.equals("running")) {
        if (terminal) {
          draw(List.of(), drawn);
        }
        return report(api, run, format);
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
  static int report(Api api, JsonNode run, Output.Format format) {
    JsonNode summary = run.path("summary");
    String state = summary.path("state").asString();
    if (format == Output.Format.table) {
      tell(api, run, summary, state);
    } else {
      TallyPrinter.steps(run).print(format, run, run.path("steps"));
    }
    failure(summary);
    return switch (state) {
      case "succeeded", "queued", "running" -> ExitCode.DONE;
      case "failed" -> ExitCode.FAILED;
      default -> ExitCode.STOPPED;
    };
  }

  private static void tell(Api api, JsonNode run, JsonNode summary, String state) {
    System.out.println(
        "%s, run %d: %s in %s"
            .formatted(
                summary.path("pipeline").asString(),
                summary.path("id").asLong(),
                state,
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
  }

  private static void failure(JsonNode summary) {
    JsonNode failure = summary.path("failure");
    if (!failure.isMissingNode() && !failure.isNull()) {
      String step = failure.path("step").asString("");
      System.err.println(
          (step.isEmpty() ? "" : "Step " + step + ": ") + failure.path("message").asString());
      JsonNode file = failure.path("file");
      if (!file.isMissingNode()) {
        System.err.println(
            "yardage feed quarantine %s \"%s\""
                .formatted(file.path("feed").asString(), file.path("path").asString()));
      }
    }
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
      new Listing()
          .id("run", "id")
          .text("pipeline", "pipeline")
          .text("state", "state")
          .text("asked by", Runs::askedBy)
          .time("started", "startedAt")
          .millis("took", "elapsedMillis")
          .number("rows in", "rowsIn")
          .count("set aside", "setAside")
          .number("rows out", "rowsOut")
          .count("warnings", "warnings")
          .text("why", r -> reason(r, 60), r -> reason(r, Integer.MAX_VALUE))
          .print(output.format, runs);
      return ExitCode.DONE;
    }

    private static String askedBy(JsonNode run) {
      return run.path("cause").asString().equals("schedule")
          ? "schedule"
          : run.path("requestedBy").asString();
    }
  }

  /** Why a run ended as it did, or will be tried again; empty for one that did well. */
  private static String reason(JsonNode run, int most) {
    String message = run.path("failure").path("message").asString("");
    String line = message.lines().findFirst().orElse("");
    return line.length() <= most ? line : line.substring(0, most - 1) + "\u2026";
  }

  @Command(name = "tally", description = "Print a run's account, step by step.")
  static final class Tally implements Callable<Integer> {
    @ParentCommand Main main;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "RUN")
    long id;

    @Override
    public Integer call() {
      report(main.api(), main.api().get("/runs/" + id), output.format);
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "checks",
      description = "Print the results of a run's rules, or of a pipeline's rules run by run.")
  static final class Checks implements Callable<Integer> {
    @ParentCommand Main main;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "RUN|PIPELINE", description = "A run's number, or a pipeline's name.")
    String of;

    @Override
    public Integer call() {
      boolean run = of.matches("[0-9]+");
      JsonNode all = main.api().get((run ? "/runs/" : "/pipelines/") + of + "/checks");
      if (all.isEmpty()) {
        System.err.println("There are no results: a check step gives a pipeline rules");
      }
      new Listing()
          .id("run", "run")
          .text("step", "step")
          .text("rule", "rule")
          .text("outcome", "outcome")
          .number("not met", "failed")
          .number("of rows", "rows")
          .text("found", "words")
          .print(output.format, all);
      return ExitCode.DONE;
    }
  }

  @Command(name = "log", description = "Print a run's log.")
  static final class Log implements Callable<Integer> {
    @ParentCommand Main main;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "RUN")
    long id;

    @Override
    public Integer call() {
      JsonNode lines = main.api().get("/runs/" + id + "/log");
      if (output.format != Output.Format.table) {
        new Listing().time("at", "at").text("message", "message").print(output.format, lines);
        return ExitCode.DONE;
      }
      lines.forEach(
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
          run.path("state").asString().equals("cancelled")
              ? "Run %d is cancelled.".formatted(id)
              : "Run %d is asked to stop.".formatted(id));
      return ExitCode.DONE;
    }
  }
}
