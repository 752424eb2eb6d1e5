package yardage.client;

import java.util.LinkedHashMap;
import java.util.Map;
import picocli.CommandLine.Option;

/** Values of a query's parameters. */
final class QueryParameters {
  @Option(
      names = "--set",
      paramLabel = "NAME=VALUE",
      description =
          "The value of what the query writes as :NAME. Repeat it for each; it never becomes SQL.")
  Map<String, String> given = new LinkedHashMap<>();
}
