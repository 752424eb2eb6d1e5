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

/** Tables and queries. */
final class TableCommands {
  private TableCommands() {}

  @Command(
      name = "table",
      description = "Tables in the lake.",
      subcommands = {
        TableList.class,
        TableShow.class,
        TableSample.class,
        ProfileCommands.OfTable.class,
        TableRollBack.class,
        TableCareCommands.Compare.class,
        TableCareCommands.Health.class,
        TableCareCommands.Compact.class,
        TableCareCommands.Expire.class,
        TableCareCommands.Drop.class,
        TableCareCommands.Bin.class,
        TableCareCommands.Restore.class,
        TableCareCommands.Purge.class
      },
      synopsisSubcommandLabel = "COMMAND")
  static final class Table implements Runnable {
    @ParentCommand Main main;

    @Override
    public void run() {
      main.spec.commandLine().getSubcommands().get("table").usage(System.out);
    }
  }

  @Command(name = "list", description = "List them.")
  static final class TableList implements Callable<Integer> {
    @ParentCommand Table parent;
    @Mixin DocumentCommands.Format output;

    @Override
    public Integer call() {
      JsonNode tables = parent.main.api().get("/tables");
      new Listing()
          .text("table", "name")
          .number("rows", "rows")
          .number("files", "files")
          .bytes("size", "sizeBytes")
          .words("partitioned by", "partitionedBy")
          .time("updated", "updatedAt")
          .text("written by", "writtenBy")
          .print(output.format, tables);
      return ExitCode.DONE;
    }
  }

  @Command(name = "show", description = "Show a table's columns, partitions and snapshots.")
  static final class TableShow implements Callable<Integer> {
    @ParentCommand Table parent;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "TABLE")
    String name;

    @Override
    public Integer call() {
      JsonNode t = parent.main.api().get("/tables/" + Api.encoded(name));
      if (output.format == Output.Format.json) {
        Terminal.data().println(t.toPrettyString());
        return ExitCode.DONE;
      }
      JsonNode s = t.path("summary");
      System.out.println(
          "%s: %s rows in %s files, %s"
              .formatted(
                  name,
                  Output.number(s.path("rows").asLong()),
                  Output.number(s.path("files").asLong()),
                  Output.bytes(s.path("sizeBytes").asLong())));
      // What another reader of the table format is given.
      System.out.println(t.path("summary").path("metadataLocation").asString());
      t.path("uses").forEach(u -> System.out.println(use(u)));
      String sorted = Output.words(t.path("sortedBy"));
      String found = Output.words(t.path("foundBy"));
      System.out.println(
          "Files aim for %s%s%s\n"
              .formatted(
                  Output.bytes(t.path("targetBytes").asLong()),
                  sorted.isEmpty() ? "" : ", are sorted by " + sorted,
                  found.isEmpty() ? "" : ", have Bloom filters of " + found));
      List<List<String>> columns = new ArrayList<>();
      t.path("columns")
          .forEach(c -> columns.add(List.of(c.path("name").asString(), c.path("type").asString())));
      Output.table(System.out, List.of(Heading.left("column"), Heading.left("type")), columns);
      System.out.println();
      List<List<String>> partitions = new ArrayList<>();
      t.path("partitions")
          .forEach(
              p ->
                  partitions.add(
                      List.of(
                          p.path("path").asString().isEmpty()
                              ? "(not partitioned)"
                              : p.path("path").asString(),
                          Output.number(p.path("rows").asLong()),
                          Output.number(p.path("files").asLong()),
                          Output.bytes(p.path("sizeBytes").asLong()))));
      Output.table(
          System.out,
          List.of(
              Heading.left("partition"),
              Heading.right("rows"),
              Heading.right("files"),
              Heading.right("size")),
          partitions);
      System.out.println();
      List<List<String>> snapshots = new ArrayList<>();
      t.path("snapshots")
          .forEach(
              x ->
                  snapshots.add(
                      List.of(
                          x.path("id").asString(),
                          Output.time(x.path("at").asString()),
                          x.path("operation").asString(),
                          x.path("run").asString(""),
                          Output.count(x.path("addedRows").asLong()),
                          Output.count(x.path("removedRows").asLong()),
                          Output.number(x.path("totalRows").asLong()),
                          x.path("current").asBoolean() ? "now" : "")));
      Output.table(
          System.out,
          List.of(
              Heading.right("snapshot"),
              Heading.left("at (UTC)"),
              Heading.left("by"),
              Heading.right("run"),
              Heading.right("rows added"),
              Heading.right("removed"),
              Heading.right("rows then"),
              Heading.left("")),
          snapshots);
      return ExitCode.DONE;
    }
  }

  private static String use(JsonNode u) {
    String key = Output.words(u.path("key"));
    return "%s by %s, step %s%s"
        .formatted(
            u.path("writes").asBoolean() ? "Written" : "Read",
            u.path("pipeline").asString(),
            u.path("step").asString(),
            u.path("writes").asBoolean()
                ? ", mode " + u.path("mode").asString() + (key.isEmpty() ? "" : ", key " + key)
                : "");
  }

  @Command(name = "sample", description = "Print some rows of a table.")
  static final class TableSample implements Callable<Integer> {
    @ParentCommand Table parent;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "TABLE")
    String name;

    @Option(
        names = "--rows",
        description = "How many (default: ${DEFAULT-VALUE}).",
        defaultValue = "10")
    int rows;

    @Option(
        names = "--as-of",
        description = "The table as it was: a snapshot's number, a date or a time in UTC.")
    String asOf;

    @Option(
        names = "--as-is",
        description =
            "Leave text in csv as it is, even where a spreadsheet would take it for a formula.")
    boolean asIs;

    @Override
    public Integer call() {
      String then = asOf == null ? "" : "&asOf=" + Api.encoded(asOf);
      Printing.rows(
          output.format,
          parent
              .main
              .api()
              .get("/tables/%s/sample?rows=%d%s".formatted(Api.encoded(name), rows, then)),
          asIs);
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "roll-back",
      description =
          "Make an older state of a table the current one; newer states stay, so this can be undone.")
  static final class TableRollBack implements Callable<Integer> {
    @ParentCommand Table parent;

    @Parameters(paramLabel = "TABLE")
    String name;

    @Parameters(paramLabel = "SNAPSHOT", description = "As table show lists them.")
    String snapshot;

    @Override
    public Integer call() {
      JsonNode now =
          parent
              .main
              .api()
              .post("/tables/" + Api.encoded(name) + "/roll-back", Map.of("snapshot", snapshot));
      System.out.println(
          "Table %s is as it was at snapshot %s, with %s rows"
              .formatted(name, snapshot, Output.number(now.path("summary").path("rows").asLong())));
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "query",
      description =
          "Ask tables in SQL, as in: yardage query \"SELECT count(*) FROM mart.roll_inspection\"")
  static final class Query implements Callable<Integer> {
    @ParentCommand Main main;
    @Mixin DocumentCommands.Format output;

    @Mixin QueryParameters parameters;

    @Parameters(paramLabel = "SQL")
    String sql;

    @Option(
        names = "--rows",
        description = "At most so many rows (default: ${DEFAULT-VALUE}).",
        defaultValue = "1000")
    int rows;

    @Option(
        names = "--as-is",
        description =
            "Leave text in csv as it is, even where a spreadsheet would take it for a formula.")
    boolean asIs;

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("sql", sql);
      body.put("limit", rows);
      body.put("parameters", parameters.given);
      Printing.rows(output.format, main.api().post("/query", body), asIs);
      return ExitCode.DONE;
    }
  }
}
