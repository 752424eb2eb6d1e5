package yardage.core.expr;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.Locale;
import yardage.core.column.TextBuilder;

/** The functions from text to text that need no format. */
public final class TextFunctions {
  private TextFunctions() {}

  private static String text(byte[] bytes, int start, int end) {
    return new String(bytes, start, end - start, StandardCharsets.UTF_8);
  }

  /** Removes one ASCII character, usually a blank, from the ends. */
  public record Trim(boolean leading, boolean trailing, byte what) implements TextFunction {
    @Override
    public void apply(byte[] bytes, int from, int to, TextBuilder out) {
      int start = from;
      int end = to;
      while (leading && start < end && bytes[start] == what) {
        start++;
      }
      while (trailing && end > start && bytes[end - 1] == what) {
        end--;
      }
      out.append(bytes, start, end - start);
    }
  }

  /** {@code REPLACE(text, what, by)} for constant {@code what} and {@code by}, which are UTF-8. */
  public record Replace(byte[] what, byte[] by) implements TextFunction {
    @Override
    public void apply(byte[] bytes, int from, int end, TextBuilder out) {
      int start = from;
      int at = what.length == 0 ? -1 : Texts.indexOf(bytes, start, end, what, 0, what.length);
      if (at < 0) {
        out.append(bytes, start, end - start);
        return;
      }
      var copy = new ByteArrayOutputStream(end - start + by.length);
      while (at >= 0) {
        copy.write(bytes, start, at - start);
        copy.write(by, 0, by.length);
        start = at + what.length;
        at = Texts.indexOf(bytes, start, end, what, 0, what.length);
      }
      copy.write(bytes, start, end - start);
      out.append(copy.toByteArray(), 0, copy.size());
    }
  }

  /** Upper and lower case. */
  public enum Case implements TextFunction {
    UPPER('a', 'z', -32),
    LOWER('A', 'Z', 32);

    private final char low;
    private final char high;
    private final int shift;

    Case(char low, char high, int shift) {
      this.low = low;
      this.high = high;
      this.shift = shift;
    }

    @Override
    public void apply(byte[] bytes, int start, int end, TextBuilder out) {
      byte[] copy = Arrays.copyOfRange(bytes, start, end);
      for (byte b : copy) {
        if (b < 0) {
          String s = text(bytes, start, end);
          out.append(this == UPPER ? s.toUpperCase(Locale.ROOT) : s.toLowerCase(Locale.ROOT));
          return;
        }
      }
      for (int i = 0; i < copy.length; i++) {
        if (copy[i] >= low && copy[i] <= high) {
          copy[i] += (byte) shift;
        }
      }
      out.append(copy, 0, copy.length);
    }
  }

  /** Letters turned and digests. */
  public enum Whole implements TextFunction {
    REVERSE {
      @Override
      String of(String text) {
        return new StringBuilder(text).reverse().toString();
      }
    },
    /** The first letter of each word in upper case and the others in lower case. */
    INITCAP {
      @Override
      String of(String text) {
        StringBuilder out = new StringBuilder(text.length());
        boolean inside = false;
        for (int c : text.codePoints().toArray()) {
          out.appendCodePoint(inside ? Character.toLowerCase(c) : Character.toTitleCase(c));
          inside = Character.isLetterOrDigit(c);
        }
        return out.toString();
      }
    },
    /** The phonetic code of each word of a text, without accents and case. */
    SOUND {
      @Override
      String of(String text) {
        return Likeness.sound(Texts.plain(text));
      }
    },
    MD5 {
      @Override
      String of(String text) {
        return digest("MD5", text);
      }
    },
    SHA256 {
      @Override
      String of(String text) {
        return digest("SHA-256", text);
      }
    };

    abstract String of(String text);

    @Override
    public void apply(byte[] bytes, int start, int end, TextBuilder out) {
      out.append(of(text(bytes, start, end)));
    }

    /** In hexadecimal, of the text's UTF-8. */
    private static String digest(String name, String text) {
      try {
        return HexFormat.of().formatHex(MessageDigest.getInstance(name).digest(Cast.utf8(text)));
      } catch (NoSuchAlgorithmException e) {
        throw new AssertionError("Every Java platform has " + name, e);
      }
    }
  }

  /** What makes texts that look alike the same. */
  public enum Tidy implements TextFunction {
    /** Letters and digits in lower case, without accents; anything else is one blank. */
    PLAIN {
      @Override
      public void apply(byte[] bytes, int start, int end, TextBuilder out) {
        out.append(Texts.plain(text(bytes, start, end)));
      }
    },
    /**
     * Makes runs of white space one blank, with none at the ends; spaces of Unicode, such as the
     * one that does not break, count too. Characters that cannot be seen go.
     */
    COLLAPSE_BLANKS {
      @Override
      public void apply(byte[] bytes, int start, int end, TextBuilder out) {
        boolean plain = true;
        for (int i = start; i < end; i++) {
          boolean blank = bytes[i] == ' ';
          boolean odd =
              bytes[i] < ' ' || blank && (i == start || i + 1 == end || bytes[i - 1] == ' ');
          plain &= !odd;
        }
        if (plain) {
          out.append(bytes, start, end - start);
        } else {
          out.append(collapsed(text(bytes, start, end)));
        }
      }
    };

    private static String collapsed(String text) {
      StringBuilder out = new StringBuilder();
      text.codePoints()
          .filter(c -> Character.getType(c) != Character.FORMAT)
          .map(c -> Character.isWhitespace(c) || Character.isSpaceChar(c) ? ' ' : c)
          .filter(c -> c != ' ' || out.length() > 0 && out.charAt(out.length() - 1) != ' ')
          .forEach(out::appendCodePoint);
      return out.toString().stripTrailing();
    }
  }
}
