package yardage.core.feed;

import java.time.Instant;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import yardage.core.exec.SideBySide;

/**
 * Chooses the files that a run takes.
 *
 * @param taken in the order in which they are read
 * @param replaced paths of those whose earlier rows must go, since theirs take their place
 * @param notes what else was found, for the run's log
 */
public record IntakeChoice(
    List<FileDiscovery.Found> taken, List<String> notes, Set<String> replaced) {

  public IntakeChoice {
    taken = List.copyOf(taken);
    notes = List.copyOf(notes);
    replaced = Set.copyOf(replaced);
  }

  /**
   * @param found all files that the feed names
   * @param known those that were taken in before, by path
   * @param earlier contents that files had before, whose rows are still there, by hash
   * @throws FeedException when a file was replaced or is there again, and the feed wants to stop
   *     then
   */
  public static IntakeChoice of(
      FeedDefinition feed,
      List<FileDiscovery.Found> found,
      Map<String, KnownFiles.Known> known,
      Map<String, KnownFiles.Earlier> earlier,
      Instant now) {
    IntakePolicy policy = feed.intake();
    List<String> notes = new ArrayList<>();
    Set<String> replaced = new HashSet<>();
    List<FileDiscovery.Found> still = new ArrayList<>();
    for (FileDiscovery.Found file : found) {
      if (policy.doneFile().isPresent() && !Replays.isReplay(file.path())) {
        if (policy.doneFile().get().isMark(file)) {
          continue;
        }
        if (!policy.doneFile().get().isThereFor(file)) {
          notes.add(
              "%s waits: its done file [%s] is not there"
                  .formatted(file.path(), policy.doneFile().get().of(file)));
          continue;
        }
      }
      if (policy.stillFor().isZero()
          || Replays.isReplay(file.path())
          || !file.modified().plus(policy.stillFor()).isAfter(now)) {
        still.add(file);
      } else {
        notes.add("%s waits: it changed a moment ago".formatted(file.path()));
      }
    }
    List<FileDiscovery.Found> wanted =
        policy.onlyNew()
            ? new Choosing(feed, known, earlier, notes, replaced).onlyNew(still)
            : still;
    wanted = ordered(wanted, policy.order());
    List<FileDiscovery.Found> taken = new ArrayList<>();
    long bytes = 0;
    for (FileDiscovery.Found file : wanted) {
      boolean full =
          taken.size() >= policy.mostFiles()
              || (!taken.isEmpty() && bytes + file.sizeBytes() > policy.mostBytes());
      if (full) {
        notes.add(
            "%,d files wait for the next run, since the feed's intake is limited"
                .formatted(wanted.size() - taken.size()));
        break;
      }
      taken.add(file);
      bytes += file.sizeBytes();
    }
    Set<String> paths = taken.stream().map(FileDiscovery.Found::path).collect(Collectors.toSet());
    replaced.retainAll(paths);
    return new IntakeChoice(taken, notes, replaced);
  }

  private static List<FileDiscovery.Found> ordered(
      List<FileDiscovery.Found> files, IntakePolicy.Order order) {
    Comparator<FileDiscovery.Found> byTime =
        Comparator.comparing(FileDiscovery.Found::modified)
            .thenComparing(FileDiscovery.Found::path);
    return switch (order) {
      case NAME -> files;
      case OLDEST -> files.stream().sorted(byTime).toList();
      case NEWEST -> files.stream().sorted(byTime.reversed()).toList();
    };
  }

  /** Tells new files from those that were there before in some way. */
  private static final class Choosing {
    private final FeedDefinition feed;
    private final Map<String, KnownFiles.Known> known;
    private final List<String> notes;
    private final Map<String, String> pathByHash = new HashMap<>();
    private final Map<String, KnownFiles.Earlier> earlier;
    private final Set<String> replaced;
    private final boolean holdsHashesOfBefore;

    /** The hashes of the files whose contents have to be known, by path. */
    private Map<String, String> hashes = Map.of();

    Choosing(
        FeedDefinition feed,
        Map<String, KnownFiles.Known> known,
        Map<String, KnownFiles.Earlier> earlier,
        List<String> notes,
        Set<String> replaced) {
      this.feed = feed;
      this.known = known;
      this.notes = notes;
      this.replaced = replaced;
      // Where files are replaced, the rows of their earlier contents are gone.
      this.earlier = feed.intake().replaced() == IntakePolicy.Again.REPLACE ? Map.of() : earlier;
      this.earlier.forEach((hash, e) -> pathByHash.put(hash, e.path()));
      known.forEach((path, k) -> pathByHash.put(k.contentHash(), path));
      this.holdsHashesOfBefore =
          known.values().stream().anyMatch(k -> ContentHash.isOfBefore(k.contentHash()));
    }

    List<FileDiscovery.Found> onlyNew(Collection<FileDiscovery.Found> files) {
      List<FileDiscovery.Found> unknown = List.copyOf(toHash(files));
      List<String> found = SideBySide.map(unknown, f -> ContentHash.of(f.location()));
      hashes = new HashMap<>();
      for (int i = 0; i < unknown.size(); i++) {
        hashes.put(unknown.get(i).path(), found.get(i));
      }
      List<FileDiscovery.Found> out = new ArrayList<>();
      for (FileDiscovery.Found file : files) {
        KnownFiles.Known before = known.get(file.path());
        if (before == null ? isWanted(file) : isReplacedAndWanted(file, before)) {
          out.add(file);
        }
      }
      return out;
    }

    /**
     * New files as large as another, new or known, may be its twins; known ones whose time has
     * changed may be what they were. All are read at once, as there may be very many.
     */
    private List<FileDiscovery.Found> toHash(Collection<FileDiscovery.Found> files) {
      Map<Long, Integer> ofSize = new HashMap<>();
      known.values().forEach(k -> ofSize.merge(k.sizeBytes(), 1, Integer::sum));
      earlier.values().forEach(e -> ofSize.merge(e.sizeBytes(), 1, Integer::sum));
      List<FileDiscovery.Found> changed = files.stream().filter(f -> !isUnchanged(f)).toList();
      changed.forEach(f -> ofSize.merge(f.sizeBytes(), 1, Integer::sum));
      return changed.stream()
          .filter(
              f -> known.containsKey(f.path()) || asksForTwins(f) && ofSize.get(f.sizeBytes()) > 1)
          .toList();
    }

    private boolean isUnchanged(FileDiscovery.Found file) {
      KnownFiles.Known before = known.get(file.path());
      return before != null
          && before.sizeBytes() == file.sizeBytes()
          && before.modified().equals(file.modified());
    }

    private boolean asksForTwins(FileDiscovery.Found file) {
      return feed.intake().repeated() != IntakePolicy.Again.TAKE && file.sizeBytes() > 0;
    }

    private boolean isReplacedAndWanted(FileDiscovery.Found file, KnownFiles.Known before) {
      if (isUnchanged(file)) {
        return false;
      }
      String hash = hashes.get(file.path());
      boolean same =
          ContentHash.isOfBefore(before.contentHash())
              ? FileDiscovery.sha256(file.location()).equals(before.contentHash())
              : hash.equals(before.contentHash());
      if (same) {
        return false;
      }
      KnownFiles.Earlier once = earlier.get(hash);
      if (once != null
          && !wanted(
              feed.intake().repeated(),
              "file [%s] has the contents again that were taken in as [%s] before"
                  .formatted(file.path(), once.path()),
              "repeated")) {
        return false;
      }
      boolean taken =
          wanted(
              feed.intake().replaced(),
              "file [%s] was taken in before and has other contents now".formatted(file.path()),
              "replaced");
      if (taken) {
        pathByHash.putIfAbsent(hash, file.path());
      }
      if (taken && feed.intake().replaced() == IntakePolicy.Again.REPLACE) {
        replaced.add(file.path());
      }
      return taken;
    }

    /** A new name, whose contents may have been there before. */
    private boolean isWanted(FileDiscovery.Found file) {
      String hash = asksForTwins(file) ? hashes.get(file.path()) : null;
      if (hash == null) {
        return true;
      }
      String twin = pathByHash.get(hash);
      if (twin == null && holdsHashesOfBefore) {
        twin = pathByHash.get(FileDiscovery.sha256(file.location()));
      }
      if (twin == null) {
        pathByHash.put(hash, file.path());
      }
      return twin == null
          || wanted(
              feed.intake().repeated(),
              "file [%s] has the same contents as [%s], which was taken in under that name"
                  .formatted(file.path(), twin),
              "repeated");
    }

    private boolean wanted(IntakePolicy.Again policy, String what, String setting) {
      if (policy == IntakePolicy.Again.STOP) {
        throw new FeedException(
            "Feed [%s]: %s; its rows would be there twice. Say in the feed what to do, as in intake: {%s: skip}, or take%s"
                .formatted(
                    feed.name(), what, setting, setting.equals("replaced") ? ", or replace" : ""));
      }
      notes.add(
          "%s: it is %s"
              .formatted(
                  what,
                  switch (policy) {
                    case TAKE -> "taken again";
                    case REPLACE -> "taken in the place of its earlier rows";
                    case SKIP, STOP -> "skipped";
                  }));
      return policy == IntakePolicy.Again.TAKE || policy == IntakePolicy.Again.REPLACE;
    }
  }
}
