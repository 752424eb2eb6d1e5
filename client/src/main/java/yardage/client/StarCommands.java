package yardage.client;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/** Stars: named models of facts, dimensions and measures. */
final class StarCommands {
  private StarCommands() {}

  @Command(
      name = "star",
      description = "Facts, their dimensions and measures, by name.",
      subcommands = {
        ListStars.class,
        DocumentCommands.Show.class,
        Check.class,
        Measures.class,
        DocumentCommands.Apply.class
      },
      synopsisSubcommandLabel = "COMMAND")
  static final class Star implements DocumentCommands.Noun, Runnable {
    @ParentCommand Main main;

    @Override
    public Main main() {
      return main;
    }

    @Override
    public String word() {
      return "star";
    }

    @Override
    public void run() {
      main.spec.commandLine().getSubcommands().get("star").usage(System.out);
    }
  }

  @Command(name = "list", description = "List them.")
  static final class ListStars implements Callable<Integer> {
    @ParentCommand Star star;
    @Mixin DocumentCommands.Format output;

    @Override
    public Integer call() {
      JsonNode all = star.main().api().get("/stars");
      new Listing()
          .text("star", "name")
          .number("version", "version")
          .words("facts", "facts")
          .words("dimensions", "dimensions")
          .number("measures", "measures")
          .text("about", "about")
          .print(output.format, all);
      return ExitCode.DONE;
    }
  }

  @Command(name = "measures", description = "List a star's measures, as queries name them.")
  static final class Measures implements Callable<Integer> {
    @ParentCommand Star star;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "STAR")
    String name;

    @Override
    public Integer call() {
      JsonNode s = star.main().api().get("/stars/" + Api.encoded(name));
      List<List<String>> rows = new ArrayList<>();
      for (JsonNode f : s.path("facts")) {
        for (JsonNode m : f.path("measures")) {
          rows.add(
              List.of(
                  name + "." + f.path("name").asString(),
                  m.path("name").asString(),
                  m.path("formula").asString(),
                  m.path("adds").asString(),
                  m.path("about").asString()));
        }
      }
      Printing.print(
          output.format,
          s.path("facts"),
          List.of(
              Heading.left("from"),
              Heading.left("measure"),
              Heading.left("is"),
              Heading.left("adds up"),
              Heading.left("about")),
          rows);
      return ExitCode.DONE;
    }
  }

  @Command(name = "check", description = "Hold stars against the columns and rows of their tables.")
  static final class Check implements Callable<Integer> {
    @ParentCommand Star star;

    @Parameters(
        paramLabel = "STAR",
        arity = "1..*",
        description = "A star's name, or a file with its document.")
    List<String> stars;

    @Override
    public Integer call() {
      boolean sound = true;
      for (String name : stars) {
        Path file = Path.of(name);
        String text =
            Files.exists(file)
                ? DocumentCommands.read(file)
                : star.main().api().get("/stars/" + Api.encoded(name)).path("text").asString();
        JsonNode r = star.main().api().post("/stars/check", Map.of("text", text));
        sound &= r.path("sound").asBoolean();
        int problems = r.path("problems").size();
        System.out.println(
            "%s: %s"
                .formatted(
                    name,
                    problems == 0
                        ? "nothing is wrong"
                        : r.path("sound").asBoolean() ? "sound, with warnings" : "has errors"));
        r.path("problems").forEach(p -> System.out.println(place(p)));
        keys(r.path("keys"));
      }
      return sound ? ExitCode.DONE : ExitCode.FAILED;
    }

    private static String place(JsonNode p) {
      return "  %s, line %d, %s: %s"
          .formatted(
              p.path("code").asString(),
              p.path("place").path("line").asInt(),
              p.path("step").asString("").isEmpty() ? "the document" : p.path("step").asString(),
              p.path("message").asString());
    }

    private static void keys(JsonNode keys) {
      if (keys.isEmpty()) {
        return;
      }
      List<List<String>> rows = new ArrayList<>();
      for (JsonNode k : keys) {
        long all = k.path("rows").asLong();
        long odd =
            k.path("unresolved").asLong() + k.path("unknown").asLong() + k.path("none").asLong();
        rows.add(
            List.of(
                k.path("fact").asString() + "." + k.path("key").asString(),
                k.path("dimension").asString(),
                Output.number(all - odd),
                Output.count(k.path("unknown").asLong()),
                Output.count(k.path("none").asLong()),
                Output.count(k.path("unresolved").asLong())));
      }
      System.out.println();
      Output.table(
          System.out,
          List.of(
              Heading.left("key"),
              Heading.left("dimension"),
              Heading.right("rows resolved"),
              Heading.right("unknown"),
              Heading.right("none"),
              Heading.right("in no row")),
          rows);
    }
  }
}
