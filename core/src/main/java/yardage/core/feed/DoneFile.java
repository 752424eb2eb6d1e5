package yardage.core.feed;

/**
 * The name of the file that somebody puts beside others when those are whole: {@code {file}} stands
 * for the other file's name, {@code {stem}} for that without its last ending; a name without either
 * speaks for all files of its folder.
 */
public record DoneFile(String name) {
  /**
   * @throws IllegalArgumentException when the name leads out of the folder
   */
  static DoneFile parse(String name) {
    if (name.isBlank() || name.contains("/") || name.contains("\\") || name.contains("..")) {
      throw new IllegalArgumentException(
          "Invalid done-file [%s]: write a name in the same folder, as in \"{file}.done\" or _DONE"
              .formatted(name));
    }
    return new DoneFile(name);
  }

  /** The name of the file that says that another is whole. */
  String of(FileDiscovery.Found file) {
    String own = file.location().name();
    int dot = own.lastIndexOf('.');
    return name.replace("{file}", own).replace("{stem}", dot < 1 ? own : own.substring(0, dot));
  }

  public boolean isThereFor(FileDiscovery.Found file) {
    return file.location().sibling(of(file)).exists();
  }

  /** Whether a file is such a mark itself, among those that a pattern found. */
  boolean isMark(FileDiscovery.Found file) {
    String own = file.location().name();
    String before = name.replace("{file}", "\0").replace("{stem}", "\0");
    int hole = before.indexOf('\0');
    return hole < 0
        ? own.equals(name)
        : own.length() > before.length() - 1
            && own.startsWith(before.substring(0, hole))
            && own.endsWith(before.substring(hole + 1));
  }
}
