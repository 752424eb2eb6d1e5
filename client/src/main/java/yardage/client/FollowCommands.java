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
import yardage.client.Output.Heading;

/** Where rows and columns come from, and where they go. */
final class FollowCommands {
  private FollowCommands() {}

  @Command(
      name = "follow",
      description = "Tell the story of a row, or where a column comes from.",
      subcommands = {Row.class, Line.class, Column.class},
      synopsisSubcommandLabel = "COMMAND")
  static final class Follow implements Runnable {
    @ParentCommand Main main;

    @Override
    public void run() {
      main.spec.commandLine().getSubcommands().get("follow").usage(System.out);
    }
  }

  @Command(
      name = "row",
      description =
          "Follow rows of a table back to their files, as in: follow row raw.rolls roll_id=R00000223")
  static final class Row implements Callable<Integer> {
    @ParentCommand Follow follow;
    @Mixin DocumentCommands.Format output;

    @Parameters(index = "0", paramLabel = "TABLE")
    String table;

    @Parameters(
        index = "1..*",
        arity = "1..*",
        paramLabel = "COLUMN=VALUE",
        description = "Columns that tell the row apart.")
    List<String> key;

    @Option(names = "--rows", description = "Show the rows at each step, not only how many.")
    boolean rows;

    @Override
    public Integer call() {
      Map<String, String> values = new LinkedHashMap<>();
      for (String k : key) {
        int at = k.indexOf('=');
        if (at < 1) {
          throw new ClientException(
              ExitCode.WRONG_USAGE,
              "Invalid key [%s]: write a column and its value, as in roll_id=R00000223"
                  .formatted(k));
        }
        values.put(k.substring(0, at), k.substring(at + 1));
      }
      return tell(follow, output, rows, Map.of("table", table, "key", values));
    }
  }

  @Command(name = "line", description = "Follow a line of a raw file to where it ends.")
  static final class Line implements Callable<Integer> {
    @ParentCommand Follow follow;
    @Mixin DocumentCommands.Format output;

    @Parameters(index = "0", paramLabel = "FEED")
    String feed;

    @Parameters(index = "1", paramLabel = "FILE", description = "As feed files lists it.")
    String file;

    @Parameters(index = "2", paramLabel = "LINE")
    long line;

    @Option(names = "--rows", description = "Show the rows at each step, not only how many.")
    boolean rows;

    @Override
    public Integer call() {
      return tell(follow, output, rows, Map.of("feed", feed, "file", file, "line", line));
    }
  }

  private static int tell(
      Follow follow, DocumentCommands.Format output, boolean rows, Map<String, Object> body) {
    JsonNode story = follow.main.api().post("/follow/row", body);
    if (output.format != Output.Format.table) {
      Terminal.data().println(story.toPrettyString());
      return ExitCode.DONE;
    }
    String pipeline = "";
    boolean any = false;
    for (JsonNode c : story.path("chapters")) {
      if (!c.path("pipeline").asString().equals(pipeline)) {
        pipeline = c.path("pipeline").asString();
        System.out.println((any ? "\n" : "") + pipeline);
      }
      any |= c.path("out").asLong() > 0;
      chapter(c, rows);
    }
    if (!any) {
      System.out.println("No row with these values was found on the way");
    }
    if (!story.path("aside").isEmpty()) {
      System.out.println("\nSet aside on the way, with these values:");
      story.path("aside").forEach(a -> System.out.println("  " + a.asString()));
    }
    return any ? ExitCode.DONE : ExitCode.FAILED;
  }

  private static void chapter(JsonNode c, boolean rows) {
    long in = c.path("in").asLong();
    long out = c.path("out").asLong();
    String words = c.path("words").asString();
    String detail = c.path("detail").asString();
    System.out.println(
        "  %-16s  %-9s  %s%s%s"
            .formatted(
                c.path("step").asString(),
                c.path("verb").asString(),
                c.path("verb").asString().equals("read")
                    ? "%s from %s".formatted(rows(out), detail)
                    : in == out || in == 0
                        ? rows(out)
                        : "%s \u2192 %s".formatted(rows(in), Output.number(out)),
                words.isEmpty() ? "" : ", ",
                words));
    c.path("places").forEach(p -> System.out.println(" ".repeat(31) + p.asString()));
    boolean left = !c.path("left").isEmpty();
    if (rows || left) {
      table(c, rows);
    }
  }

  private static String rows(long n) {
    return Output.number(n) + (n == 1 ? " row" : " rows");
  }

  /** The rows that went out, and those that did not. */
  private static void table(JsonNode c, boolean all) {
    List<Heading> headings = new ArrayList<>(List.of(Heading.left("")));
    c.path("columns").forEach(n -> headings.add(Heading.left(n.asString())));
    List<List<String>> rows = new ArrayList<>();
    c.path("rows").forEach(r -> rows.add(cells("stayed", r)));
    c.path("left").forEach(r -> rows.add(cells("left", r)));
    if (all || rows.size() <= 12) {
      Output.table(System.out, headings, rows);
      System.out.println();
    }
  }

  private static List<String> cells(String what, JsonNode row) {
    List<String> out = new ArrayList<>(List.of(what));
    row.forEach(v -> out.add(v.isNull() ? "null" : Output.visible(v.asString())));
    return out;
  }

  @Command(
      name = "column",
      description = "Show where a table's column comes from, and where it is used.")
  static final class Column implements Callable<Integer> {
    @ParentCommand Follow follow;
    @Mixin DocumentCommands.Format output;

    @Parameters(index = "0", paramLabel = "TABLE")
    String table;

    @Parameters(index = "1", paramLabel = "COLUMN")
    String column;

    @Override
    public Integer call() {
      JsonNode lineage =
          follow
              .main
              .api()
              .get(
                  "/follow/column?table=%s&column=%s"
                      .formatted(Api.encoded(table), Api.encoded(column)));
      if (output.format != Output.Format.table) {
        Terminal.data().println(lineage.toPrettyString());
        return ExitCode.DONE;
      }
      System.out.println("Made of");
      tree(lineage.path("origins"), "");
      System.out.println("\nUsed by");
      if (lineage.path("uses").path("from").isEmpty()) {
        System.out.println("no other table");
      } else {
        tree(lineage.path("uses"), "");
      }
      return ExitCode.DONE;
    }

    private static void tree(JsonNode node, String indent) {
      String pipeline = node.path("pipeline").asString();
      String how = node.path("how").asString();
      System.out.println(
          "%s%s %s.%s%s%s"
              .formatted(
                  indent,
                  node.path("kind").asString(),
                  node.path("name").asString(),
                  node.path("column").asString(),
                  how.isEmpty() ? "" : " = " + how,
                  pipeline.isEmpty() ? "" : "  (%s)".formatted(pipeline)));
      node.path("from").forEach(n -> tree(n, indent + "  "));
    }
  }
}
