package yardage.client;

import java.io.IOException;
import java.nio.charset.MalformedInputException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.node.ObjectNode;

/** Feeds and pipelines: both are documents that are listed, shown, checked and applied. */
final class DocumentCommands {
  private DocumentCommands() {}

  /** The noun that a subcommand stands under. */
  interface Noun {
    Main main();

    /** {@code feed} or {@code pipeline}: the command's name, and the document's first field. */
    String word();
  }

  @Command(
      name = "feed",
      description = "Sources of raw files.",
      subcommands = {
        ListThem.class,
        Show.class,
        Check.class,
        Apply.class,
        StateCommands.Pause.class,
        StateCommands.Resume.class,
        StateCommands.Rename.class,
        StateCommands.Remove.class,
        StateCommands.Restore.class,
        FeedCommands.Quarantine.class,
        FeedCommands.Release.class,
        FeedCommands.Propose.class,
        FeedCommands.Preview.class,
        FeedCommands.FilesOf.class,
        FeedCommands.Changes.class,
        FeedCommands.Accept.class,
        FeedCommands.Land.class,
        FeedCommands.Again.class,
        FeedCommands.Connections.class
      },
      synopsisSubcommandLabel = "COMMAND")
  static final class Feed implements Noun, Runnable {
    @ParentCommand Main main;

    @Override
    public Main main() {
      return main;
    }

    @Override
    public String word() {
      return "feed";
    }

    @Override
    public void run() {
      main.spec.commandLine().getSubcommands().get("feed").usage(System.out);
    }
  }

  @Command(
      name = "pipeline",
      description = "Steps from feeds to tables.",
      subcommands = {
        ListThem.class,
        Show.class,
        Check.class,
        Apply.class,
        PreviewCommand.class,
        ProfileCommands.OfStep.class,
        TestCommands.Test.class,
        StateCommands.Pause.class,
        StateCommands.Resume.class,
        StateCommands.Rename.class,
        StateCommands.Remove.class,
        StateCommands.Restore.class
      },
      synopsisSubcommandLabel = "COMMAND")
  static final class Pipeline implements Noun, Runnable {
    @ParentCommand Main main;

    @Override
    public Main main() {
      return main;
    }

    @Override
    public String word() {
      return "pipeline";
    }

    @Override
    public void run() {
      main.spec.commandLine().getSubcommands().get("pipeline").usage(System.out);
    }
  }

  /** How to print. */
  static final class Format {
    @Option(
        names = {"-o", "--output"},
        description = "table, json or csv (default: ${DEFAULT-VALUE}).",
        defaultValue = "table")
    Output.Format format;
  }

  @Command(name = "list", description = "List them.")
  static final class ListThem implements Callable<Integer> {
    @ParentCommand Noun noun;
    @Mixin Format output;

    @Option(names = "--removed", description = "Those that were removed and can be restored.")
    boolean removed;

    @Override
    public Integer call() {
      if (removed) {
        StateCommands.listRemoved(noun, output.format);
        return ExitCode.DONE;
      }
      JsonNode all = noun.main().api().get("/" + noun.word() + "s");
      Listing list = new Listing().text(noun.word(), "name").number("version", "version");
      if (noun.word().equals("feed")) {
        list.text("format", "format")
            .number("columns", "columns")
            .time("last intake", "lastIntakeAt")
            .share("set aside", d -> d.path("setAside").asLong(), d -> d.path("records").asLong())
            .words("files", "files")
            .text("paused", "paused");
      } else {
        list.number("steps", "steps")
            .text("last run", d -> lastRun(d.path("lastRun")))
            .text(
                "next run (UTC)",
                d -> d.has("paused") ? "paused" : Output.time(d.path("nextRunAt").asString("")),
                d -> d.has("paused") ? "" : d.path("nextRunAt").asString(""));
      }
      list.text("about", "about").print(output.format, all);
      return ExitCode.DONE;
    }
  }

  private static String lastRun(JsonNode run) {
    return run.isMissingNode()
        ? ""
        : "%s, run %s".formatted(run.path("state").asString(), run.path("id").asString());
  }

  @Command(name = "show", description = "Print the document, or an older version of it.")
  static final class Show implements Callable<Integer> {
    @ParentCommand Noun noun;

    @Parameters(paramLabel = "NAME")
    String name;

    @Option(names = "--version", description = "An older version.")
    Integer version;

    @Override
    public Integer call() {
      String path =
          "/"
              + noun.word()
              + "s/"
              + Api.encoded(name)
              + (version == null ? "" : "/versions/" + version);
      String text = noun.main().api().get(path).path("text").asString();
      Terminal.data().print(text.endsWith("\n") ? text : text + "\n");
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "check",
      description = "Check files and list every problem; nothing is saved or run.")
  static final class Check implements Callable<Integer> {
    @ParentCommand Noun noun;
    @Mixin Format output;

    @Parameters(paramLabel = "FILE", arity = "1..*")
    List<Path> files;

