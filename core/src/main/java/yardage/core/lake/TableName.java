package yardage.core.lake;

import java.util.regex.Pattern;

/**
 * A table's name: a namespace, a dot, a name. Lower-case letters, digits and underscores, starting
 * with a letter.
 */
public record TableName(String namespace, String name) implements Comparable<TableName> {
  private static final Pattern PART = Pattern.compile("[a-z][a-z0-9_]{0,62}");

  public TableName {
    if (!PART.matcher(namespace).matches() || !PART.matcher(name).matches()) {
      throw new IllegalArgumentException(
          "Invalid table name [%s.%s]: write namespace.name in lower-case letters, digits and underscores, each starting with a letter"
              .formatted(namespace, name));
    }
  }

  public static TableName parse(String text) {
    int dot = text.indexOf('.');
    if (dot < 0) {
      throw new IllegalArgumentException(
          "Invalid table name [%s]: write namespace.name, as in mart.cloth".formatted(text));
    }
    return new TableName(text.substring(0, dot), text.substring(dot + 1));
  }

  @Override
  public int compareTo(TableName other) {
    return toString().compareTo(other.toString());
  }

  @Override
  public String toString() {
    return namespace + "." + name;
  }
}
