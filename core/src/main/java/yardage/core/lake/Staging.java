package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.stream.Stream;

/**
 * The files that one run has made and not yet published. Each is noted in a log on disk before it
 * is created, so that whoever finds the log of a run that died can remove them all. Thread-safe.
 */
public final class Staging implements AutoCloseable {
  private final Path log;
  private final FileChannel channel;
  private final List<Path> files = new ArrayList<>();
  private boolean handedOver;

  private Staging(Path log) {
    this.log = log;
    try {
      Files.createDirectories(log.getParent());
      channel =
          FileChannel.open(
              log, StandardOpenOption.CREATE, StandardOpenOption.WRITE, StandardOpenOption.APPEND);
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot write the staging log [%s]: %s".formatted(log, e.getMessage()), e);
    }
  }

  static Staging open(Path folder, String run) {
    return new Staging(folder.resolve(run + ".log"));
  }

  /** Notes a file that is about to be made, and makes its folder. */
  public synchronized void note(Path file) {
    try {
      byte[] line = (file + "\n").getBytes(StandardCharsets.UTF_8);
      java.nio.ByteBuffer buffer = java.nio.ByteBuffer.wrap(line);
      while (buffer.hasRemaining()) {
        channel.write(buffer);
      }
      files.add(file);
      Files.createDirectories(file.getParent());
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot write the staging log [%s]: %s".formatted(log, e.getMessage()), e);
    }
  }

  /** How many files were noted so far; a mark for {@link #discardSince}. */
  public synchronized int mark() {
    return files.size();
  }

  /** Removes the files noted since a mark: those of an attempt that was not published. */
  public synchronized void discardSince(int mark) {
    handedOver = false;
    List<Path> late = files.subList(mark, files.size());
    late.forEach(Staging::delete);
    late.clear();
  }

  /** Removes files that were noted, and will not be published. */
  public synchronized void discard(Collection<Path> gone) {
    gone.forEach(Staging::delete);
    files.removeAll(Set.copyOf(gone));
  }

  /** Forces the files' bytes to the disk, so that what gets published survives a power cut. */
  synchronized void force() {
    for (Path file : files) {
      if (Files.exists(file)) {
        try (FileChannel c = FileChannel.open(file, StandardOpenOption.WRITE)) {
          c.force(true);
        } catch (IOException e) {
          throw new UncheckedIOException(
              "Cannot force [%s] to the disk: %s".formatted(file, e.getMessage()), e);
        }
      }
    }
  }

  /**
   * From here on somebody else may move pointers to the files. Until it is known whether that
   * happened, {@link #abandon} leaves files and log to {@link #settle}.
   */
  synchronized void handOver() {
    handedOver = true;
  }

  /** The files are published: forgets them. */
  public synchronized void published() {
    close();
    delete(log);
  }

  /** Removes all files that were noted, unless they may have been published. */
  public synchronized void abandon() {
    close();
    if (handedOver) {
      return;
    }
    files.forEach(Staging::delete);
    delete(log);
  }

  @Override
  public synchronized void close() {
    try {
      channel.close();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** The runs that have left a log behind. */
  static List<String> leftBehind(Path folder) {
    if (!Files.isDirectory(folder)) {
      return List.of();
    }
    try (Stream<Path> logs = Files.list(folder)) {
      return logs.map(p -> p.getFileName().toString())
          .filter(n -> n.endsWith(".log"))
          .map(n -> n.substring(0, n.length() - 4))
          .sorted()
          .toList();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** All files that any log names. */
  static Set<String> noted(Path folder) {
    Set<String> out = new HashSet<>();
    for (String run : leftBehind(folder)) {
      try {
        out.addAll(Files.readAllLines(folder.resolve(run + ".log")));
      } catch (NoSuchFileException e) {
        // It has ended meanwhile: published, or gone with its files.
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
    return out;
  }

  /**
   * Settles the log of a run that died: its files go, unless it was published; returns how many
   * files went. A log of a lake that was copied names the other's files: only those below {@code
   * tables} are this one's to remove.
   */
  static int settle(Path folder, Path tables, String run, boolean wasPublished) {
    Path log = folder.resolve(run + ".log");
    int removed = 0;
    try {
      if (!wasPublished) {
        for (String line : Files.readAllLines(log)) {
          Path file = Path.of(line).normalize();
          boolean own = file.startsWith(tables) && !file.equals(tables);
          removed += own && Files.deleteIfExists(file) ? 1 : 0;
        }
      }
      Files.deleteIfExists(log);
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot clean up after run %s: %s".formatted(run, e.getMessage()), e);
    }
    return removed;
  }

  static boolean forgetIfOlder(Path folder, String run, Instant time) {
    try {
      return isOlder(folder, run, time) && Files.deleteIfExists(folder.resolve(run + ".log"));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** Whether nothing was noted in a log since a time; not for one that is gone. */
  static boolean isOlder(Path folder, String run, Instant time) {
    try {
      return Files.getLastModifiedTime(folder.resolve(run + ".log")).toInstant().isBefore(time);
    } catch (NoSuchFileException e) {
      return false;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static void delete(Path file) {
    try {
      Files.deleteIfExists(file);
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot remove [%s]: %s".formatted(file, e.getMessage()), e);
    }
  }
}
