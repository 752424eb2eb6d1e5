package yardage.core.feed.propose;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedFormat;
import yardage.core.feed.FileDiscovery;
import yardage.core.format.FileFormatException;
import yardage.core.lake.RawFolders;
import yardage.core.storage.Place;

/** Proposes feeds for files: files that are alike by name and kind make one feed. */
public final class Proposals {
  private Proposals() {}

  /**
   * @param proposals one for each kind of files
   * @param unknown files for which none could be made, with the reason
   */
  public record Result(List<Proposal> proposals, Map<String, String> unknown) {}

  /**
   * @param patterns of the files below the inbox, with wildcards; a folder stands for all in it
   * @param taken names of feeds that are there
   */
  public static Result of(Place inbox, List<String> patterns, Collection<String> taken) {
    return of(new RawFolders(inbox), Optional.empty(), patterns, taken);
  }

  /**
   * @param connection the folder to look in, by its name; the inbox when there is none
   */
  public static Result of(
      RawFolders raw,
      Optional<String> connection,
      List<String> patterns,
      Collection<String> taken) {
    Place folder = connection.map(c -> FileDiscovery.connection(raw, c)).orElse(raw.inbox());
    List<FileDiscovery.Found> files = FileDiscovery.matching(folder, patterns);
    Map<String, List<FileDiscovery.Found>> groups = new TreeMap<>();
    for (FileDiscovery.Found file : files) {
      groups.computeIfAbsent(pattern(file.path()), p -> new ArrayList<>()).add(file);
    }
    List<Proposal> out = new ArrayList<>();
    Map<String, String> unknown = new LinkedHashMap<>();
    Set<String> names = new HashSet<>(taken);
    List<Kind> kinds = new ArrayList<>();
    groups.forEach(
        (pattern, group) -> {
          try {
            if (pattern.endsWith(".xsd")) {
              // A schema is no data; it speaks for the documents beside it, if there are any.
              if (files.stream().noneMatch(f -> isDocumentBeside(f, group.get(0)))) {
                out.add(schemaAlone(connection, group.get(0), names));
              }
              return;
            }
            Optional<Proposal.Shape> shape = shape(group);
            if (shape.isPresent() && shape.get().formatKey().equals("xml")) {
              shape = Optional.of(asDeclared(shape.get(), group.get(0), files));
            }
            if (shape.isEmpty()) {
              unknown.put(pattern, "no kind of records was recognised in its files");
              return;
            }
            Kind kind = new Kind(List.of(pattern), group, shape.get());
            Optional<Kind> alike = kinds.stream().filter(k -> k.isLike(kind)).findFirst();
            alike.ifPresent(kinds::remove);
            kinds.add(alike.map(k -> k.with(kind)).orElse(kind));
          } catch (FileFormatException e) {
            unknown.put(pattern, e.getMessage());
          } catch (IOException e) {
            throw new UncheckedIOException(e);
          }
        });
    for (Kind kind : kinds) {
      out.add(
          Proposal.of(
              Naming.feed(kind.nameFrom(), names),
              connection,
              kind.patterns(files),
              kind.files().stream().map(FileDiscovery.Found::path).toList(),
              kind.shape()));
    }
    out.sort(Comparator.comparing(p -> p.files().get(0)));
    return new Result(out, unknown);
  }

  /**
   * Files that make one feed: alike in name, or in the same folder with the same fields.
   *
   * @param stems what their paths have in common, by how they are named
   */
  private record Kind(List<String> stems, List<FileDiscovery.Found> files, Proposal.Shape shape) {

    /** Files with named fields, all of them the same, are of one kind whatever they are called. */
    boolean isLike(Kind other) {
      return folder(stems.get(0)).equals(folder(other.stems.get(0)))
          && !folder(stems.get(0)).isEmpty()
          && ending(stems.get(0)).equals(ending(other.stems.get(0)))
          && shape.namesFields()
          && shape.formatLines().equals(other.shape.formatLines())
          && fields(shape).equals(fields(other.shape));
    }

