package yardage.service;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;

/** The SHA-256 of texts, as records keep it. */
public final class TextHash {
  private TextHash() {}

  /** Of the text in UTF-8, in 64 hexadecimal digits, as {@code SHA2(text, 256)} has it in SQL. */
  public static String sha256(String text) {
    try {
      return HexFormat.of()
          .formatHex(
              MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8)));
    } catch (NoSuchAlgorithmException e) {
      throw new AssertionError("Every Java platform has SHA-256", e);
    }
  }
}
