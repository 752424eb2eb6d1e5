package yardage.service.access;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;

/** Which new passwords are taken. What counts is how soon somebody who guesses would try them. */
final class Passwords {
  static final int MIN_CHARACTERS = 10;

  /** What bcrypt looks at; it refuses longer ones. */
  static final int MAX_BYTES = 72;

  private static final int MIN_DIFFERENT = 5;
  private static final String ROWS_OF_KEYS =
      "01234567890 abcdefghijklmnopqrstuvwxyz qwertyuiopasdfghjklzxcvbnm qwertzuiopasdfghjklyxcvbnm 1qaz2wsx3edc4rfv5tgb6yhn7ujm";
  private static final Set<String> COMMON = common();

  private Passwords() {}

  static boolean tooLong(String password) {
    return password.getBytes(StandardCharsets.UTF_8).length > MAX_BYTES;
  }

  /** Why a password is not taken, as the end of "The new password …"; empty when it is. */
  static Optional<String> weakness(String password, String name) {
    if (password.codePointCount(0, password.length()) < MIN_CHARACTERS) {
      return Optional.of("must have %d characters or more".formatted(MIN_CHARACTERS));
    }
    if (tooLong(password)) {
      return Optional.of(
          "must have at most %d bytes; letters beyond ASCII take two to four each"
              .formatted(MAX_BYTES));
    }
    String plain = password.toLowerCase(Locale.ROOT);
    if (plain.codePoints().distinct().count() < MIN_DIFFERENT) {
      return Optional.of("must have %d different characters or more".formatted(MIN_DIFFERENT));
    }
    if (ROWS_OF_KEYS.contains(plain) || ROWS_OF_KEYS.contains(new StringBuilder(plain).reverse())) {
      return Optional.of("must not be a row of keys");
    }
    String letters = plain.replaceAll("[^\\p{L}]", "");
    if (COMMON.contains(plain) || COMMON.contains(withoutEnds(plain)) || COMMON.contains(letters)) {
      return Optional.of("is one that many people use");
    }
    if (!name.isEmpty()
        && letters.equals(name.toLowerCase(Locale.ROOT).replaceAll("[^\\p{L}]", ""))) {
      return Optional.of("must not be your name");
    }
    return Optional.empty();
  }

  /** Without the digits and marks that people put at the ends of a word. */
  private static String withoutEnds(String plain) {
    return plain.replaceAll("^[^\\p{L}]+|[^\\p{L}]+$", "");
  }

  private static Set<String> common() {
    try (InputStream in = Passwords.class.getResourceAsStream("common-passwords.txt")) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8)
          .lines()
          .map(String::strip)
          .filter(l -> !l.isEmpty())
          .collect(Collectors.toUnmodifiableSet());
    } catch (IOException e) {
      throw new UncheckedIOException("The list of common passwords cannot be read", e);
    }
  }
}
