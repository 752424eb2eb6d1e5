package yardage.client;

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

/** Why a join finds what it finds. */
@Command(
    name = "diagnose",
    description =
        "Say what a join finds and what it does not, what keeps keys apart, and which step would mend it.")
final class DiagnoseCommand implements Callable<Integer> {
  @ParentCommand Main main;
  @Mixin DocumentCommands.Format output;

  @Parameters(paramLabel = "PIPELINE")
  String pipeline;

  @Parameters(paramLabel = "STEP", description = "A step that joins on keys.")
  String step;

  @Override
  public Integer call() {
    String text = main.api().get("/pipelines/" + pipeline).path("text").asString();
    JsonNode found = main.api().post("/pipelines/diagnose", Map.of("text", text, "step", step));
    if (output.format != Output.Format.table) {
      Printing.print(output.format, found, List.of(), List.of());
      return ExitCode.DONE;
    }
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
    return ExitCode.DONE;
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
