package yardage.core.storage;

import java.util.Optional;

/**
 * The name of an object or a folder: text with slashes between its parts, such as {@code
 * /data/lake/inbox/1.csv}. What it begins with tells which store has it. Plans and tables name
 * files in this way.
 *
 * @param text without a slash at its end, and without parts such as {@code ..} that lead elsewhere
 */
public record Address(String text) implements Comparable<Address> {
  public Address {
    if (text.isEmpty() || text.length() > 1 && text.endsWith("/")) {
      throw new IllegalArgumentException("Invalid address [%s]".formatted(text));
    }
    if (text.contains("/.") && hasStep(text)) {
      throw new IllegalArgumentException(
          "Invalid address [%s]: it must not hold [.] or [..] as a part".formatted(text));
    }
  }

  private static boolean hasStep(String text) {
    for (String part : text.split("/")) {
      if (isStep(part)) {
        return true;
      }
    }
    return false;
  }

  private static boolean isStep(String part) {
    return part.equals(".") || part.equals("..");
  }

  /** An address below this one. */
  public Address child(String relative) {
    return new Address(text.equals("/") ? text + relative : text + "/" + relative);
  }

  /**
   * What a relative reference means from this folder on.
   *
   * @return empty when it leads out of the folder
   */
  public Optional<Address> below(String reference) {
    StringBuilder out = new StringBuilder();
    for (String part : reference.split("/")) {
      if (part.equals("..")) {
        int slash = out.lastIndexOf("/");
        if (slash < 0) {
          return Optional.empty();
        }
        out.setLength(slash);
      } else if (!part.isEmpty() && !part.equals(".")) {
        out.append('/').append(part);
      }
    }
    return reference.startsWith("/") || out.isEmpty()
        ? Optional.empty()
        : Optional.of(child(out.substring(1)));
  }

  /** An object of another name in the same folder. */
  public Address sibling(String name) {
    return new Address(text.substring(0, text.lastIndexOf('/') + 1) + name);
  }

  /** The last part. */
  public String name() {
    return text.substring(text.lastIndexOf('/') + 1);
  }

  /** The folder. */
  public Address parent() {
    int slash = text.lastIndexOf('/');
    return new Address(slash <= 0 ? "/" : text.substring(0, slash));
  }

  /** Whether this is somewhere below a folder. */
  public boolean isBelow(Address folder) {
    return text.startsWith(folder.prefix());
  }

  /**
   * The parts behind a folder's.
   *
   * @throws IllegalArgumentException when this is not below it
   */
  public String relativeTo(Address folder) {
    if (!isBelow(folder)) {
      throw new IllegalArgumentException("[%s] is not below [%s]".formatted(text, folder));
    }
    return text.substring(folder.prefix().length());
  }

  private String prefix() {
    return text.equals("/") ? text : text + "/";
  }

  @Override
  public int compareTo(Address other) {
    return text.compareTo(other.text);
  }

  @Override
  public String toString() {
    return text;
  }
}
