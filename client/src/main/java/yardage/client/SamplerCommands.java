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

/** Samplers: pages of answers over tables and stars. */
final class SamplerCommands {
  private SamplerCommands() {}

  @Command(
      name = "sampler",
      description = "Pages of answers over tables and stars.",
      subcommands = {
        ListSamplers.class,
        DocumentCommands.Show.class,
        DocumentCommands.Check.class,
        DocumentCommands.Apply.class,
        Ask.class,
        Remove.class
      },
      synopsisSubcommandLabel = "COMMAND")
  static final class Sampler implements DocumentCommands.Noun, Runnable {
    @ParentCommand Main main;

    @Override
    public Main main() {
      return main;
    }

    @Override
    public String word() {
      return "sampler";
    }

    @Override
    public void run() {
      main.spec.commandLine().getSubcommands().get("sampler").usage(System.out);
    }
  }

  @Command(name = "list", description = "List them.")
  static final class ListSamplers implements Callable<Integer> {
    @ParentCommand Sampler sampler;
    @Mixin DocumentCommands.Format output;

    @Override
    public Integer call() {
      new Listing()
          .text("sampler", "name")
          .number("version", "version")
          .number("blocks", "blocks")
          .text("title", "title")
          .text("about", "about")
          .print(output.format, sampler.main().api().get("/samplers"));
      return ExitCode.DONE;
    }
  }

  @Command(name = "ask", description = "Print what a page answers, or one of its blocks.")
  static final class Ask implements Callable<Integer> {
    @ParentCommand Sampler sampler;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "SAMPLER", index = "0")
    String name;

    @Parameters(paramLabel = "BLOCK", index = "1..*", description = "Only these blocks.")
    List<String> blocks = List.of();

    @Option(
        names = "--choose",
        paramLabel = "COLUMN=VALUE",
        description =
            "Only rows with this value of a column. Repeat it for several values or columns.")
    List<String> choices = List.of();

    @Override
    public Integer call() {
      JsonNode page = sampler.main().api().get("/samplers/" + Api.encoded(name)).path("page");
      Map<String, List<String>> chosen = chosen();
      List<String> asked = new ArrayList<>(blocks);
      for (JsonNode block : page.path("blocks")) {
        boolean asks = !block.path("form").asString().equals("text");
        if (blocks.isEmpty() && asks) {
          asked.add(block.path("name").asString());
        }
      }
      if (asked.size() != 1 && output.format != Output.Format.table) {
        throw new ClientException(
            ExitCode.WRONG_USAGE,
            "Name one block for json or csv, as in: yardage sampler ask %s %s -o csv"
                .formatted(name, asked.isEmpty() ? "BLOCK" : asked.get(0)));
      }
      for (String block : asked) {
        JsonNode answer =
            sampler
                .main()
                .api()
                .post(
                    "/samplers/answer", Map.of("sampler", name, "block", block, "chosen", chosen));
        if (output.format == Output.Format.table) {
          System.out.println(title(page, block));
        }
        Printing.rows(output.format, answer.path("rows"), false);
        List<String> passed = new ArrayList<>();
        answer.path("passed").forEach(c -> passed.add(c.asString()));
        if (!passed.isEmpty()) {
          System.err.println(
              "Note: [%s] is not narrowed by %s, which its rows do not have"
                  .formatted(block, String.join(", ", passed)));
        }
        if (output.format == Output.Format.table) {
          System.out.println();
        }
      }
      return ExitCode.DONE;
    }

    private Map<String, List<String>> chosen() {
      Map<String, List<String>> out = new LinkedHashMap<>();
      for (String choice : choices) {
        int at = choice.indexOf('=');
        if (at < 1) {
          throw new ClientException(
              ExitCode.WRONG_USAGE,
              "[%s] chooses nothing; write --choose COLUMN=VALUE".formatted(choice));
        }
        out.computeIfAbsent(choice.substring(0, at), c -> new ArrayList<>())
            .add(choice.substring(at + 1));
      }
      return out;
    }

    private static String title(JsonNode page, String name) {
      for (JsonNode block : page.path("blocks")) {
        if (block.path("name").asString().equals(name)
            && !block.path("title").asString().isEmpty()) {
          String unit = block.path("unit").asString();
          return block.path("title").asString() + (unit.isEmpty() ? "" : ", in " + unit);
        }
      }
      return name;
    }
  }

  @Command(name = "remove", description = "Remove; tables and stars stay.")
  static final class Remove implements Callable<Integer> {
    @ParentCommand Sampler sampler;

    @Parameters(paramLabel = "SAMPLER")
    String name;

    @Override
    public Integer call() {
      sampler.main().api().delete("/samplers/" + Api.encoded(name));
      System.out.println("Sampler [%s] is removed".formatted(name));
      return ExitCode.DONE;
    }
  }
}
