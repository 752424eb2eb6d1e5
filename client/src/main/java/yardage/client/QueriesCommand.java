package yardage.client;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;

/** The queries that run now, and ending one. */
@Command(
    name = "queries",
    description =
        "List running queries and exports; end one with --end. A query also ends when its client disconnects.")
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
    new Listing()
        .id("id", "id")
        .text("kind", "kind")
        .text("asked by", "askedBy")
        .time("started", "startedAt")
        .number("rows read", "rowsRead")
        .text("what", q -> shown(q.path("what").asString()), q -> q.path("what").asString())
        .print(output.format, running);
    return ExitCode.DONE;
  }

  private static String shown(String what) {
    String line = what.replaceAll("\\s+", " ");
    return line.length() <= SHOWN ? line : line.substring(0, SHOWN - 1) + "\u2026";
  }
}
