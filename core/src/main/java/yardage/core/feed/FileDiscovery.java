package yardage.core.feed;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
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
import java.util.function.Predicate;
import yardage.core.exec.SideBySide;
import yardage.core.lake.RawFolders;
import yardage.core.storage.Address;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

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
  public record Found(String path, long sizeBytes, Instant modified, Place location) {
    public Found {
      modified = modified.truncatedTo(ChronoUnit.MICROS);
    }

    /** The file as plans name it. */
    public FeedFile inPlan() {
      return new FeedFile(path, sizeBytes, modified, location.address());
    }

    static Found of(Place inbox, Storage.Stat found) {
      return new Found(
          found.address().relativeTo(inbox.address()),
          found.sizeBytes(),
          found.modified(),
          inbox.at(found.address()));
    }
  }

  /** The SHA-256 of a file as it lies on disk, in hexadecimal. */
  public static String sha256(Place file) {
    MessageDigest digest;
    try {
      digest = MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new AssertionError("Every Java platform has SHA-256", e);
    }
    try (InputStream in = new DigestInputStream(file.read(), digest)) {
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
      Glob.compile(pattern);
      return Optional.empty();
    } catch (IllegalArgumentException e) {
      return Optional.of("Pattern [%s] cannot be read: %s".formatted(pattern, e.getMessage()));
    }
  }

  /**
   * The folder that a feed's files are in.
   *
   * @throws FeedException when it is a connection that is not there
   */
  public static Place folder(RawFolders raw, FeedDefinition feed) {
    return feed.connection().map(name -> connection(raw, name)).orElse(raw.inbox());
  }

  /**
   * The folder of a connection.
   *
   * @throws FeedException when it is not there
   */
  public static Place connection(RawFolders raw, String name) {
    Place folder = raw.connections().get(name);
    if (folder == null) {
      throw new FeedException(
          "There is no connection [%s]; %s"
              .formatted(
                  name,
                  raw.connections().isEmpty()
                      ? "none is set up: the machine's administrator names folders in the service's settings"
                      : "known: " + String.join(", ", raw.connections().keySet())));
    }
    if (!folder.isFolder()) {
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
              Glob glob = Glob.compile(pattern);
              return found.stream()
                  .noneMatch(f -> !Replays.isReplay(f.path()) && glob.matches(f.path()));
            })
        .toList();
  }

  /** The feed's files by path. */
  public static List<Found> find(RawFolders raw, FeedDefinition feed) {
    Place inbox = folder(raw, feed);
    List<Found> out = new ArrayList<>();
    for (String pattern : feed.files()) {
      if (isLiteral(pattern)) {
        literal(feed, inbox, pattern);
      }
      walk(inbox, pattern, out);
    }
    out.addAll(Replays.find(raw.inbox(), feed.name()));
    return byPath(out);
  }

  private static void literal(FeedDefinition feed, Place inbox, String pattern) {
    Place exact = inbox.child(pattern);
    if (exact.isFolder()) {
      throw new FeedException(
          "Feed [%s] names the folder [%s] where it needs files; write %s/*"
              .formatted(feed.name(), pattern, pattern));
    }
    if (!exact.exists()) {
      throw new FeedException(
          "Feed [%s] names the file [%s], which is not in %s [%s]; put it there, or change the feed's files"
              .formatted(
                  feed.name(),
                  pattern,
                  feed.connection().map(c -> "connection " + c).orElse("the inbox"),
                  inbox));
    }
  }

  /**
   * Files that match patterns, by path; a folder stands for all files in it.
   *
   * @throws FeedException when there are none
   */
  public static List<Found> matching(Place inbox, List<String> patterns) {
    List<Found> out = new ArrayList<>();
    for (String pattern : patterns) {
      complaint(pattern)
          .ifPresent(
              c -> {
                throw new FeedException(c);
              });
      String folder = pattern.replaceAll("/+$", "");
      if (folder.isEmpty() || folder.equals(".")) {
        walk(inbox, "**", out);
      } else {
        walk(inbox, inbox.child(folder).isFolder() ? folder + "/**" : pattern, out);
      }
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
  private static void walk(Place inbox, String pattern, List<Found> out) {
    Place start = inbox;
    String rest = pattern;
    int slash;
    while ((slash = rest.indexOf('/')) > 0 && isLiteral(rest.substring(0, slash))) {
      start = start.child(rest.substring(0, slash));
      rest = rest.substring(slash + 1);
      if (isPassedOver(start.address()) || !start.isFolder()) {
        return;
      }
    }
    boolean anyDepth = rest.contains("**") || rest.contains("{");
    int depth = anyDepth ? Integer.MAX_VALUE : (int) rest.chars().filter(c -> c == '/').count() + 1;
    // Where all that is there is wanted, names need not be looked at, which takes longer than they.
    Glob glob = Glob.compile(pattern);
    boolean all = rest.equals("**") || rest.equals("*");
    Predicate<Found> wanted = file -> all || glob.matches(file.path());
    Storage.Listing top = start.list();
    List<Found> found = found(inbox, top, wanted);
    if (depth > 1) {
      // Folder by folder in order, so that there is little left to sort when all are found.
      List<Address> folders = new ArrayList<>(top.folders());
      folders.sort(Comparator.comparing(f -> f + "/"));
      folders.removeIf(FileDiscovery::isPassedOver);
      SideBySide.map(folders, f -> below(inbox, inbox.at(f), depth - 1, wanted))
          .forEach(found::addAll);
    }
    out.addAll(found);
  }

  private static List<Found> below(Place inbox, Place folder, int depth, Predicate<Found> wanted) {
    Storage.Listing there = folder.list();
    List<Found> out = found(inbox, there, wanted);
    if (depth > 1) {
      for (Address deeper : there.folders()) {
        if (!isPassedOver(deeper)) {
          out.addAll(below(inbox, inbox.at(deeper), depth - 1, wanted));
        }
      }
      out.sort(BY_PATH);
    }
    return out;
  }

  private static List<Found> found(Place inbox, Storage.Listing there, Predicate<Found> wanted) {
    List<Found> out = new ArrayList<>();
    for (Storage.Stat object : there.objects()) {
      Found file = Found.of(inbox, object);
      if (!isPassedOver(object.address()) && wanted.test(file)) {
        out.add(file);
      }
    }
    out.sort(BY_PATH);
    return out;
  }

  private static boolean isLiteral(String pattern) {
    return pattern.chars().noneMatch(c -> "*?{[".indexOf(c) >= 0);
  }

  private static boolean isPassedOver(Address address) {
    String name = address.name();
    return name.startsWith(".") || TEMPORARY_ENDINGS.stream().anyMatch(name::endsWith);
  }
}
