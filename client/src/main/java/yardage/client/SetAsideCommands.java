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
import yardage.client.DocumentCommands.Format;
import yardage.client.Output.Heading;

/** Rows that runs have set aside: list, show, export, correct, replay. */
final class SetAsideCommands {
  private SetAsideCommands() {}

  @Command(
      name = "set-aside",
      description = "Rows that a run has set aside; without a command below, list them.",
      subcommands = {Show.class, Correct.class, Replay.class, Withdraw.class, Export.class},
      synopsisSubcommandLabel = "[COMMAND]")
  static final class SetAside implements Callable<Integer> {
    @ParentCommand Main main;
    @Mixin Format output;

    @Parameters(paramLabel = "RUN", arity = "0..1")
    Long id;

    @Option(names = "--reason", defaultValue = "", description = "Only rows with this reason.")
    String reason;

    @Option(
        names = "--state",
        defaultValue = "",
        description = "Only rows that are open, corrected or replayed.")
    String state;

    @Option(names = "--rows", defaultValue = "50", description = "How many (default: 50).")
    int limit;

    @Override
    public Integer call() {
      if (id == null) {
        main.spec.commandLine().getSubcommands().get("set-aside").usage(System.out);
        return ExitCode.WRONG_USAGE;
      }
      JsonNode page =
          main.api()
              .get(
                  "/runs/%d/set-aside?reason=%s&state=%s&limit=%d"
                      .formatted(id, Api.encoded(reason), Api.encoded(state), limit));
      if (output.format != Output.Format.table) {
        Printing.print(output.format, page, HEADINGS, cells(page));
        return ExitCode.DONE;
      }
      page.path("rows").forEach(SetAsideCommands::print);
      long total = page.path("total").asLong();
      long shown = page.path("rows").size();
      System.out.println(
          total > shown
              ? "%s of %s rows; ask for more with --rows"
                  .formatted(Output.number(shown), Output.number(total))
              : "%s rows".formatted(Output.number(total)));
      return ExitCode.DONE;
    }
  }

  private static final List<Heading> HEADINGS =
      List.of(
          Heading.right("row"),
          Heading.left("file"),
          Heading.right("line"),
          Heading.left("why"),
          Heading.left("state"),
          Heading.left("as it arrived"));

  private static List<List<String>> cells(JsonNode page) {
    List<List<String>> rows = new ArrayList<>();
    for (JsonNode r : page.path("rows")) {
      rows.add(
          List.of(
              r.path("number").asString(),
              r.path("file").asString(),
              r.path("line").asString(),
              why(r),
              r.path("state").asString(),
              r.path("original").asString()));
    }
    return rows;
  }

  private static void print(JsonNode row) {
    String state = row.path("state").asString();
    System.out.printf(
        "row %s: %s, line %s%s%n",
        row.path("number").asString(),
        row.path("file").asString(),
        Output.number(row.path("line").asLong()),
        state.equals("open") ? "" : ", " + state);
    for (JsonNode f : row.path("failures")) {
      String field = f.path("field").asString("");
      System.out.printf(
          "  %s%s: %s%n",
          field.isEmpty() ? "" : field + ", ",
          f.path("reason").asString(),
          f.path("message").asString());
    }
    System.out.println("  | " + Output.visible(row.path("original").asString()));
  }

  private static String why(JsonNode row) {
    List<String> out = new ArrayList<>();
    for (JsonNode f : row.path("failures")) {
      String field = f.path("field").asString("");
      out.add((field.isEmpty() ? "" : field + ": ") + f.path("message").asString());
    }
    return String.join("; ", out);
  }

  /** A run and one of its rows. */
  static final class RowArguments {
    @Parameters(paramLabel = "RUN", index = "0")
    long run;

    @Parameters(paramLabel = "ROW", index = "1")
    long row;

    String path() {
      return "/runs/%d/set-aside/%d".formatted(run, row);
    }
  }

  @Command(name = "show", description = "Show one row in full.")
  static final class Show implements Callable<Integer> {
    @ParentCommand SetAside parent;
    @Mixin RowArguments of;

    @Override
    public Integer call() {
      JsonNode r = parent.main.api().get(of.path());
      System.out.printf(
          "feed %s, file %s, line %,d, byte %,d, %s%n",
          r.path("feed").asString(),
          r.path("file").asString(),
          r.path("line").asLong(),
          r.path("byteOffset").asLong(),
          r.path("state").asString());
      for (JsonNode f : r.path("failures")) {
        String field = f.path("field").asString("");
        System.out.printf(
            "  %s%s: %s%n",
            field.isEmpty() ? "" : field + ", ",
            f.path("reason").asString(),
            f.path("message").asString());
      }
      System.out.println(r.path("original").asString());
      if (r.has("corrected") && !r.path("corrected").isNull()) {
        System.out.println("corrected to:");
        System.out.println(r.path("corrected").asString());
      }
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "correct",
      description = {
        "Correct a row; it must fit the feed then.",
        "With --from, rows are taken from a file of JSON lines with number and corrected, as export makes it."
      })
  static final class Correct implements Callable<Integer> {
    @ParentCommand SetAside parent;

    @Parameters(paramLabel = "RUN", index = "0")
    long run;

    @Parameters(paramLabel = "ROW", index = "1", arity = "0..1")
    Long row;

    @Parameters(paramLabel = "TEXT", index = "2", arity = "0..1", description = "The whole record.")
    String text;

    @Option(names = "--from", paramLabel = "FILE", description = "Corrections of many rows.")
    java.nio.file.Path from;

