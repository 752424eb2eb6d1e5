package yardage.core.lake;

import java.util.Map;
import java.util.TreeMap;
import yardage.core.storage.Place;

/**
 * Where raw files lie: the lake's inbox, and folders elsewhere that the machine's administrator has
 * given a name.
 */
public record RawFolders(Place inbox, Map<String, Place> connections) {
  public RawFolders {
    connections = java.util.Collections.unmodifiableMap(new TreeMap<>(connections));
  }

  public RawFolders(Place inbox) {
    this(inbox, Map.of());
  }
}
