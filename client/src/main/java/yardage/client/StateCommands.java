package yardage.client;

import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.node.JsonNodeFactory;
import yardage.client.DocumentCommands.Noun;

/** Pausing, renaming and removing, of pipelines and feeds alike. */
final class StateCommands {
  private StateCommands() {}

  private static String path(Noun noun, String name) {
    return "/" + noun.word() + "s/" + Api.encoded(name);
  }

  private static int tell(JsonNode answer) {
    System.out.println(answer.path("message").asString());
    return ExitCode.DONE;
  }

  static void listRemoved(Noun noun, Output.Format format) {
    List<JsonNode> own =
        noun.main()
            .api()
            .get("/removed")
            .valueStream()
            .filter(r -> r.path("kind").asString().equals(noun.word()))
            .toList();
    new Listing()
        .text(noun.word(), "name")
        .time("removed", "at")
        .text("by", "by")
        .print(format, JsonNodeFactory.instance.arrayNode().addAll(own));
  }

  @Command(
      name = "pause",
      description = {
        "Pause. A pipeline's schedule stops; it can still be run by hand.",
        "The pipelines that read a paused feed do not run."
      })
  static final class Pause implements Callable<Integer> {
    @ParentCommand Noun noun;

    @Parameters(paramLabel = "NAME")
    String name;

    @Option(names = "--why", defaultValue = "", description = "Shown to all who meet it.")
    String why;

    @Override
    public Integer call() {
      return tell(noun.main().api().post(path(noun, name) + "/pause", Map.of("why", why)));
    }
  }

  @Command(name = "resume", description = "End a pause.")
  static final class Resume implements Callable<Integer> {
    @ParentCommand Noun noun;

    @Parameters(paramLabel = "NAME")
    String name;

    @Override
    public Integer call() {
      return tell(noun.main().api().post(path(noun, name) + "/resume", Map.of()));
    }
  }

  @Command(
      name = "rename",
      description = "Rename, everywhere the name is used; no file is taken in twice.")
  static final class Rename implements Callable<Integer> {
    @ParentCommand Noun noun;

    @Parameters(paramLabel = "NAME", index = "0")
    String name;

    @Parameters(paramLabel = "NEW", index = "1")
    String next;

    @Override
    public Integer call() {
      return tell(noun.main().api().post(path(noun, name) + "/rename", Map.of("name", next)));
    }
  }

  @Command(
      name = "remove",
      description = "Remove; tables, files and runs stay, and it can be restored.")
  static final class Remove implements Callable<Integer> {
    @ParentCommand Noun noun;

    @Parameters(paramLabel = "NAME")
    String name;

    @Override
    public Integer call() {
      return tell(noun.main().api().take(path(noun, name)));
    }
  }

  @Command(name = "restore", description = "Restore what was removed.")
  static final class Restore implements Callable<Integer> {
    @ParentCommand Noun noun;

    @Parameters(paramLabel = "NAME", description = "As list --removed shows it.")
    String name;

    @Override
    public Integer call() {
      return tell(noun.main().api().post(path(noun, name) + "/restore", Map.of()));
    }
  }
}
