package yardage.client;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/** The queries that run now, and ending one. */
@Command(
    name = "queries",
    description =
        "List the queries, exports and other looks that run now; end one with --end. A query also ends when its client leaves.")
final class QueriesCommand implements Callable<Integer> {
  private static final int SHOWN = 70;

  @ParentCommand Main main;
  @Mixin DocumentCommands.Format output;

  @Option(names = "--end", paramLabel = "ID", description = "End this one.")
  Long end;

  @Override
  public Integer call() {
    if (end != null) {
      main.api().delete("/queries/" + end);
      System.out.println("Query %d is asked to stop.".formatted(end));
      return ExitCode.DONE;
    }
    JsonNode running = main.api().get("/queries");
    if (running.isEmpty() && output.format == Output.Format.table) {
      System.out.println("No query runs now.");
      return ExitCode.DONE;
    }
    List<List<String>> rows = new ArrayList<>();
    running.forEach(
        q ->
            rows.add(
                List.of(
                    q.path("id").asString(),
                    q.path("kind").asString(),
                    q.path("askedBy").asString(),
                    Output.time(q.path("startedAt").asString()),
                    output.format == Output.Format.table
                        ? shown(q.path("what").asString())
                        : q.path("what").asString())));
    Printing.print(
        output.format,
        running,
        List.of(
            Heading.right("id"),
            Heading.left("kind"),
            Heading.left("asked by"),
            Heading.left("started (UTC)"),
            Heading.left("what")),
        rows);
    return ExitCode.DONE;
  }

  private static String shown(String what) {
    String line = what.replaceAll("\\s+", " ");
    return line.length() <= SHOWN ? line : line.substring(0, SHOWN - 1) + "\u2026";
  }
}
