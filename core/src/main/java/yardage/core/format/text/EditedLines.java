package yardage.core.format.text;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.format.BlockInputStream;
import yardage.core.format.FileFormatException;

/**
 * Gives a text with its lines edited: the last ones are held back, and those that are no records
 * become empty lines, so that the others keep their numbers. Memory is bounded by the longest line
 * and the lines that are held back.
 */
public final class EditedLines extends BlockInputStream {
  private static final int BLOCK_BYTES = 1 << 16;
  private static final int LONGEST_BYTES = 64 << 20;

  private final InputStream in;
  private final String file;
  private final LineEdits edits;
  private final byte[] rowsBegin;
  private byte[] held = new byte[BLOCK_BYTES];
  private int size;
  private final List<Integer> ends = new ArrayList<>();
  private boolean ended;
  private long others;
  private List<String> last = List.of();

  /**
   * @param file for messages
   * @param in UTF-8
   */
  public EditedLines(String file, InputStream in, LineEdits edits) {
    super(BLOCK_BYTES);
    this.file = file;
    this.in = in;
    this.edits = edits;
    this.rowsBegin = edits.rowsBeginBytes();
  }

  /** How many lines were no records, beside the last ones; once the text was read. */
  public long others() {
    return others;
  }

  /** The last lines, without their ends; once the text was read. */
  public List<String> last() {
    return last;
  }

  @Override
  protected boolean fill() throws IOException {
    if (ended) {
      return false;
    }
    if (size == held.length) {
      if (size >= LONGEST_BYTES) {
        throw new FileFormatException(
            "File [%s] has a line longer than %,d bytes, or no line ends at all; see line-ends in the feed"
                .formatted(file, LONGEST_BYTES));
      }
      held = Arrays.copyOf(held, held.length * 2);
    }
    int n = in.read(held, size, held.length - size);
    for (int i = size; i < size + n; i++) {
      if (edits.carriageReturns() && held[i] == '\r') {
        held[i] = '\n';
      }
      if (held[i] == '\n') {
        ends.add(i + 1);
      }
    }
    size += Math.max(0, n);
    if (n < 0) {
      ended = true;
      if (size > lastEnd()) {
        ends.add(size);
      }
    }
    release(Math.max(0, ends.size() - edits.skipLast()));
    return true;
  }

  private int lastEnd() {
    return ends.isEmpty() ? 0 : ends.get(ends.size() - 1);
  }

  private void release(int lines) {
    int released = lines == 0 ? 0 : ends.get(lines - 1);
    if (out.length < released) {
      out = new byte[held.length];
    }
    int start = 0;
    for (int line = 0; line < lines; line++) {
      int end = ends.get(line);
      if (isRecord(start, end)) {
        System.arraycopy(held, start, out, limit, end - start);
        limit += end - start;
      } else {
        others++;
        out[limit++] = '\n';
      }
      start = end;
    }
    if (ended) {
      List<String> texts = new ArrayList<>();
      for (int end : ends.subList(lines, ends.size())) {
        texts.add(new String(held, start, end - start, StandardCharsets.UTF_8).stripTrailing());
        start = end;
      }
      last = List.copyOf(texts);
      return;
    }
    ends.subList(0, lines).clear();
    ends.replaceAll(e -> e - released);
    System.arraycopy(held, released, held, 0, size - released);
    size -= released;
  }

  private boolean isRecord(int start, int end) {
    return rowsBegin.length == 0 || LineChunker.startsWith(held, start, end, rowsBegin);
  }
}
