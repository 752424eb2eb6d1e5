package yardage.core.format.text;

import java.util.List;
import java.util.Optional;
import yardage.core.column.Type;

/**
 * What one field must be.
 *
 * @param nullTokens unquoted texts that mean null; blanks around them count
 * @param pattern how dates and timestamps are written, with {@code y M d H m s S} as letters; ISO
 *     8601 when absent
 */
public record FieldRule(
    String name, Type type, boolean required, List<String> nullTokens, Optional<String> pattern) {
  public FieldRule {
    nullTokens = List.copyOf(nullTokens);
  }

  public static FieldRule of(String name, Type type) {
    return new FieldRule(name, type, false, List.of(""), Optional.empty());
  }
}
