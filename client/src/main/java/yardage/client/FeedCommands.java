package yardage.client;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;
import yardage.client.DocumentCommands.Feed;
import yardage.client.DocumentCommands.Format;
import yardage.client.Output.Heading;

/** What only feeds have: files, proposals, changes, landing. */
final class FeedCommands {
  private FeedCommands() {}

  @Command(name = "files", description = "List a feed's files and what became of them.")
  static final class FilesOf implements Callable<Integer> {
    @ParentCommand Feed feed;
    @Mixin Format output;

    @Parameters(paramLabel = "NAME")
    String name;

    @Override
    public Integer call() {
      JsonNode detail = feed.main().api().get("/feeds/" + Api.encoded(name));
      if (detail.has("filesProblem")) {
        System.err.println(detail.path("filesProblem").asString());
      }
      new Listing()
          .text("file", "path")
          .number("bytes", "sizeBytes")
          .text("fate", "fate")
          .number("records", f -> most(f, "records"))
          .count("set aside", f -> most(f, "setAside"))
          .text("taken by", FilesOf::takenBy)
          .text("why held", f -> f.path("held").path("why").asString(""))
          .print(output.format, detail.path("files"));
      return ExitCode.DONE;
    }

    private static long most(JsonNode file, String field) {
      return file.path("takenBy")
          .valueStream()
          .mapToLong(t -> t.path(field).asLong())
          .max()
          .orElse(0);
    }

    private static String takenBy(JsonNode file) {
      return file.path("takenBy")
          .valueStream()
          .map(
              t -> "%s (run %s)".formatted(t.path("pipeline").asString(), t.path("run").asString()))
          .collect(Collectors.joining(", "));
    }
  }

  @Command(
      name = "connections",
      description = "List the folders beside the inbox that feeds may read.")
  static final class Connections implements Callable<Integer> {
    @ParentCommand Feed feed;
    @Mixin Format output;

    @Override
    public Integer call() {
      JsonNode all = feed.main().api().get("/connections");
      if (all.isEmpty()) {
        System.err.println(
            "There are none. Name folders in the service's settings.yml, and restart it");
      }
      new Listing()
          .text("name", "name")
          .text("folder", "folder")
          .text("now", c -> c.path("there").asBoolean() ? "there" : "not there")
          .print(output.format, all);
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "propose",
      description = {
        "Propose feeds for files in the inbox, with the evidence for each choice.",
        "Without --into they are printed; with --land they are kept and landed in raw tables."
      })
  static final class Propose implements Callable<Integer> {
    @ParentCommand Feed feed;

    @Parameters(
        paramLabel = "FILES",
        arity = "0..*",
        description = "Files, folders or patterns below the inbox (default: all).")
    List<String> files = List.of();

    @Option(
        names = "--connection",
        paramLabel = "NAME",
        description = "Look in that folder instead of the inbox; see: feed connections.")
    String connection;

    @Option(names = "--into", paramLabel = "FOLDER", description = "Write a file for each feed.")
    Path into;

    @Option(names = "--land", description = "Keep the feeds and land each in a raw table.")
    boolean land;

    @Override
    public Integer call() throws java.io.IOException {
      JsonNode result =
          feed.main()
              .api()
              .post(
                  "/feeds/propose",
                  connection == null
                      ? Map.of("files", files)
                      : Map.of("files", files, "connection", connection));
      List<String> texts = new ArrayList<>();
      for (JsonNode p : result.path("proposals")) {
        String text = p.path("text").asString();
        texts.add(text);
        if (into != null) {
          Files.createDirectories(into);
          Path file = into.resolve(p.path("name").asString() + ".yaml");
          Files.writeString(file, text);
          System.out.println("wrote " + file);
        } else if (!land) {
          System.out.println((texts.size() > 1 ? "---\n" : "") + text.stripTrailing());
        }
      }
      result
          .path("unknown")
          .propertyStream()
          .forEach(e -> System.err.println(e.getKey() + ": " + e.getValue().asString()));
      if (land && !texts.isEmpty()) {
        JsonNode landings =
            feed.main().api().post("/feeds/onboard", Map.of("texts", texts)).path("landings");
        for (JsonNode l : landings) {
          System.out.println(landed(l));
        }
      } else if (into == null && !texts.isEmpty()) {
        System.err.println("Keep them with --into FOLDER and feed apply, or at once with --land");
      }
      return texts.isEmpty() ? ExitCode.FAILED : ExitCode.DONE;
    }
  }

  private static String landed(JsonNode landing) {
    return "pipeline %s lands in %s: run %s, watch it with: yardage watch %s"
        .formatted(
            landing.path("pipeline").asString(),
            landing.path("table").asString(),
            landing.path("run").path("id").asString(),
            landing.path("run").path("id").asString());
  }

  @Command(name = "changes", description = "Show how the newest files differ from the contract.")
  static final class Changes implements Callable<Integer> {
    @ParentCommand Feed feed;
    @Mixin Format output;

    @Parameters(paramLabel = "NAME")
    String name;

