package yardage.client;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;

/** Parts: steps that several pipelines use. */
final class PartCommands {
  private PartCommands() {}

  @Command(
      name = "part",
      description = "Steps that several pipelines use.",
      subcommands = {
        ListParts.class,
        DocumentCommands.Show.class,
        Check.class,
        DocumentCommands.Apply.class
      },
      synopsisSubcommandLabel = "COMMAND")
  static final class Part implements DocumentCommands.Noun, Runnable {
    @ParentCommand Main main;

    @Override
    public Main main() {
      return main;
    }

    @Override
    public String word() {
      return "part";
    }

    @Override
    public void run() {
      main.spec.commandLine().getSubcommands().get("part").usage(System.out);
    }
  }

  @Command(name = "list", description = "List them, and who uses them.")
  static final class ListParts implements Callable<Integer> {
    @ParentCommand Part part;
    @Mixin DocumentCommands.Format output;

    @Override
    public Integer call() {
      JsonNode all = part.main().api().get("/parts");
      new Listing()
          .text("part", "name")
          .number("version", "version")
          .words("inputs", "inputs")
          .words("parameters", "parameters")
          .words("used by", "usedBy")
          .text("about", "about")
          .print(output.format, all);
      return ExitCode.DONE;
    }
  }

  @Command(name = "check", description = "Check a part, by itself and where it is used.")
  static final class Check implements Callable<Integer> {
    @ParentCommand Part part;

    @Parameters(paramLabel = "FILE", arity = "1..*")
    List<Path> files;

    @Override
    public Integer call() {
      boolean sound = true;
      for (Path file : files) {
        JsonNode r =
            part.main().api().post("/parts/check", Map.of("text", DocumentCommands.read(file)));
        sound &= r.path("sound").asBoolean();
        System.out.println(
            file
                + (r.path("sound").asBoolean() ? ": nothing is wrong" : ": has errors")
                + (r.path("usedBy").isEmpty() ? "; no pipeline uses it" : ""));
        r.path("problems").forEach(p -> System.out.println(Api.problem(p)));
        for (JsonNode u : r.path("usedBy")) {
          System.out.println("  used by " + u.path("pipeline").asString());
          u.path("problems").forEach(p -> System.out.println("  " + Api.problem(p)));
        }
      }
      return sound ? ExitCode.DONE : ExitCode.FAILED;
    }
  }
}
