package yardage.core.feed.propose;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.CodingErrorAction;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FileDiscovery;
import yardage.core.format.Decompression;
import yardage.core.format.FileFormatException;
import yardage.core.format.TextEncoding;

/**
 * The beginning of a file, inflated and as text.
 *
 * @param whole whether that is all of it
 */
record Sample(
    FileDiscovery.Found file,
    byte[] bytes,
    boolean whole,
    TextEncoding encoding,
    String encodingBecause,
    String text) {
  private static final int BYTES = 2 << 20;

  static Optional<Sample> of(FileDiscovery.Found file) {
    try (InputStream in = file.location().read()) {
      Optional<Decompression.Entry> entry =
          new Decompression(file.path(), in, file.location()::open, Decompression.Limit.DEFAULT)
              .next();
      if (entry.isEmpty()) {
        return Optional.empty();
      }
      byte[] bytes = entry.get().in().readNBytes(BYTES);
      return bytes.length == 0 ? Optional.empty() : Optional.of(read(file, bytes));
    } catch (FileFormatException e) {
      return Optional.empty();
    } catch (IOException e) {
      throw new UncheckedIOException(
          "File [%s] cannot be read: %s".formatted(file.path(), e.getMessage()), e);
    }
  }

  private static Sample read(FileDiscovery.Found file, byte[] bytes) throws IOException {
    boolean whole = bytes.length < BYTES;
    boolean mark16 =
        bytes.length > 1
            && (bytes[0] == (byte) 0xFF && bytes[1] == (byte) 0xFE
                || bytes[0] == (byte) 0xFE && bytes[1] == (byte) 0xFF);
    TextEncoding encoding = TextEncoding.AUTO;
    String because = mark16 ? "it starts with the mark of UTF-16" : "all of the sample is UTF-8";
    if (!mark16 && !isUtf8(bytes, whole)) {
      boolean windows = false;
      boolean undefined = false;
      for (byte b : bytes) {
        int c = b & 0xff;
        windows |= c >= 0x80 && c < 0xa0;
        undefined |= c == 0x81 || c == 0x8d || c == 0x8f || c == 0x90 || c == 0x9d;
      }
      encoding = windows && !undefined ? TextEncoding.WINDOWS_1252 : TextEncoding.ISO_8859_1;
      because =
          "the sample is not UTF-8, and "
              + (windows && !undefined
                  ? "has bytes from 80 to 9f that only Windows-1252 gives a meaning"
                  : "every byte has a meaning in ISO-8859-1");
    }
    String text =
        new String(
            encoding.utf8(new java.io.ByteArrayInputStream(bytes)).readAllBytes(),
            StandardCharsets.UTF_8);
    return new Sample(file, bytes, whole, encoding, because, text);
  }

  /** The same, read as a feed says rather than as it looks. */
  Sample as(FeedDefinition feed) throws IOException {
    if (feed.format().isNested()) {
      return this;
    }
    String read =
        new String(
            feed.text(file.path(), new java.io.ByteArrayInputStream(bytes)).readAllBytes(),
            StandardCharsets.UTF_8);
    return new Sample(file, bytes, whole, feed.encoding(), "the feed says so", read);
  }

  /** Whether carriage returns alone end its lines. */
  boolean hasOldLineEnds() {
    return text.indexOf('\r') >= 0 && text.indexOf('\n') < 0;
  }

  /** With line feeds where carriage returns alone end lines. */
  Sample withLineFeeds() {
    return hasOldLineEnds()
        ? new Sample(file, bytes, whole, encoding, encodingBecause, text.replace('\r', '\n'))
        : this;
  }

  private static boolean isUtf8(byte[] bytes, boolean whole) {
    // A sample may end inside a character.
    for (int cut = 0; cut < (whole ? 1 : 4); cut++) {
      try {
        StandardCharsets.UTF_8
            .newDecoder()
            .onMalformedInput(CodingErrorAction.REPORT)
            .decode(ByteBuffer.wrap(bytes, 0, bytes.length - cut));
        return true;
      } catch (CharacterCodingException e) {
        // Perhaps with a byte less.
      }
    }
    return false;
  }

  /** The lines that are whole, without their ends. */
  List<String> lines() {
    List<String> out = new ArrayList<>(Arrays.asList(text.split("\r?\n", -1)));
    if (!out.isEmpty() && (!whole || out.get(out.size() - 1).isEmpty())) {
      out.remove(out.size() - 1);
    }
    return out;
  }
}