    @Override
    public Integer call() {
      boolean sound = true;
      List<JsonNode> found = new ArrayList<>();
      List<String> texts = files.stream().map(DocumentCommands::read).toList();
      for (int i = 0; i < files.size(); i++) {
        Path file = files.get(i);
        List<String> others = new ArrayList<>(texts);
        others.remove(i);
        // Pipelines are checked together: one may read what another will write.
        JsonNode result =
            noun.main()
                .api()
                .post(
                    "/" + noun.word() + "s/check",
                    noun.word().equals("pipeline")
                        ? Map.of("text", texts.get(i), "together", others)
                        : Map.of("text", texts.get(i)));
        sound &= result.path("sound").asBoolean();
        if (output.format != Output.Format.table) {
          for (JsonNode p : result.path("problems")) {
            found.add(((ObjectNode) p).put("file", file.toString()));
          }
          continue;
        }
        System.out.println(file + ": " + verdict(result));
        for (JsonNode p : result.path("problems")) {
          System.out.println(Api.problem(p));
        }
        for (JsonNode l : result.path("lost")) {
          System.out.println(
              "  step %s: grouping leaves out %s"
                  .formatted(l.path("step").asString(), Output.words(l.path("columns"))));
        }
        for (JsonNode f : result.path("forecasts")) {
          String words = f.path("words").asString();
          // A warning that rests on it says it already.
          if (result
              .path("problems")
              .valueStream()
              .noneMatch(p -> p.path("message").asString().startsWith(words))) {
            System.out.println("  step %s: %s".formatted(f.path("step").asString(), words));
          }
        }
      }
      if (output.format != Output.Format.table) {
        new Listing()
            .text("file", "file")
            .text("severity", "severity")
            .text("code", "code")
            .text("step", "step")
            .number("line", p -> p.path("place").path("line").asLong())
            .number("column", p -> p.path("place").path("column").asLong())
            .text("message", "message")
            .print(output.format, Api.JSON.createArrayNode().addAll(found));
      }
      return sound ? ExitCode.DONE : ExitCode.FAILED;
    }

    private static String verdict(JsonNode result) {
      long errors = severity(result, "error");
      long warnings = severity(result, "warning");
      if (errors > 0) {
        return errors == 1 ? "1 error" : errors + " errors";
      }
      return warnings == 0
          ? "nothing is wrong"
          : "can run, with " + (warnings == 1 ? "1 warning" : warnings + " warnings");
    }

    private static long severity(JsonNode result, String word) {
      return result
          .path("problems")
          .valueStream()
          .filter(p -> p.path("severity").asString().equals(word))
          .count();
    }
  }

  @Command(name = "apply", description = "Save files as new versions.")
  static final class Apply implements Callable<Integer> {
    @ParentCommand Noun noun;

    @Parameters(paramLabel = "FILE", arity = "1..*")
    List<Path> files;

    @Override
    public Integer call() {
      // A pipeline may read what another one here will write: it waits until that is kept.
      Map<Path, String> refused = new LinkedHashMap<>();
      List<Path> open = files;
      do {
        refused.clear();
        open.forEach(file -> keep(file).ifPresent(why -> refused.put(file, why)));
        boolean more = noun.word().equals("pipeline") && refused.size() < open.size();
        open = more ? List.copyOf(refused.keySet()) : List.of();
      } while (!open.isEmpty());
      refused.forEach((file, why) -> System.err.println(file + ": " + why));
      return refused.isEmpty() ? ExitCode.DONE : ExitCode.FAILED;
    }

    /** Keeps a file's document; why not, where it is refused. */
    private Optional<String> keep(Path file) {
      String text = read(file);
      Matcher m = Pattern.compile("(?m)^" + noun.word() + ":\\s*(\\S+)").matcher(text);
      if (!m.find()) {
        return Optional.of(
            "it is not a %s: it has no line that starts with %s:"
                .formatted(noun.word(), noun.word()));
      }
      try {
        JsonNode saved =
            noun.main()
                .api()
                .put("/" + noun.word() + "s/" + Api.encoded(m.group(1)), Map.of("text", text));
        JsonNode summary = saved.has("summary") ? saved.path("summary") : saved;
        System.out.println(
            "%s %s is at version %s"
                .formatted(noun.word(), m.group(1), summary.path("version").asString()));
        return Optional.empty();
      } catch (ClientException e) {
        if (e.exitCode() != ExitCode.FAILED) {
          throw e;
        }
        return Optional.of(e.getMessage());
      }
    }
  }

  static String read(Path file) {
    try {
      return Files.readString(file);
    } catch (NoSuchFileException e) {
      throw new ClientException(ExitCode.WRONG_USAGE, "There is no file [%s]".formatted(file));
    } catch (MalformedInputException e) {
      throw new ClientException(ExitCode.FAILED, "File [%s] is not UTF-8 text".formatted(file));
    } catch (IOException e) {
      throw new ClientException(
          ExitCode.FAILED, "Cannot read [%s]: %s".formatted(file, e.getMessage()));
    }
  }
}
