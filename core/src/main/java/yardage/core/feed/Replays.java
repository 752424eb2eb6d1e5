package yardage.core.feed;

import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.BasicFileAttributes;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;

/**
 * Rows that were set aside and are to be taken in again, corrected or not. They become files of
 * their feed, in a hidden folder of the inbox: so the intake ledger sees to it that each is taken
 * once, and a feed that is read whole has them each time.
 */
public final class Replays {
  private static final String FOLDER = ".replayed";
  private static final String ORIGIN = ".origin";

  /** Behind the name of a file that no run reads yet, or no more. */
  private static final String HELD = ".held";

  /** The files after the first of a replay have its name and a number. */
  private static final Pattern MEMBER = Pattern.compile("(run-\\d+-\\d+)-\\d+");

  private static final ObjectMapper JSON = new ObjectMapper();

  private Replays() {}

  /**
   * A record as it shall be read, what must stand around it, and where it stood when it first came.
   */
  public record Line(
      String record, String before, String after, String file, long line, long byteOffset) {}

  /**
   * Where the records of a replay stood in the file that they came from.
   *
   * @param byLine for the line on which a record begins in the replay, its line and byte there
   */
  record Origin(String file, Map<Long, long[]> byLine) {
    long line(long replayed) {
      return byLine.containsKey(replayed) ? byLine.get(replayed)[0] : replayed;
    }

    long byteOffset(long replayed, long otherwise) {
      return byLine.containsKey(replayed) ? byLine.get(replayed)[1] : otherwise;
    }
  }

  /** Where the records of a replay come from; replays of before do not say. */
  static Optional<Origin> origin(Path replay) {
    Path told = replay.resolveSibling(replay.getFileName() + ORIGIN);
    if (!Files.exists(told)) {
      return Optional.empty();
    }
    try {
      return Optional.of(JSON.readValue(told.toFile(), Origin.class));
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot read where the replayed rows of [%s] come from".formatted(replay), e);
    }
  }

  static boolean isReplay(String path) {
    return path.startsWith(FOLDER + "/");
  }

  /** Where the replayed files of a feed are below the inbox, with a slash at its end. */
  public static String folderOf(String feed) {
    return FOLDER + "/" + feed + "/";
  }

  /** Gives replayed files a second place under another feed's name. */
  public static void copyFolder(Path inbox, String feed, String other) {
    Path from = inbox.resolve(FOLDER).resolve(feed);
    if (!Files.isDirectory(from)) {
      return;
    }
    Path to = inbox.resolve(FOLDER).resolve(other);
    try (Stream<Path> files = Files.list(from)) {
      Files.createDirectories(to);
      for (Path file : files.toList()) {
        Files.copy(
            file,
            to.resolve(file.getFileName()),
            StandardCopyOption.REPLACE_EXISTING,
            StandardCopyOption.COPY_ATTRIBUTES);
      }
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot copy [%s] to [%s]".formatted(from, to), e);
    }
  }

  /**
   * Ends the first place of replayed files that were copied. Files that came since the copy are
   * moved.
   */
  public static void leaveFolder(Path inbox, String feed, String other) {
    Path folder = inbox.resolve(FOLDER).resolve(feed);
    if (!Files.isDirectory(folder)) {
      return;
    }
    Path to = inbox.resolve(FOLDER).resolve(other);
    try (Stream<Path> files = Files.list(folder)) {
      Files.createDirectories(to);
      for (Path file : files.toList()) {
        if (Files.exists(to.resolve(file.getFileName()))) {
          Files.delete(file);
        } else {
          Files.move(file, to.resolve(file.getFileName()));
        }
      }
      Files.delete(folder);
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot move [%s] to [%s]".formatted(folder, to), e);
    }
  }

  /** The replayed files of a feed. */
  static List<FileDiscovery.Found> find(Path inbox, String feed) {
    Path folder = inbox.resolve(FOLDER).resolve(feed);
    if (!Files.isDirectory(folder)) {
      return List.of();
    }
    try (Stream<Path> files = Files.list(folder)) {
      List<FileDiscovery.Found> out = new ArrayList<>();
      for (Path file : files.filter(Replays::isWhole).sorted().toList()) {
        BasicFileAttributes a = Files.readAttributes(file, BasicFileAttributes.class);
        out.add(
            new FileDiscovery.Found(
                inbox.relativize(file).toString(),
                a.size(),
                a.lastModifiedTime().toInstant(),
                file));
      }
      return out;
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot list [%s]".formatted(folder), e);
    }
  }

  /** A record that was replayed before, as it stood in the file that it first came from. */
  public static Line traced(Path inbox, Line line) {
    Optional<Origin> from =
        isReplay(line.file()) ? origin(inbox.resolve(line.file())) : Optional.empty();
    return from.map(
            o ->
                new Line(
                    line.record(),
                    line.before(),
                    line.after(),
                    o.file(),
                    o.line(line.line()),
                    o.byteOffset(line.line(), line.byteOffset())))
        .orElse(line);
  }

  private static boolean isWhole(Path file) {
    String name = file.toString();
    return !name.endsWith(".tmp") && !name.endsWith(ORIGIN) && !name.endsWith(HELD);
  }

