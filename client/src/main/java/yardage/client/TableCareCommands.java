package yardage.client;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
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
import yardage.client.Output.Heading;

/** Tables in the long run. */
final class TableCareCommands {
  private TableCareCommands() {}

  @Command(
      name = "health",
      description = "Show the health of tables: small files, skew, age, and saved storage.")
  static final class Health implements Callable<Integer> {
    @ParentCommand TableCommands.Table parent;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "TABLE", arity = "0..1", description = "All tables without it.")
    String name;

    @Override
    public Integer call() {
      Api api = parent.main.api();
      JsonNode all =
          name == null
              ? api.get("/tables/health")
              : Api.JSON.createArrayNode().add(api.get("/tables/" + Api.encoded(name) + "/health"));
      new Listing()
          .text("table", "table")
          .number("files", "files")
          .bytes("size", "sizeBytes")
          .bytes("raw files", "rawBytes")
          .share("of raw", t -> t.path("sizeBytes").asLong(), t -> t.path("rawBytes").asLong())
          .text("health", Health::findings)
          .print(output.format, all);
      if (output.format == Output.Format.table) {
        for (JsonNode t : all) {
          for (JsonNode f : t.path("findings")) {
            System.out.println(
                "%n%s, %s: %s%n  %s"
                    .formatted(
                        t.path("table").asString(),
                        f.path("code").asString(),
                        f.path("message").asString(),
                        f.path("fix").asString()));
          }
        }
      }
      return ExitCode.DONE;
    }