    private static List<String> fields(Proposal.Shape shape) {
      return shape.columns().stream()
          .map(c -> c.settings().getOrDefault("from", c.name()))
          .toList();
    }

    Kind with(Kind other) {
      List<String> allStems = new ArrayList<>(stems);
      allStems.addAll(other.stems);
      List<FileDiscovery.Found> all = new ArrayList<>(files);
      all.addAll(other.files);
      List<Proposal.Column> columns = new ArrayList<>();
      for (int i = 0; i < shape.columns().size(); i++) {
        columns.add(shape.columns().get(i).with(other.shape.columns().get(i)));
      }
      return new Kind(
          allStems,
          all,
          new Proposal.Shape(shape.formatKey(), shape.formatLines(), columns, shape.evidence()));
    }

    String nameFrom() {
      if (stems.size() == 1) {
        return stems.get(0);
      }
      String folder = folder(stems.get(0));
      return folder.isEmpty() ? stems.get(0) : folder.substring(0, folder.length() - 1) + ".x";
    }

    /** The pattern that names them all and nothing else that is there; or their own. */
    List<String> patterns(List<FileDiscovery.Found> all) {
      if (stems.size() == 1) {
        String pattern = files.size() == 1 ? files.get(0).path() : stems.get(0);
        return List.of(escaped(pattern, files.size() > 1));
      }
      String folder = folder(stems.get(0));
      String ending = ending(stems.get(0));
      boolean othersThere =
          all.stream()
              .anyMatch(
                  f ->
                      folder(f.path()).equals(folder)
                          && f.path().endsWith(ending)
                          && !files.contains(f));
      return othersThere
          ? files.stream().map(f -> escaped(f.path(), false)).toList()
          : List.of(folder + "*" + ending);
    }

    private static String ending(String path) {
      String name = path.substring(path.lastIndexOf('/') + 1);
      int dot = name.indexOf('.');
      return dot < 0 ? "" : name.substring(dot);
    }
  }

  private static String folder(String path) {
    return path.substring(0, path.lastIndexOf('/') + 1);
  }

  private static boolean isDocumentBeside(FileDiscovery.Found file, FileDiscovery.Found schema) {
    return folder(file.path()).equals(folder(schema.path()))
        && file.path().matches(".*\\.xml(\\.\\w+)?");
  }

  /** A feed for documents that have not come yet: all XML that will lie beside its schema. */
  private static Proposal schemaAlone(
      Optional<String> connection, FileDiscovery.Found schema, Set<String> names)
      throws IOException {
    String row =
        XsdGuess.row(schema)
            .orElseThrow(
                () -> new FileFormatException("it is not an XML schema that declares an element"));
    Proposal.Shape shape =
        XsdGuess.of(schema, row)
            .orElseThrow(
                () -> new FileFormatException("[%s] has nothing to be a column".formatted(row)));
    List<Proposal.Evidence> evidence = new ArrayList<>();
    evidence.add(
        new Proposal.Evidence(
            "row", row, "the element that [%s] lets repeat".formatted(schema.path())));
    evidence.addAll(shape.evidence());
    return Proposal.of(
        Naming.feed(schema.path(), names),
        connection,
        List.of(escaped(folder(schema.path()), false) + "*.xml"),
        List.of(schema.path()),
        new Proposal.Shape("xml", shape.formatLines(), shape.columns(), evidence));
  }

  /** The columns that a schema in the same folder declares for the row, if there is one. */
  private static Proposal.Shape asDeclared(
      Proposal.Shape guessed, FileDiscovery.Found document, List<FileDiscovery.Found> all)
      throws IOException {
    String row = guessed.evidence().get(0).choice();
    for (FileDiscovery.Found file : all) {
      boolean beside =
          file.path().endsWith(".xsd") && folder(file.path()).equals(folder(document.path()));
      Optional<Proposal.Shape> declared = beside ? XsdGuess.of(file, row) : Optional.empty();
      if (declared.isPresent()) {
        List<Proposal.Evidence> evidence = new ArrayList<>(guessed.evidence());
        evidence.addAll(declared.get().evidence());
        return new Proposal.Shape(
            "xml", declared.get().formatLines(), declared.get().columns(), evidence);
      }
    }
    return guessed;
  }

