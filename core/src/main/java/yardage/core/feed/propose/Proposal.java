package yardage.core.feed.propose;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.column.Type;

/**
 * A feed proposed from files.
 *
 * @param text the whole document, with the evidence as comments
 * @param evidence what each choice rests on
 */
public record Proposal(String name, List<String> files, String text, List<Evidence> evidence) {
  public Proposal {
    files = List.copyOf(files);
    evidence = List.copyOf(evidence);
  }

  /**
   * What a choice rests on.
   *
   * @param about the column, or the part of the format
   */
  public record Evidence(String about, String choice, String because) {}

  /** How files are written, as lines of a document, and its columns. */
  record Shape(
      String formatKey, List<String> formatLines, List<Column> columns, List<Evidence> evidence) {
    /** Whether the files name their fields, so that equal names mean the same. */
    boolean namesFields() {
      boolean placed =
          formatLines.stream()
              .anyMatch(l -> l.contains("header: false") || l.contains("match: position"));
      return !placed && !formatKey.equals("fixed") && columns.size() > 1;
    }
  }

  /**
   * One proposed column.
   *
   * @param settings what stands beside the type, as YAML
   * @param values of the sample, where they are plain
   */
  record Column(
      String name,
      Type type,
      Map<String, String> settings,
      String because,
      List<ColumnGuess.Value> values) {
    Column(String name, Type type, Map<String, String> settings, String because) {
      this(name, type, settings, because, List.of());
    }

    /** The column of two files: of the type that takes the values of both. */
    Column with(Column other) {
      if (values.isEmpty() || other.values.isEmpty()) {
        return type.equals(other.type) || values.isEmpty() && other.values.isEmpty()
            ? this
            : values.isEmpty() ? other : this;
      }
      List<ColumnGuess.Value> both = new ArrayList<>(values);
      both.addAll(other.values);
      Map<String, String> given = new LinkedHashMap<>();
      List.of("from", "folder")
          .forEach(k -> Optional.ofNullable(settings.get(k)).ifPresent(v -> given.put(k, v)));
      return ColumnGuess.of(name, both, given, true);
    }
  }

  static Proposal of(
      String name,
      Optional<String> connection,
      List<String> patterns,
      List<String> files,
      Shape shape) {
    StringBuilder out = new StringBuilder();
    out.append("feed: ").append(name).append('\n');
    out.append("about: Proposed from ")
        .append(String.join(", ", files.subList(0, Math.min(3, files.size()))));
    out.append(files.size() > 3 ? " and %,d more.\n".formatted(files.size() - 3) : ".\n");
    connection.ifPresent(c -> out.append("connection: ").append(Yaml.scalar(c)).append('\n'));
    out.append("files: ")
        .append(
            patterns.size() == 1
                ? Yaml.scalar(patterns.get(0))
                : patterns.stream().map(Yaml::scalar).toList().toString())
        .append('\n');
    for (Evidence e : shape.evidence()) {
      out.append("# ").append(e.about()).append(": ").append(e.because()).append('\n');
    }
    shape.formatLines().forEach(l -> out.append(l).append('\n'));
    out.append("columns:\n");
    for (Column c : shape.columns()) {
      if (!c.because().isEmpty()) {
        out.append("  # ").append(c.because()).append('\n');
      }
      out.append("  ").append(Yaml.scalar(c.name())).append(": ");
      if (c.settings().isEmpty()) {
        out.append(Yaml.scalar(c.type().toString()));
      } else {
        Map<String, String> all = new LinkedHashMap<>();
        all.put("type", Yaml.flow(c.type().toString()));
        all.putAll(c.settings());
        List<String> parts = new ArrayList<>();
        all.forEach((k, v) -> parts.add(k + ": " + v));
        out.append('{').append(String.join(", ", parts)).append('}');
      }
      out.append('\n');
    }
    List<Evidence> evidence = new ArrayList<>(shape.evidence());
    shape
        .columns()
        .forEach(c -> evidence.add(new Evidence(c.name(), c.type().toString(), c.because())));
    return new Proposal(name, files, out.toString(), evidence);
  }
}
