package yardage.core.lake;

import java.nio.file.Path;
import java.util.Map;
import java.util.TreeMap;

/**
 * Where raw files lie: the lake's inbox, and folders elsewhere that the machine's administrator has
 * given a name.
 */
public record RawFolders(Path inbox, Map<String, Path> connections) {
  public RawFolders {
    connections = java.util.Collections.unmodifiableMap(new TreeMap<>(connections));
  }

  public RawFolders(Path inbox) {
    this(inbox, Map.of());
  }
}