  /** The shape of one file, read as a feed of that format reads it. */
  static Optional<Proposal.Shape> shapeOf(FileDiscovery.Found file, FeedDefinition feed)
      throws IOException {
    FeedFormat format = feed.format();
    if (format instanceof FeedFormat.Parquet) {
      return Optional.of(ParquetGuess.of(file));
    }
    Optional<Sample> found = Sample.of(file);
    Optional<Sample> sample =
        found.isPresent() ? Optional.of(found.get().as(feed)) : Optional.empty();
    if (format instanceof FeedFormat.Json json) {
      return sample.flatMap(s -> JsonGuess.of(s, json.layout()));
    } else if (format instanceof FeedFormat.Xml xml) {
      return sample.flatMap(s -> XmlGuess.of(s, Optional.of(xml.row())));
    } else if (format instanceof FeedFormat.Delimited delimited) {
      return sample.flatMap(s -> DelimitedGuess.of(s, delimited.layout()));
    }
    return Optional.empty();
  }

  /** Wildcards in a name that is meant as it is. */
  private static String escaped(String path, boolean isPattern) {
    return isPattern ? path : path.replaceAll("([\\[\\]{}?*])", "[$1]");
  }

  /** What a path has in common with its like: numbers and dates become wildcards. */
  private static String pattern(String path) {
    int slash = path.lastIndexOf('/');
    String folder = path.substring(0, slash + 1).replaceAll("([^/=]+=)[^/]+", "$1*");
    String name = path.substring(slash + 1);
    int dot = name.indexOf('.');
    String stem = dot < 0 ? name : name.substring(0, dot);
    String ending = dot < 0 ? "" : name.substring(dot);
    return folder + stem.replaceAll("[0-9][0-9T:_-]*", "*").replaceAll("\\*+", "*") + ending;
  }

  private static Optional<Proposal.Shape> shape(List<FileDiscovery.Found> group)
      throws IOException {
    // The largest of the newest files tells the most.
    List<FileDiscovery.Found> bySize =
        group.stream()
            .sorted((a, b) -> Long.compare(b.sizeBytes(), a.sizeBytes()))
            .limit(3)
            .toList();
    for (FileDiscovery.Found file : bySize) {
      Optional<Sample> sample = Sample.of(file);
      if (sample.isEmpty()) {
        continue;
      }
      byte[] bytes = sample.get().bytes();
      if (bytes.length > 4 && new String(bytes, 0, 4, StandardCharsets.ISO_8859_1).equals("PAR1")) {
        return Optional.of(ParquetGuess.of(file));
      }
      if (sample.get().text().indexOf('\0') >= 0) {
        continue;
      }
      Optional<Proposal.Shape> shape =
          JsonGuess.of(sample.get())
              .or(() -> XmlGuess.of(sample.get()))
              .or(() -> DelimitedGuess.of(sample.get()))
              .or(() -> FixedWidthGuess.of(sample.get()))
              .or(() -> LinesGuess.of(sample.get()));
      if (shape.isPresent()) {
        return shape.map(s -> withFolders(s, file.path()));
      }
    }
    return Optional.empty();
  }

  private static Proposal.Shape withFolders(Proposal.Shape shape, String path) {
    List<Proposal.Column> columns = new ArrayList<>(shape.columns());
    Set<String> used = new HashSet<>();
    columns.forEach(c -> used.add(c.name()));
    String[] parts = path.split("/");
    for (int i = 0; i < parts.length - 1; i++) {
      int equals = parts[i].indexOf('=');
      if (equals > 0) {
        String name = parts[i].substring(0, equals);
        columns.add(
            ColumnGuess.of(
                Naming.column(name, used),
                List.of(new ColumnGuess.Value(1, Optional.of(parts[i].substring(equals + 1)))),
                Map.of("folder", Yaml.flow(name)),
                true));
      }
    }
    return new Proposal.Shape(shape.formatKey(), shape.formatLines(), columns, shape.evidence());
  }
}
