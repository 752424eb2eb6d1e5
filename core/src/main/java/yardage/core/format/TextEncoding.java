package yardage.core.format;

import java.io.IOException;
import java.io.InputStream;
import java.io.PushbackInputStream;
import java.nio.ByteBuffer;
import java.nio.CharBuffer;
import java.nio.charset.Charset;
import java.nio.charset.CharsetDecoder;
import java.nio.charset.CoderResult;
import java.nio.charset.CodingErrorAction;
import java.util.Arrays;
import java.util.Locale;
import java.util.stream.Collectors;
import yardage.core.format.record.Utf8;

/**
 * How text is written as bytes. Readers know UTF-8 only, so other encodings are rewritten as they
 * come; what an encoding does not allow (a byte without meaning, half a surrogate pair) becomes
 * bytes that are no UTF-8 either, so that the record it stands in is set aside.
 */
public enum TextEncoding {
  /** UTF-8, or UTF-16 where the file starts with the mark of one. */
  AUTO,
  UTF_8,
  UTF_16LE,
  UTF_16BE,
  ISO_8859_1,
  WINDOWS_1252,
  ISO_8859_2,
  ISO_8859_15,
  WINDOWS_1250,
  WINDOWS_1251,
  SHIFT_JIS,
  EUC_JP,
  GBK,
  GB18030,
  BIG5,
  EUC_KR;

  /** Unicode's mapping of 0x80 to 0x9f in Windows-1252; 0 where there is none. */
  private static final char[] WINDOWS_C1 = {
    0x20AC, 0, 0x201A, 0x0192, 0x201E, 0x2026, 0x2020, 0x2021, 0x02C6, 0x2030, 0x0160, 0x2039,
    0x0152, 0, 0x017D, 0, 0, 0x2018, 0x2019, 0x201C, 0x201D, 0x2022, 0x2013, 0x2014, 0x02DC, 0x2122,
    0x0161, 0x203A, 0x0153, 0, 0x017E, 0x0178
  };

  private static final int NO_UTF8 = 0xff;

