package yardage.core.feed;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.channels.SeekableByteChannel;
import java.nio.file.FileSystems;
import java.nio.file.FileVisitResult;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.Path;
import java.nio.file.PathMatcher;
import java.nio.file.SimpleFileVisitor;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.BasicFileAttributes;
import java.security.DigestInputStream;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;
import java.util.function.Predicate;
import yardage.core.exec.SideBySide;
import yardage.core.lake.RawFolders;

/**
 * Finds a feed's files below the inbox or a connection's folder. Links are not followed; hidden and
 * temporary names are skipped.
 */
public final class FileDiscovery {
  private static final List<String> TEMPORARY_ENDINGS = List.of(".tmp", ".part", ".partial", "~");

  private static final Comparator<Found> BY_PATH = Comparator.comparing(Found::path);

  private FileDiscovery() {}

  /**
   * A file that is there.
   *
   * @param path relative to the inbox, with slashes
   * @param modified in microseconds, as ledgers keep it: with the file system's nanoseconds no file
   *     would be known again, and each would be hashed in every run
   */
  public record Found(String path, long sizeBytes, Instant modified, Path location) {
    public Found {
      modified = modified.truncatedTo(ChronoUnit.MICROS);
    }

    /** The file for jumping about in; not what a link of its name leads to. */
    public SeekableByteChannel channel() throws IOException {
      return Files.newByteChannel(
          location, Set.of(StandardOpenOption.READ, LinkOption.NOFOLLOW_LINKS));
    }
  }

  /** The SHA-256 of a file as it lies on disk, in hexadecimal. */
  public static String sha256(Path file) {
    MessageDigest digest;
    try {
      digest = MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new AssertionError("Every Java platform has SHA-256", e);
    }
    try (InputStream in = new DigestInputStream(Files.newInputStream(file), digest)) {
      in.transferTo(OutputStream.nullOutputStream());
    } catch (IOException e) {
      throw new UncheckedIOException(
          "File [%s] cannot be read: %s".formatted(file, e.getMessage()), e);
    }
    return HexFormat.of().formatHex(digest.digest());
  }

  /** What is wrong with a pattern, if anything. */
  static Optional<String> complaint(String pattern) {
    if (pattern.startsWith("/")
        || pattern.contains("..")
        || pattern.contains("\\")
        || pattern.indexOf('\0') >= 0) {
      return Optional.of(
          "Pattern [%s] must stay below the inbox: no leading slash, no .. and no backslash"
              .formatted(pattern));
    }
    try {
      FileSystems.getDefault().getPathMatcher("glob:" + pattern);
      return Optional.empty();
    } catch (IllegalArgumentException e) {
      return Optional.of(
          "Pattern [%s] cannot be read: %s"
              .formatted(pattern, e.getMessage().lines().findFirst().orElse("")));
    }
  }

  /**
   * The folder that a feed's files are in.
   *
   * @throws FeedException when it is a connection that is not there
   */
  public static Path folder(RawFolders raw, FeedDefinition feed) {
    return feed.connection().map(name -> connection(raw, name)).orElse(raw.inbox());
  }

  /**
   * The folder of a connection.
   *
   * @throws FeedException when it is not there
   */
  public static Path connection(RawFolders raw, String name) {
    Path folder = raw.connections().get(name);
    if (folder == null) {
      throw new FeedException(
          "There is no connection [%s]; %s"
              .formatted(
                  name,
                  raw.connections().isEmpty()
                      ? "none is set up: the machine's administrator names folders in the service's settings"
                      : "known: " + String.join(", ", raw.connections().keySet())));
    }
    if (!Files.isDirectory(folder)) {
      throw new FeedException(
          "Connection [%s] is the folder [%s], which is not there; mount it, or change the service's settings"
              .formatted(name, folder));
    }
    return folder;
  }

  /** The patterns of a feed that none of the files found for it matches. */
  public static List<String> withoutFiles(FeedDefinition feed, List<Found> found) {
    return feed.files().stream()
        .filter(
            pattern -> {
              PathMatcher glob = glob(pattern);
              return found.stream()
                  .noneMatch(f -> !Replays.isReplay(f.path()) && glob.matches(Path.of(f.path())));
            })
        .toList();
  }

  static PathMatcher glob(String pattern) {
    return FileSystems.getDefault().getPathMatcher("glob:" + pattern);
  }

  /** The feed's files by path. */
  public static List<Found> find(RawFolders raw, FeedDefinition feed) {
    Path inbox = folder(raw, feed);
    List<Found> out = new ArrayList<>();
    for (String pattern : feed.files()) {
      boolean literal = isLiteral(pattern);
      Path exact = literal ? inbox.resolve(pattern) : null;
      if (literal && Files.isDirectory(exact, LinkOption.NOFOLLOW_LINKS)) {
        throw new FeedException(
            "Feed [%s] names the folder [%s] where it needs files; write %s/*"
                .formatted(feed.name(), pattern, pattern));
      }
      if (literal && !Files.exists(exact, LinkOption.NOFOLLOW_LINKS)) {
        throw new FeedException(
            "Feed [%s] names the file [%s], which is not in %s [%s]; put it there, or change the feed's files"
                .formatted(
                    feed.name(),
                    pattern,
                    feed.connection().map(c -> "connection " + c).orElse("the inbox"),
                    inbox));
      }
      walk(inbox, pattern, out);
    }
    out.addAll(Replays.find(raw.inbox(), feed.name()));
    return byPath(out);
  }

