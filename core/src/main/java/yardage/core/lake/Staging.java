package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.NoSuchFileException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import yardage.core.storage.Address;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

/**
 * The files that one run has made and not yet published. Each is noted in a log before it is
 * created, so that whoever finds the log of a run that died can remove them all. A log is a few
 * small objects, {@code RUN.log} and {@code RUN.N.log}, since objects cannot be added to.
 * Thread-safe.
 */
public final class Staging implements AutoCloseable {
  private static final Pattern LOG = Pattern.compile("(.+?)(?:\\.(\\d{1,9}))?\\.log");

  private final Place folder;
  private final String run;
  private final List<Address> files = new ArrayList<>();
  private int notes;
  private boolean handedOver;

  private Staging(Place folder, String run) {
    this.folder = folder;
    this.run = run;
    // What was noted under this name before stays noted.
    this.notes = logs(folder, run).stream().mapToInt(Staging::number).max().orElse(-1) + 1;
    append("");
  }

  static Staging open(Place folder, String run) {
    return new Staging(folder, run);
  }

  private void append(String line) {
    Place log = folder.child(run + (notes == 0 ? "" : "." + notes) + ".log");
    try {
      log.put(line);
      notes++;
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot write the staging log [%s]: %s".formatted(log, e.getMessage()), e);
    }
  }

  /** Notes a file that is about to be made. */
  public synchronized void note(Address file) {
    append(file + "\n");
    files.add(file);
  }

  /** How many files were noted so far; a mark for {@link #discardSince}. */
  public synchronized int mark() {
    return files.size();
  }

  /** Removes the files noted since a mark: those of an attempt that was not published. */
  public synchronized void discardSince(int mark) {
    handedOver = false;
    List<Address> late = files.subList(mark, files.size());
    late.forEach(this::delete);
    late.clear();
  }

  /** Removes files that were noted, and will not be published. */
  public synchronized void discard(Collection<Address> gone) {
    gone.forEach(this::delete);
    files.removeAll(Set.copyOf(gone));
  }

  private void delete(Address file) {
    folder.at(file).delete();
  }

  /** Sees to it that what gets published survives a power cut. */
  synchronized void settle() {
    for (Address file : files) {
      try {
        folder.storage().settle(file);
      } catch (NoSuchFileException e) {
        // It was noted, and never made.
      } catch (IOException e) {
        throw new UncheckedIOException(
            "Cannot force [%s] to the disk: %s".formatted(file, e.getMessage()), e);
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
    removeLog();
  }

  private void removeLog() {
    remove(folder, logs(folder, run));
  }

  private static void remove(Place folder, List<Storage.Stat> logs) {
    logs.forEach(l -> folder.at(l.address()).delete());
  }

  /** Removes all files that were noted, unless they may have been published. */
  public synchronized void abandon() {
    if (handedOver) {
      return;
    }
    files.forEach(this::delete);
    removeLog();
  }

  /** Leaves the files and their log as they are. */
  @Override
  public void close() {
    // Nothing is open.
  }

  /** The runs that have left a log behind. */
  static List<String> leftBehind(Place folder) {
    return folder.objects().stream()
        .map(o -> LOG.matcher(o.address().name()))
        .filter(Matcher::matches)
        .map(m -> m.group(1))
        .distinct()
        .sorted()
        .toList();
  }

  private static List<Storage.Stat> logs(Place folder, String run) {
    return folder.objects().stream()
        .filter(
            o -> {
              Matcher m = LOG.matcher(o.address().name());
              return m.matches() && m.group(1).equals(run);
            })
        .toList();
  }

  private static int number(Storage.Stat log) {
    Matcher m = LOG.matcher(log.address().name());
    return m.matches() && m.group(2) != null ? Integer.parseInt(m.group(2)) : 0;
  }

  private static List<String> lines(Place folder, List<Storage.Stat> logs) throws IOException {
    List<String> out = new ArrayList<>();
    for (Storage.Stat log : logs) {
      try {
        folder.at(log.address()).readText().lines().filter(l -> !l.isBlank()).forEach(out::add);
      } catch (NoSuchFileException e) {
        // It has ended meanwhile: published, or gone with its files.
      }
    }
    return out;
  }

  /** All files that any log names. */
  static Set<String> noted(Place folder) {
    try {
      List<Storage.Stat> logs =
          folder.objects().stream().filter(o -> LOG.matcher(o.address().name()).matches()).toList();
      return new HashSet<>(lines(folder, logs));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /**
   * Settles the log of a run that died: its files go, unless it was published; returns how many
   * files went. A log of a lake that was copied names the other's files: only those below {@code
   * tables} are this one's to remove.
   */
  static int settle(Place folder, Address tables, String run, boolean wasPublished) {
    int removed = 0;
    List<Storage.Stat> logs = logs(folder, run);
    try {
      if (!wasPublished) {
        for (String line : lines(folder, logs)) {
          // The last line of a log that a power cut broke may be half a name, as that of a folder.
          Place file = folder.at(new Address(line));
          boolean own = file.address().isBelow(tables) && file.exists();
          removed += own && file.delete() ? 1 : 0;
        }
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot clean up after run %s: %s".formatted(run, e.getMessage()), e);
    }
    remove(folder, logs);
    return removed;
  }

  static boolean forgetIfOlder(Place folder, String run, Instant time) {
    if (!isOlder(folder, run, time)) {
      return false;
    }
    remove(folder, logs(folder, run));
    return true;
  }

  /** Whether nothing was noted in a log since a time; not for one that is gone. */
  static boolean isOlder(Place folder, String run, Instant time) {
    List<Storage.Stat> logs = logs(folder, run);
    return !logs.isEmpty() && logs.stream().allMatch(l -> l.modified().isBefore(time));
  }
}