    @Override
    public Integer call() {
      if (from == null && (row == null || text == null)) {
        throw new ClientException(
            ExitCode.WRONG_USAGE,
            "Name a row and its text, as in: yardage set-aside correct %d 40 'R1;5'; or a file: --from corrected.jsonl"
                .formatted(run));
      }
      return from == null ? one() : many();
    }

    /** All lines are looked at first, so that a broken file corrects nothing. */
    private int many() {
      Map<Long, String> corrections = new LinkedHashMap<>();
      int line = 0;
      for (String json : DocumentCommands.read(from).lines().toList()) {
        line++;
        if (json.isBlank()) {
          continue;
        }
        JsonNode n;
        try {
          n = Api.JSON.readTree(json);
        } catch (tools.jackson.core.JacksonException e) {
          throw new ClientException(
              ExitCode.WRONG_USAGE,
              "Line %d of %s is not JSON; nothing was corrected".formatted(line, from));
        }
        if (!n.path("number").isNumber()) {
          throw new ClientException(
              ExitCode.WRONG_USAGE,
              "Line %d of %s has no [number] of a row; nothing was corrected"
                  .formatted(line, from));
        }
        if (n.path("corrected").isString()) {
          corrections.put(n.path("number").asLong(), n.path("corrected").asString());
        }
      }
      int refused = 0;
      for (Map.Entry<Long, String> c : corrections.entrySet()) {
        try {
          parent
              .main
              .api()
              .put(
                  "/runs/%d/set-aside/%d".formatted(run, c.getKey()), Map.of("text", c.getValue()));
        } catch (ClientException e) {
          if (e.exitCode() != ExitCode.FAILED) {
            throw e;
          }
          refused++;
          System.err.println(
              "row %d: %s".formatted(c.getKey(), e.getMessage().lines().findFirst().orElse("")));
        }
      }
      System.out.println(
          "%,d of %,d rows of run %d are corrected%s"
              .formatted(
                  corrections.size() - refused,
                  corrections.size(),
                  run,
                  corrections.isEmpty()
                      ? ": no line has a [corrected] text"
                      : refused == corrections.size()
                          ? ""
                          : "; take them in with: yardage set-aside replay " + run));
      return refused == 0 && !corrections.isEmpty() ? ExitCode.DONE : ExitCode.FAILED;
    }

    private int one() {
      RowArguments of = new RowArguments();
      of.run = run;
      of.row = row;
      JsonNode row = parent.main.api().put(of.path(), Map.of("text", text));
      System.out.printf(
          "row %d of run %d: %s, line %s of %s%n  was  %s%n  is   %s%ntake it in with: yardage set-aside replay %d --row %d; take it back with: yardage set-aside withdraw %d --row %d%n",
          of.row,
          of.run,
          row.path("feed").asString(),
          Output.number(row.path("line").asLong()),
          row.path("file").asString(),
          Output.visible(row.path("original").asString()),
          Output.visible(row.path("corrected").asString()),
          of.run,
          of.row,
          of.run,
          of.row);
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "replay",
      description = "Give rows back to their feed, corrected or not; each row once.")
  static final class Replay implements Callable<Integer> {
    @ParentCommand SetAside parent;

    @Parameters(paramLabel = "RUN")
    long run;

    @Option(names = "--row", description = "These rows (default: all).")
    List<Long> rows;

    @Option(names = "--reason", description = "Only rows with this reason.")
    String reason;

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      if (rows != null) {
        body.put("rows", rows);
      }
      if (reason != null) {
        body.put("reason", reason);
      }
      JsonNode answer = parent.main.api().post("/runs/%d/set-aside/replay".formatted(run), body);
      System.out.println(answer.path("message").asString());
      if (answer.path("before").asLong() > 0) {
        System.out.printf(
            "%,d were replayed before and are not taken again%n", answer.path("before").asLong());
      }
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "withdraw",
      description = "Undo corrections, and replays that no run has taken in yet.")
  static final class Withdraw implements Callable<Integer> {
    @ParentCommand SetAside parent;

    @Parameters(paramLabel = "RUN")
    long run;

    @Option(
        names = "--row",
        description = "These rows (default: all); with a replay goes all of it.")
    List<Long> rows;

    @Override
    public Integer call() {
      JsonNode answer =
          parent
              .main
              .api()
              .post(
                  "/runs/%d/set-aside/withdraw".formatted(run),
                  rows == null ? Map.of() : Map.of("rows", rows));
      System.out.println(
          "Taken back: %s of the rows replayed, %s of the rows corrected"
              .formatted(
                  Output.number(answer.path("replays").asLong()),
                  Output.number(answer.path("corrections").asLong())));
      return ExitCode.DONE;
    }
  }

  @Command(name = "export", description = "Print all rows as JSON lines or delimited text.")
  static final class Export implements Callable<Integer> {
    @ParentCommand SetAside parent;

    @Parameters(paramLabel = "RUN")
    long run;

    @Option(names = "--format", defaultValue = "jsonl", description = "jsonl or csv.")
    String format;

    @Option(names = "--reason", defaultValue = "", description = "Only rows with this reason.")
    String reason;

    @Override
    public Integer call() {
      parent
          .main
          .api()
          .copy(
              "/runs/%d/set-aside/export?format=%s&reason=%s"
                  .formatted(run, Api.encoded(format), Api.encoded(reason)),
              Terminal.data());
      return ExitCode.DONE;
    }
  }
}