    @Override
    public Integer call() {
      JsonNode result = feed.main().api().get("/feeds/" + Api.encoded(name) + "/changes");
      if (result.path("changes").isEmpty() && output.format == Output.Format.table) {
        System.out.println("The newest files are as the contract says.");
        return ExitCode.DONE;
      }
      new Listing()
          .text("change", "kind")
          .text("field", "field")
          .text("would be", "proposed")
          .text("found", "found")
          .print(output.format, result.path("changes"));
      if (result.path("acceptable").asBoolean()) {
        System.err.println("Accept with: yardage feed accept " + name);
      }
      return ExitCode.DONE;
    }
  }

  @Command(name = "accept", description = "Save the contract that the newest files fit.")
  static final class Accept implements Callable<Integer> {
    @ParentCommand Feed feed;

    @Parameters(paramLabel = "NAME")
    String name;

    @Override
    public Integer call() {
      JsonNode saved = feed.main().api().post("/feeds/" + Api.encoded(name) + "/accept", Map.of());
      System.out.println(
          "feed %s is at version %s (%s); run its pipelines again"
              .formatted(
                  name, saved.path("version").asString(), saved.path("accepted").asString()));
      saved
          .path("left")
          .forEach(
              l -> System.err.println("Not accepted, change the feed by hand: " + l.asString()));
      return saved.path("left").isEmpty() ? ExitCode.DONE : ExitCode.FAILED;
    }
  }

  @Command(name = "land", description = "Take a feed's new files into a raw table, one to one.")
  static final class Land implements Callable<Integer> {
    @ParentCommand Feed feed;

    @Parameters(paramLabel = "NAME")
    String name;

    @Option(names = "--table", description = "The raw table (default: raw and the feed's name).")
    String table;

    @Option(names = "--wait", description = "Wait for the end and exit with its outcome.")
    boolean wait;

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      if (table != null) {
        body.put("table", table);
      }
      JsonNode landing = feed.main().api().post("/feeds/" + Api.encoded(name) + "/land", body);
      System.out.println(landed(landing));
      return wait
          ? RunCommands.watch(
              feed.main().api(), landing.path("run").path("id").asLong(), Output.Format.table)
          : ExitCode.DONE;
    }
  }

  /** A feed and some of its files, as arguments. */
  static final class FilesOfFeed {
    @Parameters(paramLabel = "NAME", index = "0")
    String name;

    @Parameters(paramLabel = "FILE", index = "1..*", arity = "1..*")
    List<String> paths;

    String path() {
      return "/feeds/" + Api.encoded(name);
    }
  }

  @Command(
      name = "quarantine",
      description = {
        "Put files into quarantine: no run and no query reads them.",
        "A file that gets other contents is read again by itself."
      })
  static final class Quarantine implements Callable<Integer> {
    @ParentCommand Feed feed;

    @Mixin FilesOfFeed of;

    @Option(names = "--why", defaultValue = "", description = "Shown to all who meet it.")
    String why;

    @Override
    public Integer call() {
      feed.main().api().post(of.path() + "/quarantine", Map.of("paths", of.paths, "why", why));
      System.out.println(
          "In quarantine: %s. Give back with: yardage feed release %s FILE"
              .formatted(String.join(", ", of.paths), of.name));
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "release",
      description = "Give files in quarantine back; the next run reads them.")
  static final class Release implements Callable<Integer> {
    @ParentCommand Feed feed;

    @Mixin FilesOfFeed of;

    @Override
    public Integer call() {
      feed.main().api().post(of.path() + "/release", Map.of("paths", of.paths));
      System.out.println("Given back: %s".formatted(String.join(", ", of.paths)));
      return ExitCode.DONE;
    }
  }

  @Command(name = "again", description = "Let a pipeline take files in a second time.")
  static final class Again implements Callable<Integer> {
    @ParentCommand Feed feed;

    @Mixin FilesOfFeed of;

    @Option(names = "--pipeline", required = true, description = "The pipeline.")
    String pipeline;

    @Override
    public Integer call() {
      JsonNode answer =
          feed.main()
              .api()
              .post(of.path() + "/again", Map.of("pipeline", pipeline, "paths", of.paths));
      System.out.println(answer.path("message").asString());
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "preview",
      description = "Show the first rows of a file as a document reads them.")
  static final class Preview implements Callable<Integer> {
    @ParentCommand Feed feed;
    @Mixin Format output;

    @Parameters(paramLabel = "DOCUMENT")
    Path document;

    @Option(names = "--file", description = "One of the feed's files (default: the first).")
    String file;

    @Option(names = "--rows", defaultValue = "20", description = "How many (default: 20).")
    int rows;

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("text", DocumentCommands.read(document));
      body.put("rows", rows);
      if (file != null) {
        body.put("file", file);
      }
      JsonNode preview = feed.main().api().post("/feeds/preview", body);
      List<Heading> headings = new ArrayList<>();
      preview.path("columns").forEach(c -> headings.add(Heading.left(c.path("name").asString())));
      List<List<String>> values = new ArrayList<>();
      for (JsonNode row : preview.path("rows")) {
        values.add(row.valueStream().map(v -> v.isNull() ? "" : v.asString()).toList());
      }
      Printing.print(output.format, preview, headings, values);
      for (JsonNode r : preview.path("setAside")) {
        System.err.printf(
            "set aside, line %,d: %s%n  %s%n",
            r.path("line").asLong(),
            r.path("original").asString(),
            String.join("; ", r.path("failures").valueStream().map(JsonNode::asString).toList()));
      }
      return ExitCode.DONE;
    }
  }
}
