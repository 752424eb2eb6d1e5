package yardage.core.format.xml;

import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import yardage.core.format.FileFormatException;
import yardage.core.format.TextEncoding;

/** Finds the encoding of a document: by its byte order mark or its declaration (XML 1.0, F). */
final class XmlEncoding {
  private static final int LONGEST_DECLARATION = 400;
  private static final Pattern ENCODING =
      Pattern.compile("^<\\?xml[^>]*\\sencoding\\s*=\\s*[\"']([A-Za-z0-9._-]+)[\"']");

  private XmlEncoding() {}

  static InputStream utf8(String file, InputStream in) throws IOException {
    BufferedInputStream buffered = new BufferedInputStream(in);
    buffered.mark(LONGEST_DECLARATION + 1);
    byte[] start = buffered.readNBytes(LONGEST_DECLARATION);
    buffered.reset();
    Matcher declared = ENCODING.matcher(new String(start, StandardCharsets.ISO_8859_1));
    if (start.length > 1 && (start[0] == 0 || start[1] == 0)) {
      // The first character is ASCII, so its zero byte tells the order where no mark does.
      return (start[0] == 0 ? TextEncoding.UTF_16BE : TextEncoding.UTF_16LE).utf8(buffered);
    }
    if (!declared.find()
        || declared.group(1).toLowerCase(java.util.Locale.ROOT).startsWith("utf-")) {
      return TextEncoding.AUTO.utf8(buffered);
    }
    String name = declared.group(1);
    try {
      return (name.equalsIgnoreCase("us-ascii") ? TextEncoding.UTF_8 : TextEncoding.parse(name))
          .utf8(buffered);
    } catch (IllegalArgumentException e) {
      throw new FileFormatException(
          "File [%s] says that its encoding is [%s], which is not known: %s"
              .formatted(file, name, e.getMessage()));
    }
  }
}
