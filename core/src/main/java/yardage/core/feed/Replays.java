package yardage.core.feed;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.BasicFileAttributes;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;

/**
 * Rows that were set aside and are to be taken in again, corrected or not. They become files of
 * their feed, in a hidden folder of the inbox: so the intake ledger sees to it that each is taken
 * once, and a feed that is read whole has them each time.
 */
public final class Replays {
  private static final String FOLDER = ".replayed";

  private Replays() {}

  /** A record as it shall be read, and what must stand around it. */
  public record Line(String record, String before, String after) {}

  static boolean isReplay(String path) {
    return path.startsWith(FOLDER + "/");
  }

  /** The replayed files of a feed. */
  static List<FileDiscovery.Found> find(Path inbox, String feed) {
    Path folder = inbox.resolve(FOLDER).resolve(feed);
    if (!Files.isDirectory(folder)) {
      return List.of();
    }
    try (Stream<Path> files = Files.list(folder)) {
      List<FileDiscovery.Found> out = new ArrayList<>();
      for (Path file : files.filter(f -> !f.toString().endsWith(".tmp")).sorted().toList()) {
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

  /**
   * Makes files of some rows, one for each way in which their files begin.
   *
   * @param name unlike any before, such as the run and a number
   * @return the files' paths below the inbox
   */
  public static List<String> write(Path inbox, FeedDefinition feed, String name, List<Line> lines) {
    Map<String, List<Line>> alike = new LinkedHashMap<>();
    lines.forEach(
        l -> alike.computeIfAbsent(l.before() + "\0" + l.after(), k -> new ArrayList<>()).add(l));
    List<String> out = new ArrayList<>();
    Path folder = inbox.resolve(FOLDER).resolve(feed.name());
    try {
      Files.createDirectories(folder);
      for (List<Line> group : alike.values()) {
        Path file = folder.resolve(name + (out.isEmpty() ? "" : "-" + (out.size() + 1)));
        Path written = folder.resolve(file.getFileName() + ".tmp");
        Files.writeString(written, text(feed, group), StandardCharsets.UTF_8);
        Files.move(written, file, StandardCopyOption.ATOMIC_MOVE);
        out.add(inbox.relativize(file).toString());
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "The rows cannot be kept in [%s]: %s".formatted(folder, e.getMessage()), e);
    }
    return out;
  }

  /** Takes back files that {@link #write} made. */
  public static void remove(Path inbox, List<String> files) {
    for (String file : files) {
      try {
        Files.deleteIfExists(inbox.resolve(file));
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
  }

  /** Some records as a file of the feed. */
  public static String text(FeedDefinition feed, List<Line> lines) {
    StringBuilder out = new StringBuilder("\n".repeat(skipLines(feed.format())));
    out.append(lines.get(0).before());
    if (out.length() > 0) {
      out.append('\n');
    }
    lines.forEach(l -> out.append(l.record()).append('\n'));
    return out.append(lines.get(0).after()).toString();
  }

  private static int skipLines(FeedFormat format) {
    if (format instanceof FeedFormat.Delimited d) {
      return d.layout().skipLines();
    } else if (format instanceof FeedFormat.FixedWidth f) {
      return f.skipLines();
    } else if (format instanceof FeedFormat.Lines l) {
      return l.skipLines();
    }
    return 0;
  }
}
