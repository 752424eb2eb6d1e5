package yardage.client;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;

/** Views: queries that are kept under a name. */
final class ViewCommands {
  private ViewCommands() {}

  @Command(
      name = "view",
      description = "Queries that are kept under a name, and that other queries can name.",
      subcommands = {
        ListViews.class,
        DocumentCommands.Show.class,
        DocumentCommands.Check.class,
        DocumentCommands.Apply.class,
        Ask.class,
        Versions.class,
        Remove.class
      },
      synopsisSubcommandLabel = "COMMAND")
  static final class View implements DocumentCommands.Noun, Runnable {
    @ParentCommand Main main;

    @Override
    public Main main() {
      return main;
    }

    @Override
    public String word() {
      return "view";
    }

    @Override
    public void run() {
      main.spec.commandLine().getSubcommands().get("view").usage(System.out);
    }
  }

  @Command(name = "list", description = "List them.")
  static final class ListViews implements Callable<Integer> {
    @ParentCommand View view;
    @Mixin DocumentCommands.Format output;

    @Override
    public Integer call() {
      new Listing()
          .text("view", "name")
          .number("version", "version")
          .text("in FROM", "inFrom")
          .words("asks for", "parameters")
          .text("about", "about")
          .print(output.format, view.main().api().get("/views"));
      return ExitCode.DONE;
    }
  }

  @Command(name = "ask", description = "Print the rows that a view gives.")
  static final class Ask implements Callable<Integer> {
    @ParentCommand View view;
    @Mixin DocumentCommands.Format output;
    @Mixin QueryParameters parameters;

    @Parameters(paramLabel = "VIEW")
    String name;

    @Option(
        names = "--rows",
        description = "At most so many rows (default: ${DEFAULT-VALUE}).",
        defaultValue = "1000")
    int rows;

    @Override
    public Integer call() {
      JsonNode kept = view.main().api().get("/views/" + Api.encoded(name)).path("summary");
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("sql", kept.path("sql").asString());
      body.put("limit", rows);
      body.put("parameters", parameters.given);
      Printing.rows(output.format, view.main().api().post("/query", body), false);
      return ExitCode.DONE;
    }
  }

  @Command(name = "versions", description = "List the versions of one, the newest first.")
  static final class Versions implements Callable<Integer> {
    @ParentCommand View view;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "VIEW")
    String name;

    @Override
    public Integer call() {
      new Listing()
          .number("version", "version")
          .time("saved", "savedAt")
          .text("by", "savedBy")
          .text("about", "about")
          .print(output.format, view.main().api().get("/views/" + Api.encoded(name) + "/versions"));
      return ExitCode.DONE;
    }
  }

  @Command(name = "remove", description = "Remove; tables stay.")
  static final class Remove implements Callable<Integer> {
    @ParentCommand View view;

    @Parameters(paramLabel = "VIEW")
    String name;

    @Override
    public Integer call() {
      view.main().api().delete("/views/" + Api.encoded(name));
      System.out.println("View [%s] is removed".formatted(name));
      return ExitCode.DONE;
    }
  }
}