  /**
   * Files that match patterns, by path; a folder stands for all files in it.
   *
   * @throws FeedException when there are none
   */
  public static List<Found> matching(Path inbox, List<String> patterns) {
    List<Found> out = new ArrayList<>();
    for (String pattern : patterns) {
      complaint(pattern)
          .ifPresent(
              c -> {
                throw new FeedException(c);
              });
      boolean folder = Files.isDirectory(inbox.resolve(pattern), LinkOption.NOFOLLOW_LINKS);
      String all =
          pattern.isEmpty() || pattern.equals(".") ? "**" : pattern.replaceAll("/+$", "") + "/**";
      walk(inbox, folder ? all : pattern, out);
    }
    if (out.isEmpty()) {
      throw new FeedException(
          "No file in [%s] matches %s".formatted(inbox, String.join(", ", patterns)));
    }
    return byPath(out);
  }

  /** In the order of their paths, each once though several patterns match it. */
  private static List<Found> byPath(List<Found> found) {
    found.sort(BY_PATH);
    List<Found> out = new ArrayList<>(found.size());
    for (Found file : found) {
      if (out.isEmpty() || !out.get(out.size() - 1).path().equals(file.path())) {
        out.add(file);
      }
    }
    return Collections.unmodifiableList(out);
  }

  /** Looks only into the folders that a pattern can mean, several of them at once. */
  private static void walk(Path inbox, String pattern, List<Found> out) {
    Path start = inbox;
    String rest = pattern;
    int slash;
    while ((slash = rest.indexOf('/')) > 0 && isLiteral(rest.substring(0, slash))) {
      start = start.resolve(rest.substring(0, slash));
      rest = rest.substring(slash + 1);
      if (isPassedOver(start) || !Files.isDirectory(start, LinkOption.NOFOLLOW_LINKS)) {
        return;
      }
    }
    boolean anyDepth = rest.contains("**") || rest.contains("{");
    int depth = anyDepth ? Integer.MAX_VALUE : (int) rest.chars().filter(c -> c == '/').count() + 1;
    // Where all that is there is wanted, names need not be looked at, which takes longer than they.
    PathMatcher glob = glob(pattern);
    boolean all = rest.equals("**") || rest.equals("*");
    Predicate<Path> wanted = file -> all || glob.matches(inbox.relativize(file));
    List<Path> folders = new ArrayList<>();
    List<Found> found = visit(inbox, start, 1, wanted, folders::add);
    if (depth > 1) {
      // Folder by folder in order, so that there is little left to sort when all are found.
      folders.sort(Comparator.comparing(f -> f + "/"));
      List<Path> visited = folders.stream().filter(f -> !isPassedOver(f)).toList();
      found = new ArrayList<>(found);
      SideBySide.map(visited, f -> visit(inbox, f, depth - 1, wanted, deep -> {}))
          .forEach(found::addAll);
    }
    out.addAll(found);
  }

  /**
   * The files below a folder that match.
   *
   * @param deeper takes the folders that are too deep to be visited
   */
  private static List<Found> visit(
      Path inbox, Path start, int depth, Predicate<Path> wanted, Consumer<Path> deeper) {
    List<Found> out = new ArrayList<>();
    int prefix = inbox.resolve("x").toString().length() - 1;
    try {
      Files.walkFileTree(
          start,
          Set.of(),
          depth,
          new SimpleFileVisitor<>() {
            @Override
            public FileVisitResult preVisitDirectory(Path folder, BasicFileAttributes attributes) {
              return !folder.equals(start) && isPassedOver(folder)
                  ? FileVisitResult.SKIP_SUBTREE
                  : FileVisitResult.CONTINUE;
            }

            @Override
            public FileVisitResult visitFile(Path file, BasicFileAttributes attributes) {
              if (attributes.isDirectory()) {
                deeper.accept(file);
              } else if (attributes.isRegularFile() && !isPassedOver(file)) {
                if (wanted.test(file)) {
                  out.add(
                      new Found(
                          file.toString().substring(prefix),
                          attributes.size(),
                          attributes.lastModifiedTime().toInstant(),
                          file));
                }
              }
              return FileVisitResult.CONTINUE;
            }
          });
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot list the folder [%s]: %s".formatted(start, e.getMessage()), e);
    }
    out.sort(BY_PATH);
    return out;
  }

  private static boolean isLiteral(String pattern) {
    return pattern.chars().noneMatch(c -> "*?{[".indexOf(c) >= 0);
  }

  private static boolean isPassedOver(Path path) {
    String name = path.getFileName().toString();
    return name.startsWith(".") || TEMPORARY_ENDINGS.stream().anyMatch(name::endsWith);
  }
}
