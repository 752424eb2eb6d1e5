package yardage.core.feed;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.Predicate;
import java.util.stream.Stream;
import yardage.core.storage.Place;

/** Reads the rows that a run has set aside, as {@link SetAsideWriter} keeps them. */
public final class SetAsideStore {
  private static final ObjectMapper JSON = new ObjectMapper();

  private SetAsideStore() {}

  /**
   * A row that was set aside.
   *
   * @param number 1-based in its run
   * @param before what must stand before the record to make a file of it alone
   */
  public record Row(
      long number,
      String feed,
      String step,
      String file,
      long line,
      long byteOffset,
      String original,
      String before,
      String after,
      List<Failure> failures) {
    public boolean hasReason(String reason) {
      return reason.isEmpty() || failures.stream().anyMatch(f -> f.reason().equals(reason));
    }
  }

  /** One thing wrong. */
  public record Failure(String field, String reason, String message) {}

  /** Some rows, and how many there are of their kind. */
  public record Page(List<Row> rows, long total) {}

  public static Page page(Place file, Predicate<Row> wanted, long offset, int limit) {
    List<Row> out = new ArrayList<>();
    long[] total = {0};
    each(
        file,
        row -> {
          if (wanted.test(row)) {
            if (total[0] >= offset && out.size() < limit) {
              out.add(row);
            }
            total[0]++;
          }
          return true;
        });
    return new Page(out, total[0]);
  }

  public static Optional<Row> row(Place file, long number) {
    List<Row> out = new ArrayList<>();
    each(
        file,
        row -> {
          if (row.number() == number) {
            out.add(row);
          }
          return row.number() < number;
        });
    return out.stream().findFirst();
  }

  /** Gives rows in order until {@code more} is false; none when nothing was set aside. */
  public static void each(Place file, Predicate<Row> more) {
    if (!file.exists()) {
      return;
    }
    try (BufferedReader reader =
            new BufferedReader(new InputStreamReader(file.read(), StandardCharsets.UTF_8));
        Stream<String> lines = reader.lines()) {
      long number = 0;
      for (String line : (Iterable<String>) lines::iterator) {
        // The last line of a run at work may be half written.
        if (!line.endsWith("}") || !more.test(row(++number, JSON.readTree(line)))) {
          return;
        }
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "The set-aside rows in [%s] cannot be read: %s".formatted(file, e.getMessage()), e);
    }
  }

  private static Row row(long number, JsonNode node) {
    List<Failure> failures = new ArrayList<>();
    node.path("failures")
        .forEach(
            f ->
                failures.add(
                    new Failure(
                        f.path("field").asText(),
                        f.path("reason").asText(),
                        f.path("message").asText())));
    return new Row(
        number,
        node.path("feed").asText(),
        node.path("step").asText(),
        node.path("file").asText(),
        node.path("line").asLong(),
        node.path("byteOffset").asLong(),
        node.path("original").asText(),
        node.path("before").asText(),
        node.path("after").asText(),
        failures);
  }
}