    private static String findings(JsonNode t) {
      List<String> codes =
          t.path("findings").valueStream().map(f -> f.path("code").asString()).toList();
      return codes.isEmpty() ? "well" : String.join(", ", codes);
    }
  }

  @Command(name = "compact", description = "Put small files together, while others read and write.")
  static final class Compact implements Callable<Integer> {
    @ParentCommand TableCommands.Table parent;

    @Parameters(paramLabel = "TABLE")
    String name;

    @Override
    public Integer call() {
      JsonNode r = parent.main.api().post("/tables/" + Api.encoded(name) + "/compact", Map.of());
      if (r.path("partitions").asInt() == 0) {
        System.out.println("Table %s has no small files to put together".formatted(name));
        return ExitCode.DONE;
      }
      System.out.println(
          "Table %s: %s files of %s became %s of %s, in %s partition%s with %s rows. Older snapshots keep the old files until: yardage table expire %s"
              .formatted(
                  name,
                  Output.number(r.path("filesBefore").asLong()),
                  Output.bytes(r.path("bytesBefore").asLong()),
                  Output.number(r.path("filesAfter").asLong()),
                  Output.bytes(r.path("bytesAfter").asLong()),
                  Output.number(r.path("partitions").asLong()),
                  r.path("partitions").asInt() == 1 ? "" : "s",
                  Output.number(r.path("rows").asLong()),
                  name));
      return ExitCode.DONE;
    }
  }

  @Command(name = "expire", description = "Remove old snapshots and the files that only they use.")
  static final class Expire implements Callable<Integer> {
    private static final Pattern AGE = Pattern.compile("(\\d{1,5})\\s*(h|d)");

    @ParentCommand TableCommands.Table parent;

    @Parameters(paramLabel = "TABLE")
    String name;

    @Option(
        names = "--keep",
        description = "Keep at least so many of the newest (default: ${DEFAULT-VALUE}).",
        defaultValue = "5")
    int keep;

    @Option(
        names = "--older-than",
        description = "Keep all that are younger, as in 12h or 30d (default: ${DEFAULT-VALUE}).",
        defaultValue = "7d")
    String age;

    @Override
    public Integer call() {
      Matcher m = AGE.matcher(age);
      if (!m.matches()) {
        throw new ClientException(
            ExitCode.WRONG_USAGE,
            "Invalid age [%s]: write hours or days, as in 12h or 30d".formatted(age));
      }
      int hours = Integer.parseInt(m.group(1)) * (m.group(2).equals("d") ? 24 : 1);
      JsonNode r =
          parent
              .main
              .api()
              .post(
                  "/tables/" + Api.encoded(name) + "/expire",
                  Map.of("keep", keep, "keepHours", hours));
      System.out.println(
          "Table %s: %s snapshot%s forgotten, %s file%s removed, %s freed"
              .formatted(
                  name,
                  Output.number(r.path("snapshots").asLong()),
                  r.path("snapshots").asLong() == 1 ? "" : "s",
                  Output.number(r.path("files").asLong()),
                  r.path("files").asLong() == 1 ? "" : "s",
                  Output.bytes(r.path("sizeBytes").asLong())));
      return ExitCode.DONE;
    }
  }

  @Command(name = "compare", description = "Show the rows in which two states of a table differ.")
  static final class Compare implements Callable<Integer> {
    @ParentCommand TableCommands.Table parent;
    @Mixin DocumentCommands.Format output;

    @Parameters(index = "0", paramLabel = "TABLE")
    String name;

    @Parameters(
        index = "1",
        paramLabel = "FROM",
        description = "The older state: a snapshot's number, a date or a time in UTC.")
    String from;

    @Parameters(
        index = "2",
        paramLabel = "TO",
        arity = "0..1",
        description = "The newer one; else what there is now.")
    String to;

    @Option(
        names = "--key",
        paramLabel = "COLUMN[,COLUMN]",
        description = "Columns that tell rows apart, so that changed rows are known as such.")
    String key = "";

    @Option(
        names = "--rows",
        description = "Examples of each kind (default: ${DEFAULT-VALUE}).",
        defaultValue = "5")
    int examples;

    @Override
    public Integer call() {
      JsonNode c =
          parent
              .main
              .api()
              .get(
                  "/tables/%s/compare?from=%s%s&key=%s&examples=%d"
                      .formatted(
                          Api.encoded(name),
                          Api.encoded(from),
                          Optional.ofNullable(to).map(t -> "&to=" + Api.encoded(t)).orElse(""),
                          Api.encoded(key),
                          examples));
      if (output.format == Output.Format.json) {
        Terminal.data().println(c.toPrettyString());
        return ExitCode.DONE;
      }
      if (output.format == Output.Format.table) {
        System.out.println(
            "From " + state(c.path("from")) + "\n  to " + state(c.path("to")) + "\n");
        System.out.println(
            "%s rows added, %s removed%s"
                .formatted(
                    Output.number(c.path("added").asLong()),
                    Output.number(c.path("removed").asLong()),
                    key.isEmpty()
                        ? "; a changed row counts as both, name its --key to tell them"
                        : ", %s changed".formatted(Output.number(c.path("changed").asLong()))));
        c.path("changedColumns")
            .properties()
            .forEach(
                e ->
                    System.out.println(
                        "  %s in %s".formatted(Output.number(e.getValue().asLong()), e.getKey())));
        columns("new", c.path("columnsAdded"));
        columns("gone", c.path("columnsRemoved"));
        System.out.println();
      }
      print(c);
      return ExitCode.DONE;
    }

    private static void columns(String what, JsonNode names) {
      if (!names.isEmpty()) {
        System.out.println("Columns that are %s: %s".formatted(what, Output.words(names)));
      }
    }

    private static String state(JsonNode s) {
      return "snapshot %s of %s, %s rows"
          .formatted(
              s.path("snapshot").asString(),
              Output.time(s.path("at").asString()),
              Output.number(s.path("rows").asLong()));
    }

    private void print(JsonNode d) {
      List<Heading> headings = new ArrayList<>(List.of(Heading.left("row")));
      d.path("columns").forEach(n -> headings.add(Heading.left(n.asString())));
      List<List<String>> rows = new ArrayList<>();
      for (JsonNode e : d.path("examples")) {
        List<String> row = new ArrayList<>(List.of(e.path("kind").asString()));
        e.path("values").forEach(v -> row.add(v.isNull() ? "null" : Output.visible(v.asString())));
        rows.add(row);
      }
      if (!rows.isEmpty()) {
        Printing.print(output.format, d, headings, rows);
      }
    }
  }

  @Command(name = "drop", description = "Put a table into the bin.")
  static final class Drop implements Callable<Integer> {
    @ParentCommand TableCommands.Table parent;

    @Parameters(paramLabel = "TABLE")
    String name;

    @Option(names = "--anyway", description = "Even when pipelines use it.")
    boolean anyway;

    @Override
    public Integer call() {
      JsonNode b =
          parent.main.api().take("/tables/%s?anyway=%s".formatted(Api.encoded(name), anyway));
      System.out.println(
          "Table %s is in the bin. Take it out again with: yardage table restore %d"
              .formatted(name, b.path("id").asLong()));
      return ExitCode.DONE;
    }
  }

  @Command(name = "bin", description = "List dropped tables.")
  static final class Bin implements Callable<Integer> {
    @ParentCommand TableCommands.Table parent;
    @Mixin DocumentCommands.Format output;

    @Override
    public Integer call() {
      JsonNode bin = parent.main.api().get("/bin");
      new Listing()
          .id("number", "id")
          .text("table", "table")
          .time("dropped", "droppedAt")
          .text("by", "droppedBy")
          .print(output.format, bin);
      return ExitCode.DONE;
    }
  }

  @Command(name = "restore", description = "Take a table out of the bin, as it was.")
  static final class Restore implements Callable<Integer> {
    @ParentCommand TableCommands.Table parent;

    @Parameters(paramLabel = "NUMBER", description = "As table bin lists them.")
    long id;

    @Override
    public Integer call() {
      JsonNode r = parent.main.api().post("/bin/%d/restore".formatted(id), Map.of());
      System.out.println("Table %s is there again".formatted(r.path("table").asString()));
      return ExitCode.DONE;
    }
  }

  @Command(name = "purge", description = "Remove a table in the bin for good.")
  static final class Purge implements Callable<Integer> {
    @ParentCommand TableCommands.Table parent;

    @Parameters(paramLabel = "NUMBER", description = "As table bin lists them.")
    long id;

    @Override
    public Integer call() {
      JsonNode r = parent.main.api().take("/bin/" + id);
      System.out.println(
          "Removed for good: %s files, %s"
              .formatted(
                  Output.number(r.path("files").asLong()),
                  Output.bytes(r.path("sizeBytes").asLong())));
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "export",
      description = "Write a table, or a query's rows, as delimited text, JSON lines or Parquet.")
  static final class Export implements Callable<Integer> {
    @ParentCommand Main main;

    @Parameters(paramLabel = "TABLE", arity = "0..1")
    String table;

    @Option(names = "--sql", description = "A query instead of a table.")
    String sql;

    @Mixin QueryParameters parameters;

    @Option(
        names = "--as-of",
        description = "The table as it was: a snapshot's number, a date or a time in UTC.")
    String asOf;

    @Option(
        names = "--format",
        description = "csv, jsonl or parquet (default: as the file's name ends, else csv).")
    String format;

    @Option(
        names = {"-o", "--file"},
        description = "The file to write; else the standard output.")
    Path file;

    @Option(
        names = "--as-is",
        description =
            "Leave text in csv as it is, even where a spreadsheet would take it for a formula.")
    boolean asIs;

    @Override
    public Integer call() throws IOException {
      Map<String, Object> body = new LinkedHashMap<>();
      Optional.ofNullable(table).ifPresent(t -> body.put("table", t));
      Optional.ofNullable(sql).ifPresent(s -> body.put("sql", s));
      Optional.ofNullable(asOf).ifPresent(a -> body.put("asOf", a));
      body.put("format", format());
      body.put("asIs", asIs);
      body.put("parameters", parameters.given);
      String id = java.util.UUID.randomUUID().toString();
      body.put("id", id);
      if (file == null) {
        main.api().copy("/exports", body, Terminal.data());
        notes(main.api().get("/exports/" + id));
        return ExitCode.DONE;
      }
      refuseNoFolder();
      if (Files.exists(file) && !Files.isRegularFile(file)) {
        // A device or a named pipe takes the data and stays what it is.
        copy(body, file);
      } else {
        // Beside the file first, so that one that broke off is not taken for a whole one. A link
        // stays a link.
        Path target = Files.exists(file) ? file.toRealPath() : file;
        Path part = target.resolveSibling(target.getFileName() + ".part");
        try {
          copy(body, part);
          Files.move(part, target, StandardCopyOption.REPLACE_EXISTING);
        } finally {
          Files.deleteIfExists(part);
        }
      }
      JsonNode exported = main.api().get("/exports/" + id);
      System.err.println(
          "Wrote %s: %s, %s"
              .formatted(
                  file,
                  Output.number(exported.path("rows").asLong()) + " rows",
                  Output.bytes(Files.size(file))));
      notes(exported);
      return ExitCode.DONE;
    }

    private void copy(Map<String, Object> body, Path to) throws IOException {
      try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(to))) {
        main.api().copy("/exports", body, out);
      }
    }

    private void refuseNoFolder() {
      Path folder = file.toAbsolutePath().getParent();
      if (folder == null || !Files.isDirectory(folder)) {
        throw new ClientException(
            ExitCode.WRONG_USAGE,
            "Cannot write [%s]: there is no folder [%s]; make it first".formatted(file, folder));
      }
      if (Files.isDirectory(file)) {
        throw new ClientException(
            ExitCode.WRONG_USAGE,
            "Cannot write [%s]: it is a folder; name a file in it".formatted(file));
      }
      if (!Files.isWritable(folder)) {
        throw new ClientException(
            ExitCode.FAILED,
            "Cannot write [%s]: you may not write into [%s]".formatted(file, folder));
      }
    }

    private static void notes(JsonNode exported) {
      exported.path("notes").forEach(n -> System.err.println("Note: " + n.asString()));
    }

    private String format() {
      if (format != null) {
        return format;
      }
      String name = file == null ? "" : file.getFileName().toString();
      int dot = name.lastIndexOf('.');
      String end = dot < 0 ? "" : name.substring(dot + 1);
      return List.of("jsonl", "parquet").contains(end) ? end : "csv";
    }
  }
}