  /**
   * Makes files of some rows, one for each file that they come from. They are held: nobody reads
   * them before {@link #release}.
   *
   * @param name a name never used before: {@code run-}, the run, and a number
   * @return the files' paths below the inbox
   */
  public static List<String> write(Path inbox, FeedDefinition feed, String name, List<Line> lines) {
    Map<String, List<Line>> alike = new LinkedHashMap<>();
    lines.forEach(
        l ->
            alike
                .computeIfAbsent(
                    l.file() + "\0" + l.before() + "\0" + l.after(), k -> new ArrayList<>())
                .add(l));
    List<String> out = new ArrayList<>();
    Path folder = inbox.resolve(FOLDER).resolve(feed.name());
    try {
      Files.createDirectories(folder);
      for (List<Line> group : alike.values()) {
        Path file = folder.resolve(name + (out.isEmpty() ? "" : "-" + (out.size() + 1)));
        JSON.writeValue(
            folder.resolve(file.getFileName() + ORIGIN).toFile(), originOf(feed, group));
        Files.writeString(heldPlace(file), text(feed, group), StandardCharsets.UTF_8);
        out.add(inbox.relativize(file).toString());
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "The rows cannot be kept in [%s]: %s".formatted(folder, e.getMessage()), e);
    }
    return out;
  }

  /** Where records of one file come from, once {@link #text} has put them one behind the other. */
  static Origin originOf(FeedDefinition feed, List<Line> lines) {
    Map<Long, long[]> places = new LinkedHashMap<>();
    text(feed, lines, (line, l) -> places.put(line, new long[] {l.line(), l.byteOffset()}));
    return new Origin(lines.get(0).file(), places);
  }

  private static Path heldPlace(Path file) {
    return file.resolveSibling(file.getFileName() + HELD);
  }

  /** All files that {@link #write} made in one go, held or not, by the first of them. */
  public static List<String> group(Path inbox, String first) {
    List<String> out = new ArrayList<>();
    for (int i = 1; ; i++) {
      String file = first + (i == 1 ? "" : "-" + i);
      if (!Files.exists(inbox.resolve(file)) && !Files.exists(heldPlace(inbox.resolve(file)))) {
        return out;
      }
      out.add(file);
    }
  }

  /** Lets runs read files. Those that are read already stay as they are. */
  public static void release(Path inbox, List<String> files) {
    files.forEach(f -> move(heldPlace(inbox.resolve(f)), inbox.resolve(f)));
  }

  /** Keeps files from runs, without removing them. */
  public static void hold(Path inbox, List<String> files) {
    files.forEach(f -> move(inbox.resolve(f), heldPlace(inbox.resolve(f))));
  }

  private static void move(Path from, Path to) {
    try {
      if (Files.exists(from)) {
        Files.move(from, to, StandardCopyOption.ATOMIC_MOVE);
      }
    } catch (NoSuchFileException e) {
      // Moved by somebody else meanwhile.
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot move [%s] to [%s]".formatted(from, to), e);
    }
  }

  /** The first files of replays with a file that is held, and when that was written. */
  public static Map<String, Instant> held(Path inbox) {
    Path folder = inbox.resolve(FOLDER);
    Map<String, Instant> out = new TreeMap<>();
    if (!Files.isDirectory(folder)) {
      return out;
    }
    try (Stream<Path> files = Files.walk(folder, 2)) {
      for (Path file : files.filter(f -> f.toString().endsWith(HELD)).toList()) {
        String path = inbox.relativize(file).toString();
        Path whole = Path.of(path.substring(0, path.length() - HELD.length()));
        String name = whole.getFileName().toString();
        Matcher member = MEMBER.matcher(name);
        out.merge(
            whole.resolveSibling(member.matches() ? member.group(1) : name).toString(),
            Files.getLastModifiedTime(file).toInstant(),
            (a, b) -> a.isAfter(b) ? a : b);
      }
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot list [%s]".formatted(folder), e);
    }
    return out;
  }

  /** Takes back files that {@link #write} made. */
  public static void remove(Path inbox, List<String> files) {
    for (String file : files) {
      try {
        Files.deleteIfExists(inbox.resolve(file));
        Files.deleteIfExists(heldPlace(inbox.resolve(file)));
        Files.deleteIfExists(inbox.resolve(file + ORIGIN));
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
  }

  /** Some records as a file of the feed. */
  public static String text(FeedDefinition feed, List<Line> lines) {
    return text(feed, lines, (line, record) -> {});
  }

  /**
   * @param begins takes the 1-based line on which each record begins
   */
  private static String text(FeedDefinition feed, List<Line> lines, BiConsumer<Long, Line> begins) {
    StringBuilder out = new StringBuilder("\n".repeat(feed.format().skipLines()));
    out.append(lines.get(0).before());
    if (out.length() > 0) {
      out.append('\n');
    }
    long line = 1 + out.chars().filter(c -> c == '\n').count();
    for (Line l : lines) {
      begins.accept(line, l);
      out.append(l.record()).append('\n');
      line += 1 + l.record().chars().filter(c -> c == '\n').count();
    }
    return out.append(lines.get(0).after()).toString();
  }
}
