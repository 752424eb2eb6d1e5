package yardage.client;

import java.io.PrintWriter;
import java.util.List;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.IntStream;
import picocli.AutoComplete;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.ScopeType;
import picocli.CommandLine.TypeConversionException;
import picocli.CommandLine.UnmatchedArgumentException;

/** The client's root command. */
@Command(
    name = "yardage",
    description = "Pipelines from raw files to partitioned tables.",
    subcommands = {
      AccessCommands.SignIn.class,
      AccessCommands.SignOut.class,
      AccessCommands.Token.class,
      DocumentCommands.Feed.class,
      DocumentCommands.Pipeline.class,
      PartCommands.Part.class,
      StarCommands.Star.class,
      SamplerCommands.Sampler.class,
      ViewCommands.View.class,
      RunCommands.Run.class,
      RunCommands.Runs.class,
      RunCommands.Watch.class,
      RunCommands.Tally.class,
      RunCommands.Checks.class,
      DiagnoseCommand.class,
      DuplicatesCommand.class,
      RunCommands.Log.class,
      SetAsideCommands.SetAside.class,
      UploadCommand.class,
      RunCommands.Cancel.class,
      TableCommands.Table.class,
      TableCommands.Query.class,
      QueriesCommand.class,
      TableCareCommands.Export.class,
      FollowCommands.Follow.class,
      Main.Completion.class
    },
    footer = {
      "",
      "Exit codes: 0 done, 1 what was asked for failed, 2 wrong usage, 3 no service or not signed in, 4 a run was cancelled or interrupted."
    },
    synopsisSubcommandLabel = "COMMAND")
public final class Main implements Runnable {
  @Option(
      names = "--server",
      description = "Address of the service; else $$YARDAGE_SERVER, else where you signed in.",
      scope = ScopeType.INHERIT)
  String server;

  @Option(
      names = {"-h", "--help"},
      usageHelp = true,
      description = "Show this help.",
      scope = ScopeType.INHERIT)
  boolean help;

  @Option(
      names = "--trace",
      description = "Show where an error came from.",
      scope = ScopeType.INHERIT)
  boolean trace;

  @CommandLine.Spec CommandLine.Model.CommandSpec spec;

  Api api() {
    return new Api(Settings.load(server));
  }

  /** Prints a completion script. */
  @Command(
      name = "completion",
      description =
          "Print a completion script for bash and zsh, as in: source <(yardage completion)")
  static final class Completion implements Runnable {
    @CommandLine.ParentCommand Main main;

    @Override
    public void run() {
      Terminal.data().print(AutoComplete.bash("yardage", main.spec.commandLine()));
    }
  }

  @Override
  public void run() {
    spec.commandLine().usage(System.out);
  }

  public static void main(String[] args) {
    System.exit(run(args));
  }

  /** Runs a command line and gives its exit code. */
  public static int run(String... args) {
    Main main = new Main();
    Terminal.open();
    try {
      int code = run(main, args);
      if (Terminal.isOutputLost()) {
        System.err.println(
            "Not all of the output could be written; is there room where it goes? Free some space there, then try again");
        return code == ExitCode.DONE ? ExitCode.FAILED : code;
      }
      return code;
    } finally {
      Terminal.close();
    }
  }

  private static int run(Main main, String... args) {
    CommandLine line = new CommandLine(main);
    line.registerConverter(long.class, text -> number(text, Long::valueOf));
    line.registerConverter(Long.class, text -> number(text, Long::valueOf));
    line.registerConverter(int.class, text -> number(text, Integer::valueOf));
    line.registerConverter(Integer.class, text -> number(text, Integer::valueOf));
    line.setExecutionExceptionHandler(
        (e, command, result) -> {
          PrintWriter err = command.getErr();
          if (main.trace) {
            e.printStackTrace(err);
          }
          err.println(e.getMessage() == null ? e.toString() : e.getMessage());
          return e instanceof ClientException c ? c.exitCode() : ExitCode.FAILED;
        });
    line.setParameterExceptionHandler(Main::wrongUsage);
    return line.execute(args);
  }

  /** Says what was not understood and where to look; the whole help is one call away. */
  private static int wrongUsage(ParameterException e, String[] args) {
    CommandLine at = e.getCommandLine();
    String name = at.getCommandSpec().qualifiedName();
    String message = e.getMessage();
    if (e instanceof UnmatchedArgumentException unmatched
        && !at.getSubcommands().isEmpty()
        && unmatched.getUnmatched().stream()
            .findFirst()
            .filter(w -> !w.startsWith("-"))
            .isPresent()) {
      String word = unmatched.getUnmatched().get(0);
      message =
          "There is no command [%s %s]%s"
              .formatted(name, word, instead(word, at.getSubcommands().keySet()));
    }
    at.getErr().println(message);
    UnmatchedArgumentException.printSuggestions(e, at.getErr());
    at.getErr().println("See how it is used with: %s --help".formatted(name));
    return ExitCode.WRONG_USAGE;
  }

  /** The commands that are a slip or two away; else all that there are. */
  private static String instead(String word, Set<String> commands) {
    List<String> close =
        commands.stream().filter(c -> slips(word, c) <= Math.max(1, word.length() / 3)).toList();
    return close.isEmpty()
        ? "; there are " + String.join(", ", commands)
        : "; did you mean %s?".formatted(String.join(" or ", close));
  }

  /** Letters to put in, take out or replace to come from one word to the other. */
  private static int slips(String a, String b) {
    int[] row = IntStream.rangeClosed(0, b.length()).toArray();
    for (int i = 1; i <= a.length(); i++) {
      int corner = row[0];
      row[0] = i;
      for (int j = 1; j <= b.length(); j++) {
        int replaced = corner + (a.charAt(i - 1) == b.charAt(j - 1) ? 0 : 1);
        corner = row[j];
        row[j] = Math.min(replaced, Math.min(row[j], row[j - 1]) + 1);
      }
    }
    return row[b.length()];
  }

  /** A number as people write it, or an error in plain words. */
  private static <T> T number(String text, Function<String, T> reader) {
    try {
      return reader.apply(text);
    } catch (NumberFormatException e) {
      throw new TypeConversionException(
          "'%s' is not a whole number, or is too large".formatted(text));
    }
  }
}
