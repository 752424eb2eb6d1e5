package yardage.core.format;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.github.luben.zstd.ZstdOutputStream;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.SplittableRandom;
import java.util.zip.GZIPOutputStream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;
import org.apache.commons.compress.compressors.bzip2.BZip2CompressorOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.tukaani.xz.LZMA2Options;
import org.tukaani.xz.XZOutputStream;

/** Opening files by their content, and text in other encodings than UTF-8. */
class CompressionAndEncodingTest {
  private static OutputStream compressor(String kind, OutputStream out) throws IOException {
    return switch (kind) {
      case "gzip" -> new GZIPOutputStream(out);
      case "bzip2" -> new BZip2CompressorOutputStream(out);
      case "xz" -> new XZOutputStream(out, new LZMA2Options(1));
      case "zstd" -> new ZstdOutputStream(out).setChecksum(true);
      default -> out;
    };
  }

  private static byte[] compressed(String kind, byte[] text) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (OutputStream out = compressor(kind, bytes)) {
      out.write(text);
    }
    return bytes.toByteArray();
  }

  private static Decompression open(byte[] file) {
    return new Decompression(
        "x.gz",
        new ByteArrayInputStream(file),
        () -> new org.apache.commons.compress.utils.SeekableInMemoryByteChannel(file),
        Decompression.Limit.DEFAULT);
  }

  private static byte[] text() {
    SplittableRandom random = new SplittableRandom(5);
    StringBuilder out = new StringBuilder();
    for (int i = 0; i < 50_000; i++) {
      out.append("roll ").append(random.nextInt()).append('\n');
    }
    return out.toString().getBytes(StandardCharsets.UTF_8);
  }

  @ParameterizedTest
  @ValueSource(strings = {"none", "gzip", "bzip2", "xz", "zstd"})
  void inflatesByContentWithSeveralMembersAsOne(String kind) throws IOException {
    ByteArrayOutputStream twice = new ByteArrayOutputStream();
    twice.write(compressed(kind, text()));
    twice.write(compressed(kind, "more\n".getBytes(StandardCharsets.UTF_8)));

    Decompression streams = open(twice.toByteArray());
    byte[] inflated = streams.next().orElseThrow().in().readAllBytes();

    assertEquals(text().length + 5, inflated.length);
    assertArrayEquals(text(), Arrays.copyOf(inflated, text().length));
    assertTrue(streams.next().isEmpty());
  }

  @ParameterizedTest
  @ValueSource(strings = {"gzip", "bzip2", "xz", "zstd"})
  void aFileThatBreaksOffOrIsWrongInsideIsTold(String kind) throws IOException {
    byte[] whole = compressed(kind, text());
    byte[] wrong = whole.clone();
    for (int i = whole.length / 2; i < whole.length / 2 + 64; i++) {
      wrong[i] ^= 0x5a;
    }

    for (byte[] file : new byte[][] {Arrays.copyOf(whole, whole.length / 2), wrong}) {
      FileFormatException e =
          assertThrows(
              FileFormatException.class, () -> open(file).next().orElseThrow().in().readAllBytes());
      assertTrue(e.getMessage().contains("[x.gz] is damaged"), e.getMessage());
    }
  }

  @Test
  void aZipGivesItsEntriesOneAfterTheOther() throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (ZipOutputStream zip = new ZipOutputStream(bytes)) {
      for (String name : new String[] {"day/", "day/one.csv", "day/zwei ö.csv"}) {
        zip.putNextEntry(new ZipEntry(name));
        zip.write(name.endsWith("/") ? new byte[0] : name.getBytes(StandardCharsets.UTF_8));
      }
    }
    Decompression streams = open(bytes.toByteArray());

    StringBuilder read = new StringBuilder();
    for (var e = streams.next(); e.isPresent(); e = streams.next()) {
      read.append(e.get().name())
          .append("=")
          .append(new String(e.get().in().readAllBytes(), StandardCharsets.UTF_8))
          .append(";");
    }

    assertEquals("day/one.csv=day/one.csv;day/zwei ö.csv=day/zwei ö.csv;", read.toString());
  }

  @ParameterizedTest
  @ValueSource(strings = {"gzip", "bzip2", "xz", "zstd"})
  void aFileMadeToFillMemoryIsRefused(String kind) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (OutputStream out = compressor(kind, bytes)) {
      for (int i = 0; i < 100; i++) {
        out.write(new byte[1 << 20]);
      }
    }

    FileFormatException e =
        assertThrows(
            FileFormatException.class,
            () ->
                open(bytes.toByteArray())
                    .next()
                    .orElseThrow()
                    .in()
                    .transferTo(OutputStream.nullOutputStream()));

    assertTrue(e.getMessage().contains("more than 400 times its size"), e.getMessage());
  }

  /** Against the platform's own charsets. */
  @ParameterizedTest
  @ValueSource(strings = {"utf-8", "utf-16le", "utf-16be", "iso-8859-1", "windows-1252"})
  void rewritesEncodingsAsThePlatformDoes(String name) throws IOException {
    Charset charset = Charset.forName(name);
    SplittableRandom random = new SplittableRandom(7);
    StringBuilder text = new StringBuilder();
    while (text.length() < 100_000) {
      int c = random.nextInt(4) == 0 ? random.nextInt(0x110000) : random.nextInt(0x20, 0x180);
      if (Character.isDefined(c)
          && (c < 0xD800 || c > 0xDFFF)
          && c != 0xFEFF
          && charset.newEncoder().canEncode(Character.toString(c))) {
        text.appendCodePoint(c);
      }
    }
    byte[] bytes = text.toString().getBytes(charset);

    InputStream utf8 = TextEncoding.parse(name).utf8(new ByteArrayInputStream(bytes));

    assertEquals(text.toString(), new String(utf8.readAllBytes(), StandardCharsets.UTF_8));
  }

  @Test
  void marksAreTakenOffAndTellUtf16() throws IOException {
    for (String charset : new String[] {"utf-8", "utf-16le", "utf-16be"}) {
      byte[] bytes = "\uFEFFmètre".getBytes(Charset.forName(charset));

      byte[] utf8 = TextEncoding.AUTO.utf8(new ByteArrayInputStream(bytes)).readAllBytes();

      assertEquals("mètre", new String(utf8, StandardCharsets.UTF_8));
    }
  }

  @Test
  void halfAPairAndBytesWithoutMeaningBecomeNoUtf8() throws IOException {
    byte[] half = {'a', 0, 0, (byte) 0xD8, 'b', 0, 'c'};
    byte[] utf8 = TextEncoding.UTF_16LE.utf8(new ByteArrayInputStream(half)).readAllBytes();
    byte[] undefined =
        TextEncoding.WINDOWS_1252
            .utf8(new ByteArrayInputStream(new byte[] {(byte) 0x81}))
            .readAllBytes();

    assertArrayEquals(
        new byte[] {'a', (byte) 0xED, (byte) 0xA0, (byte) 0x80, 'b', (byte) 0xFF}, utf8);
    assertArrayEquals(new byte[] {(byte) 0xFF}, undefined);
  }
}
