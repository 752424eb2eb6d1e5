package yardage.core.feed;

import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/**
 * Files of a feed that no run and no query reads, although they are there. A file is held as it
 * was: one that has other contents since is read again.
 */
public record Quarantine(Map<String, Held> byPath) {
  public static final Quarantine NONE = new Quarantine(Map.of());

  public Quarantine {
    byPath = Map.copyOf(byPath);
  }

  /**
   * A file in quarantine.
   *
   * @param why in words
   */
  public record Held(String path, long sizeBytes, Instant modified, String why) {}

  /** Why a file is held, if it is. */
  public Optional<String> why(FileDiscovery.Found file) {
    return Optional.ofNullable(byPath.get(file.path()))
        .filter(h -> h.sizeBytes() == file.sizeBytes() && h.modified().equals(file.modified()))
        .map(Held::why);
  }

  /** The files that are not held. */
  public List<FileDiscovery.Found> without(List<FileDiscovery.Found> files) {
    return byPath.isEmpty() ? files : files.stream().filter(f -> why(f).isEmpty()).toList();
  }

  /** What is held of some files, in words; at most ten of them by name. */
  public List<String> told(List<FileDiscovery.Found> files) {
    Map<String, String> held = new TreeMap<>();
    files.forEach(f -> why(f).ifPresent(why -> held.put(f.path(), why)));
    List<String> out = new ArrayList<>();
    held.forEach(
        (path, why) -> {
          if (out.size() < 10) {
            out.add("file [%s] is in quarantine and is not read: %s".formatted(path, why));
          }
        });
    if (held.size() > out.size()) {
      out.add("%,d files more are in quarantine".formatted(held.size() - out.size()));
    }
    return out;
  }
}
