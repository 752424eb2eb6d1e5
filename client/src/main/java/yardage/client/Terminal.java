package yardage.client;

import java.io.FilterOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.io.PrintStream;
import java.nio.ByteBuffer;
import java.nio.CharBuffer;
import java.nio.charset.CharsetDecoder;
import java.nio.charset.CodingErrorAction;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;

/**
 * The one way to a person's terminal. Names, cells and messages come from files that anybody may
 * have made; what would move the cursor, change colours, set a title or turn the reading direction
 * is shown as a symbol or as its code, and never reaches the terminal.
 */
final class Terminal {
  /** Holds the stream that the process began with, as long as {@link Main#main} came first. */
  private static final PrintStream OF_THE_PROCESS = System.out;

  private static PrintStream realOut = System.out;
  private static PrintStream realErr = System.err;

  private Terminal() {}

  /** From here on, whatever is printed passes through {@link #safe}. */
  static void open() {
    realOut = System.out;
    realErr = System.err;
    System.setOut(wrap(realOut));
    System.setErr(wrap(realErr));
  }

  static void close() {
    System.out.flush();
    System.err.flush();
    System.setOut(realOut);
    System.setErr(realErr);
  }

  /**
   * Whether some of the output could not be written, as to a full disk. A pipe whose reader has
   * seen enough is nobody's mistake.
   */
  static boolean isOutputLost() {
    boolean lost = System.out.checkError() | realOut.checkError();
    return lost && !(realOut == OF_THE_PROCESS && isPipe());
  }

  private static boolean isPipe() {
    try {
      return Files.readSymbolicLink(Path.of("/proc/self/fd/1")).toString().startsWith("pipe:");
    } catch (IOException | UnsupportedOperationException e) {
      return false;
    }
  }

  /**
   * Where data goes, which must be exact for a program that reads it: as it is into a pipe or a
   * file, and made safe on a terminal.
   */
  static PrintStream data() {
    return isTerminal("/proc/self/fd/1") ? System.out : realOut;
  }

  /** Draws over what was drawn; the text is the client's own, with {@link #line} for all else. */
  static void draw(String controls) {
    realErr.print(controls);
    realErr.flush();
  }

  /** Whether a stream ends at a terminal; the console object does not tell for one stream alone. */
  private static boolean isTerminal(String stream) {
    try {
      String target = Files.readSymbolicLink(Path.of(stream)).toString();
      return target.startsWith("/dev/pts/")
          || target.startsWith("/dev/tty")
          || target.equals("/dev/console");
    } catch (IOException | UnsupportedOperationException e) {
      return Output.isTerminal();
    }
  }

  /**
   * Text that a terminal shows as it stands: C0 controls as their symbols (U+2400), DEL, C1
   * controls, bidirectional marks, line and paragraph separators, unpaired surrogates and other
   * invisible format characters as {@code <U+…>}. Line feeds are kept.
   */
  static String safe(String text) {
    int i = 0;
    while (i < text.length() && isPlain(text.charAt(i))) {
      i++;
    }
    if (i == text.length()) {
      return text;
    }
    StringBuilder out = new StringBuilder(text.length() + 8).append(text, 0, i);
    while (i < text.length()) {
      int c = text.codePointAt(i);
      i += Character.charCount(c);
      if (c == '\n' || isShown(c)) {
        out.appendCodePoint(c);
      } else if (c < 0x20) {
        out.append((char) (0x2400 + c));
      } else if (c == 0x7f) {
        out.append('\u2421');
      } else {
        out.append("<U+%04X>".formatted(c));
      }
    }
    return out.toString();
  }

  /** Text for one line: as {@link #safe}, with line feeds as symbols too. */
  static String line(String text) {
    return safe(text).replace('\n', '\u240a');
  }

  private static boolean isPlain(char c) {
    return c >= 0x20 && c < 0x7f || c == '\n';
  }

  private static boolean isShown(int c) {
    return switch (Character.getType(c)) {
      case Character.CONTROL,
          Character.FORMAT,
          Character.SURROGATE,
          Character.LINE_SEPARATOR,
          Character.PARAGRAPH_SEPARATOR ->
          // Joiners are part of how some scripts and symbols are written.
          c == 0x200d || c == 0x200c;
      default -> true;
    };
  }

  /** Wraps a stream so that only safe text passes. */
  private static PrintStream wrap(PrintStream to) {
    return new PrintStream(new SafeStream(to), true, StandardCharsets.UTF_8);
  }

  private static final class SafeStream extends FilterOutputStream {
    private final CharsetDecoder decoder =
        StandardCharsets.UTF_8
            .newDecoder()
            .onMalformedInput(CodingErrorAction.REPLACE)
            .onUnmappableCharacter(CodingErrorAction.REPLACE);
    private ByteBuffer rest = ByteBuffer.allocate(0);

    SafeStream(OutputStream to) {
      super(to);
    }

    @Override
    public void write(int b) throws IOException {
      write(new byte[] {(byte) b}, 0, 1);
    }

    @Override
    public void write(byte[] bytes, int from, int length) throws IOException {
      ByteBuffer in = ByteBuffer.allocate(rest.remaining() + length);
      in.put(rest).put(bytes, from, length).flip();
      CharBuffer chars = CharBuffer.allocate(in.remaining() + 1);
      decoder.decode(in, chars, false);
      rest = in.slice();
      // The end of a record of csv is a line end here.
      String text = chars.flip().toString().replace("\r\n", "\n");
      out.write(safe(text).getBytes(StandardCharsets.UTF_8));
    }
  }
}
