package yardage.client;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.node.JsonNodeFactory;
import yardage.client.Output.Heading;

/** Why a join finds what it finds. */
@Command(
    name = "diagnose",
    description = {
      "Show which rows of a join match and which do not, why keys differ, and which step would fix it.",
      "Given a run's number: what the run noticed about its joins with few matches."
    })
final class DiagnoseCommand implements Callable<Integer> {
  @ParentCommand Main main;
  @Mixin DocumentCommands.Format output;

  @Parameters(
      index = "0",
      paramLabel = "PIPELINE|RUN",
      description = "A pipeline's name, or a run's number.")
  String of;

  @Parameters(
      index = "1",
      paramLabel = "STEP",
      arity = "0..1",
      description = "A step that joins on keys; a run has several.")
  String step = "";

  @Option(names = "--mend", description = "Print the document with the most helpful step added.")
  boolean mend;

  @Option(
      names = "--save",
      description = "With --mend: keep the document as the pipeline's next version.")
  boolean save;

  @Override
  public Integer call() {
    if (of.matches("[0-9]+")) {
      return ofRun();
    }
    if (step.isEmpty()) {
      throw new ClientException(
          ExitCode.WRONG_USAGE,
          "Name the step that joins, as in: yardage diagnose %s STEP".formatted(of));
    }
    JsonNode pipeline = main.api().get("/pipelines/" + Api.encoded(of));
    String text = pipeline.path("text").asString();
    JsonNode found = main.api().post("/pipelines/diagnose", Map.of("text", text, "step", step));
    if (mend || save) {
      return mend(pipeline, text, found);
    }
    if (output.format != Output.Format.table) {
      Printing.print(output.format, found, List.of(), List.of());
      return ExitCode.DONE;
    }
    print(found);
    if (firstOffer(found) >= 0) {
      System.out.println(
          "Or have it put in, as the next version: yardage diagnose %s %s --mend --save"
              .formatted(of, step));
    }
    return ExitCode.DONE;
  }

  /** The remedy that helps the most among those that a step can say, or -1. */
  private static int firstOffer(JsonNode found) {
    for (int i = 0; i < found.path("offers").size(); i++) {
      if (!found.path("offers").path(i).asString().isEmpty()) {
        return i;
      }
    }
    return -1;
  }

  private int ofRun() {
    if (mend || save) {
      throw new ClientException(
          ExitCode.WRONG_USAGE,
          "A run's document stays as it was; fix the pipeline's: yardage diagnose PIPELINE STEP --mend");
    }
    List<JsonNode> all = new ArrayList<>();
    main.api().get("/runs/" + of + "/joins").forEach(all::add);
    all.removeIf(j -> !step.isEmpty() && !j.path("step").asString().equals(step));
    if (output.format != Output.Format.table) {
      Printing.print(
          output.format, JsonNodeFactory.instance.arrayNode().addAll(all), List.of(), List.of());
    } else if (all.isEmpty()) {
      System.err.println(
          "Run %s says nothing of %s: only joins that find less than nine rows in ten are looked into. Look yourself with: yardage diagnose PIPELINE STEP"
              .formatted(of, step.isEmpty() ? "its joins" : step));
    } else {
      for (JsonNode j : all) {
        System.out.println(j.path("step").asString());
        print(j);
      }
    }
    return ExitCode.DONE;
  }

  private int mend(JsonNode pipeline, String text, JsonNode found) {
    JsonNode remedy = found.path("diagnosis").path("remedies").path(firstOffer(found));
    if (remedy.isMissingNode()) {
      throw new ClientException(
          ExitCode.FAILED,
          "No step is known that would make more rows of [%s] match".formatted(step));
    }
    String mended =
        main.api()
            .post(
                "/pipelines/mend",
                Map.of("text", text, "step", step, "remedy", remedy.path("code").asString()))
            .path("text")
            .asString();
    if (!save) {
      Terminal.data().print(mended);
      return ExitCode.DONE;
    }
    JsonNode saved =
        main.api()
            .put(
                "/pipelines/" + Api.encoded(of),
                Map.of(
                    "text", mended, "basedOn", pipeline.path("summary").path("version").asInt()));
    System.out.println(
        "pipeline %s is at version %d: %,d rows more of %s match without %s. Run it with: yardage run %s --wait"
            .formatted(
                of,
                saved.path("summary").path("version").asInt(),
                remedy.path("wouldMatch").asLong(),
                step,
                remedy.path("words").asString(),
                of));
    return ExitCode.DONE;
  }

