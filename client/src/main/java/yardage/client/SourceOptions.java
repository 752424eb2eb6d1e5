package yardage.client;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import picocli.CommandLine.Option;

/** How much of each source is read for a look at a step. */
final class SourceOptions {
  private static final Pattern PERCENT = Pattern.compile("([0-9.]+) *%");

  @Option(
      names = "--whole",
      description = "Read sources whole: the numbers are those of a run over all that is there.")
  boolean whole;

  @Option(
      names = "--read",
      paramLabel = "STEP=ROWS",
      description = "How much of a source is read: a number of rows, or a share such as 5%%.")
  Map<String, String> read = new LinkedHashMap<>();

  @Option(
      names = "--files",
      paramLabel = "STEP=PATTERN",
      description = "Which files of a feed are read.")
  Map<String, String> files = new LinkedHashMap<>();

  @Option(
      names = "--only",
      paramLabel = "STEP=CONDITION",
      description = "Which rows of a source are read, over its columns.")
  Map<String, String> only = new LinkedHashMap<>();

  @Option(
      names = "--set",
      paramLabel = "NAME=VALUE",
      description = "A parameter of the pipeline; may be repeated.")
  Map<String, String> parameters = new LinkedHashMap<>();

  /** Puts what was chosen into a request. */
  void into(Map<String, Object> body) {
    Map<String, Map<String, Object>> sources = new LinkedHashMap<>();
    read.forEach((s, amount) -> amount(amount, choice(sources, s)));
    files.forEach((s, pattern) -> choice(sources, s).put("files", pattern));
    only.forEach((s, condition) -> choice(sources, s).put("where", condition));
    body.put("sources", sources);
    body.put("parameters", parameters);
    if (whole) {
      body.put("whole", true);
    }
  }

  private static Map<String, Object> choice(Map<String, Map<String, Object>> all, String step) {
    return all.computeIfAbsent(step, s -> new LinkedHashMap<>());
  }

  private static void amount(String amount, Map<String, Object> choice) {
    Matcher percent = PERCENT.matcher(amount);
    try {
      if (percent.matches()) {
        choice.put("share", Double.parseDouble(percent.group(1)) / 100);
      } else {
        choice.put("rows", Long.parseLong(amount.replaceAll("[,_]", "")));
      }
    } catch (NumberFormatException e) {
      throw new ClientException(
          ExitCode.WRONG_USAGE,
          "[%s] is neither a number of rows nor a share, as in: --read rolls=5000, --read rolls=5%%"
              .formatted(amount));
    }
  }
}
