package yardage.client;

import java.io.PrintStream;
import java.util.ArrayList;
import java.util.List;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/** Prints a run's account: a line per step, a double rule, and whether the books balance. */
final class TallyPrinter {
  private TallyPrinter() {}

  private static final List<String> COUNTS =
      List.of(
          "rowsIn",
          "rightIn",
          "setAside",
          "merged",
          "filtered",
          "unmatched",
          "folded",
          "multiplied",
          "added",
          "rowsOut");
  private static final List<String> TITLES =
      List.of(
          "in",
          "right in",
          "set aside",
          "merged",
          "filtered",
          "unmatched",
          "grouped",
          "multiplied",
          "added",
          "out");

  /** A run by itself, for programs. */
  static final Listing SUMMARY =
      new Listing()
          .id("run", "id")
          .text("pipeline", "pipeline")
          .text("state", "state")
          .time("asked", "requestedAt");

  /** The account step by step, for programs. */
  static Listing steps(JsonNode run) {
    Listing out =
        new Listing()
            .id("run", s -> run.path("summary").path("id").asString())
            .text("state", s -> run.path("summary").path("state").asString())
            .text("step", "name")
            .text("does", "verb")
            .text("detail", "detail");
    for (int i = 0; i < COUNTS.size(); i++) {
      String count = COUNTS.get(i);
      out.number(TITLES.get(i), s -> s.path("tally").path(count).asLong());
    }
    return out.number("time (ms)", s -> s.path("tally").path("cpuMillis").asLong())
        .number("memory (bytes)", s -> s.path("tally").path("peakBytes").asLong())
        .number("disk (bytes)", s -> s.path("tally").path("spilledBytes").asLong());
  }

  private static String bytes(JsonNode count) {
    return count.asLong() == 0 ? "" : Output.bytes(count.asLong());
  }

  static void print(PrintStream out, JsonNode run) {
    List<Integer> shown = new ArrayList<>();
    for (int i = 0; i < COUNTS.size(); i++) {
      String name = COUNTS.get(i);
      boolean any = name.equals("rowsIn") || name.equals("rowsOut");
      for (JsonNode step : run.path("steps")) {
        any |= step.path("tally").path(name).asLong() != 0;
      }
      if (any) {
        shown.add(i);
      }
    }
    List<Heading> headings = new ArrayList<>(List.of(Heading.left("step"), Heading.left("does")));
    shown.forEach(i -> headings.add(Heading.right(TITLES.get(i))));
    headings.add(Heading.right("time"));
    headings.add(Heading.right("memory"));
    boolean spilled = run.path("spilledBytes").asLong() > 0;
    if (spilled) {
      headings.add(Heading.right("to disk"));
    }
    List<List<String>> rows = new ArrayList<>();
    for (JsonNode step : run.path("steps")) {
      JsonNode tally = step.path("tally");
      List<String> row =
          new ArrayList<>(
              List.of(
                  step.path("name").asString(),
                  (step.path("verb").asString() + " " + step.path("detail").asString("")).strip()));
      for (int i : shown) {
        boolean edge = i == 0 || i == COUNTS.size() - 1;
        long n = tally.path(COUNTS.get(i)).asLong();
        row.add(edge ? Output.number(n) : Output.count(n));
      }
      row.add(Output.millis(tally.path("cpuMillis").asLong()));
      row.add(bytes(tally.path("peakBytes")));
      if (spilled) {
        row.add(bytes(tally.path("spilledBytes")));
      }
      rows.add(row);
    }
    Output.table(out, headings, rows);
    int width = headings.size() * 2 - 2;
    for (int c = 0; c < headings.size(); c++) {
      int column = c;
      width +=
          Math.max(
              Output.width(headings.get(c).text()),
              rows.stream().mapToInt(r -> Output.width(r.get(column))).max().orElse(0));
    }
    out.println("\u2550".repeat(width));
    out.println(run.path("balance").asString(""));
    run.path("warnings").forEach(w -> out.println("Warning: " + w.asString()));
  }

  /** The lines of a run that goes on, a step each, to be drawn over the last ones. */
  static List<String> progress(JsonNode run) {
    JsonNode summary = run.path("summary");
    List<String> lines = new ArrayList<>();
    lines.add(
        "%s, run %d: %s, %s"
            .formatted(
                summary.path("pipeline").asString(),
                summary.path("id").asLong(),
                summary.path("state").asString(),
                Output.millis(summary.path("elapsedMillis").asLong())));
    int width = 4;
    for (JsonNode step : run.path("steps")) {
      width = Math.max(width, Output.width(step.path("name").asString()));
    }
    for (JsonNode step : run.path("steps")) {
      JsonNode tally = step.path("tally");
      String name = step.path("name").asString();
      boolean waiting = tally.path("state").asString().equals("waiting");
      long aside = tally.path("setAside").asLong();
      lines.add(
          "  %s%s  %s"
              .formatted(
                  name,
                  " ".repeat(width - Output.width(name)),
                  waiting
                      ? "waits"
                      : "%14s in %14s out%s"
                          .formatted(
                              Output.number(
                                  tally.path("rowsIn").asLong() + tally.path("rightIn").asLong()),
                              Output.number(tally.path("rowsOut").asLong()),
                              aside == 0 ? "" : "  " + Output.number(aside) + " set aside")));
    }
    return lines;
  }
}