  /** What a run said of its joins, a line each, for the end of its account. */
  static void tell(JsonNode joins, long run) {
    for (JsonNode j : joins) {
      JsonNode side = j.path("diagnosis").path("left");
      JsonNode best = j.path("diagnosis").path("remedies").path(0);
      String more =
          best.isMissingNode()
              ? ""
              : "; %,d more would without %s"
                  .formatted(best.path("wouldMatch").asLong(), best.path("words").asString());
      System.out.println(
          "Join %s: %,d of %,d rows found something in %s%s. See why with: yardage diagnose %d %s"
              .formatted(
                  j.path("step").asString(),
                  side.path("matched").asLong(),
                  side.path("rows").asLong(),
                  j.path("right").asString(),
                  more,
                  run,
                  j.path("step").asString()));
    }
  }

  private static void print(JsonNode found) {
    JsonNode diagnosis = found.path("diagnosis");
    String left = found.path("left").asString();
    String right = found.path("right").asString();
    side(left, found.path("leftKeys"), diagnosis.path("left"));
    side(right, found.path("rightKeys"), diagnosis.path("right"));
    for (JsonNode w : diagnosis.path("worst")) {
      System.out.println(
          "[%s] is there %,d times in %s and %,d times in %s: %,d pairs"
              .formatted(
                  visible(w.path("key").asString()),
                  w.path("leftRows").asLong(),
                  left,
                  w.path("rightRows").asLong(),
                  right,
                  w.path("pairs").asLong()));
    }
    JsonNode remedies = diagnosis.path("remedies");
    if (remedies.isEmpty()) {
      System.out.println(
          diagnosis.path("left").path("unmatched").asLong() == 0
              ? "Every key of %s is found.".formatted(left)
              : "Nothing that is known to keep keys apart would make more of them match: they are not in %s."
                  .formatted(right));
    }
    for (int i = 0; i < remedies.size(); i++) {
      remedy(remedies.get(i), found.path("offers").path(i).asString());
    }
    if (found.path("sampled").asBoolean()) {
      System.err.println("An input is long; its beginning was looked at.");
    }
  }

  private static void side(String name, JsonNode keys, JsonNode side) {
    List<String> columns = new ArrayList<>();
    keys.forEach(k -> columns.add(k.asString()));
    List<String> examples = new ArrayList<>();
    side.path("unmatchedExamples").forEach(e -> examples.add("[" + visible(e.asString()) + "]"));
    long unmatched = side.path("unmatched").asLong();
    System.out.println(
        "%s by %s: %,d of %,d rows match%s%s"
            .formatted(
                name,
                String.join(", ", columns),
                side.path("matched").asLong(),
                side.path("rows").asLong(),
                unmatched == 0
                    ? ""
                    : "; %,d do not, such as %s".formatted(unmatched, String.join(" ", examples)),
                side.path("withNullKey").asLong() == 0
                    ? ""
                    : "; %,d have no key".formatted(side.path("withNullKey").asLong())));
  }

  private static void remedy(JsonNode remedy, String offer) {
    System.out.println();
    System.out.println(
        "%,d rows more would match without %s:"
            .formatted(remedy.path("wouldMatch").asLong(), remedy.path("words").asString()));
    List<List<String>> rows = new ArrayList<>();
    for (JsonNode pair : remedy.path("examples")) {
      rows.add(
          List.of(
              "[" + visible(pair.path("left").asString()) + "]",
              "[" + visible(pair.path("right").asString()) + "]"));
    }
    Printing.print(
        Output.Format.table, remedy, List.of(Heading.left("here"), Heading.left("there")), rows);
    if (!offer.isEmpty()) {
      System.out.println("Put this step before the join, and join with it instead:");
      System.out.println(offer);
    }
  }

  /** Blanks as dots, and what cannot be seen by its code point. */
  static String visible(String text) {
    StringBuilder out = new StringBuilder();
    text.codePoints()
        .forEach(
            c -> {
              if (c == ' ') {
                out.append('·');
              } else if (Character.isISOControl(c)
                  || Character.getType(c) == Character.FORMAT
                  || Character.isSpaceChar(c)) {
                out.append("⟨%04X⟩".formatted(c));
              } else {
                out.appendCodePoint(c);
              }
            });
    return out.toString();
  }
}