  /** The name as feeds write it. */
  public String code() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }

  /**
   * @throws IllegalArgumentException naming the encodings that there are
   */
  public static TextEncoding parse(String text) {
    String wanted = text.toLowerCase(Locale.ROOT).replace("_", "-");
    String name =
        switch (wanted) {
          case "utf8" -> "utf-8";
          case "utf-16" -> "auto";
          case "latin1", "latin-1" -> "iso-8859-1";
          case "cp1252" -> "windows-1252";
          case "latin9", "latin-9" -> "iso-8859-15";
          case "sjis" -> "shift-jis";
          default -> wanted;
        };
    return Arrays.stream(values())
        .filter(e -> e.code().equals(name))
        .findFirst()
        .orElseThrow(
            () ->
                new IllegalArgumentException(
                    "Unknown encoding [%s]: there are %s"
                        .formatted(
                            text,
                            Arrays.stream(values())
                                .map(TextEncoding::code)
                                .collect(Collectors.joining(", ")))));
  }

  /** The text as UTF-8, without a byte order mark. */
  public InputStream utf8(InputStream in) throws IOException {
    PushbackInputStream pushed = new PushbackInputStream(in, 4);
    byte[] start = pushed.readNBytes(3);
    int mark = 0;
    TextEncoding encoding = this == AUTO ? UTF_8 : this;
    if (start.length == 3 && is(start, 0, 0xEF) && is(start, 1, 0xBB) && is(start, 2, 0xBF)) {
      mark = this == AUTO || this == UTF_8 ? 3 : 0;
    } else if (start.length >= 2 && is(start, 0, 0xFF) && is(start, 1, 0xFE)) {
      mark = this == AUTO || this == UTF_16LE ? 2 : 0;
      encoding = mark > 0 ? UTF_16LE : encoding;
    } else if (start.length >= 2 && is(start, 0, 0xFE) && is(start, 1, 0xFF)) {
      mark = this == AUTO || this == UTF_16BE ? 2 : 0;
      encoding = mark > 0 ? UTF_16BE : encoding;
    }
    pushed.unread(start, mark, start.length - mark);
    return encoding == UTF_8
        ? pushed
        : encoding.charset() == null
            ? new Rewriting(pushed, encoding)
            : new Decoding(pushed, encoding.charset());
  }

  /** The library's, for encodings that are not read by our own code. */
  private Charset charset() {
    return switch (this) {
      case AUTO, UTF_8, UTF_16LE, UTF_16BE, ISO_8859_1, WINDOWS_1252 -> null;
      // As the standards of the web read it: with the characters that Windows added.
      case SHIFT_JIS -> Charset.forName("windows-31j");
      default -> Charset.forName(name().replace('_', '-'));
    };
  }

  private static boolean is(byte[] b, int at, int value) {
    return (b[at] & 0xff) == value;
  }

  /** Decodes block by block with the library's decoder. */
  private static final class Decoding extends BlockInputStream {
    private static final int BLOCK_BYTES = 1 << 15;

    private final InputStream in;
    private final CharsetDecoder decoder;
    private final ByteBuffer block = ByteBuffer.allocate(BLOCK_BYTES).flip();
    private final CharBuffer chars = CharBuffer.allocate(BLOCK_BYTES);
    private boolean ended;

    Decoding(InputStream in, Charset charset) {
      super(BLOCK_BYTES * 4 + 8);
      this.in = in;
      this.decoder =
          charset
              .newDecoder()
              .onMalformedInput(CodingErrorAction.REPORT)
              .onUnmappableCharacter(CodingErrorAction.REPORT);
    }

    @Override
    protected boolean fill() throws IOException {
      if (ended && !block.hasRemaining()) {
        return false;
      }
      if (!ended) {
        block.compact();
        int n = in.read(block.array(), block.position(), block.remaining());
        ended = n < 0;
        block.position(block.position() + Math.max(0, n));
        block.flip();
      }
      chars.clear();
      CoderResult result = decoder.decode(block, chars, ended);
      chars.flip();
      while (chars.hasRemaining()) {
        char c = chars.get();
        int point =
            Character.isHighSurrogate(c) && chars.hasRemaining()
                ? Character.toCodePoint(c, chars.get())
                : c;
        limit = Utf8.put(point, out, limit);
      }
      if (result.isError()) {
        block.position(block.position() + result.length());
        out[limit++] = (byte) NO_UTF8;
      } else if (ended && result.isUnderflow()) {
        // Half a character at the end.
        if (block.hasRemaining()) {
          block.position(block.limit());
          out[limit++] = (byte) NO_UTF8;
        }
      }
      return true;
    }
  }

  /** Rewrites block by block. */
  private static final class Rewriting extends BlockInputStream {
    private static final int BLOCK_BYTES = 1 << 15;

    private final InputStream in;
    private final TextEncoding encoding;
    private final byte[] block = new byte[BLOCK_BYTES];
    private int carried;
    private boolean ended;

    Rewriting(InputStream in, TextEncoding encoding) {
      super(BLOCK_BYTES * 3 + 8);
      this.in = in;
      this.encoding = encoding;
    }

    @Override
    protected boolean fill() throws IOException {
      if (ended) {
        return false;
      }
      int n = in.read(block, carried, block.length - carried);
      ended = n < 0;
      int end = carried + Math.max(0, n);
      carried = 0;
      if (encoding == UTF_16LE || encoding == UTF_16BE) {
        utf16(end);
        return true;
      }
      for (int i = 0; i < end; i++) {
        int c = block[i] & 0xff;
        if (encoding == WINDOWS_1252 && c >= 0x80 && c < 0xa0) {
          c = WINDOWS_C1[c - 0x80];
          if (c == 0) {
            out[limit++] = (byte) NO_UTF8;
            continue;
          }
        }
        put(c);
      }
      return true;
    }

    private void utf16(int end) {
      int i = 0;
      while (i + 1 < end) {
        int c = unit(i);
        if (c >= 0xD800 && c < 0xDC00) {
          if (i + 3 >= end && !ended) {
            break;
          }
          int low = i + 3 < end ? unit(i + 2) : 0;
          if (low >= 0xDC00 && low < 0xE000) {
            c = 0x10000 + ((c - 0xD800) << 10) + (low - 0xDC00);
            i += 2;
          }
        }
        put(c);
        i += 2;
      }
      if (ended && i < end) {
        out[limit++] = (byte) NO_UTF8;
        i = end;
      }
      carried = end - i;
      System.arraycopy(block, i, block, 0, carried);
    }

    private int unit(int i) {
      int first = block[i] & 0xff;
      int second = block[i + 1] & 0xff;
      return encoding == UTF_16LE ? second << 8 | first : first << 8 | second;
    }

    private void put(int c) {
      limit = Utf8.put(c, out, limit);
    }
  }
}
