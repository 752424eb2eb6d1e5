package yardage.core.format.text;

import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.zip.ZipException;
import yardage.core.column.*;
import yardage.core.format.FileFormatException;

/**
 * Reads one delimited file into batches of typed columns. Use once.
 *
 * <p>Two passes over a buffer that stays in the cache: the first finds separators and line ends
 * eight bytes at a time and notes where fields end; the second reads one column after the other.
 * Records end at LF or CR LF; empty lines are passed over.
 */
public final class DelimitedReader {
  private static final int BUFFER_BYTES = 1 << 20;
  private static final int KEPT_OF_LONG_RECORD = 1 << 16;
  private static final int PADDING = 16;
  private static final VarHandle LONG =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
  private static final long LOW = 0x0101010101010101L;
  private static final long HIGH = 0x8080808080808080L;

  /** Takes what was read. */
  public interface Output {
    void batch(Batch batch);

    void reject(RejectedRecord record);
  }

  private final String file;
  private final DelimitedLayout layout;
  private final List<FieldRule> rules;
  private final Output output;
  private final byte[] separator;
  private final byte quote;

  private byte[] buffer = new byte[BUFFER_BYTES + PADDING];
  private int limit;
  private int position;
  private boolean ended;
  private long bufferOffset;
  private long line = 1;
  private long sequence;
  private long recordCount;

  private FieldParser[] parsers;
  private final FieldParser.Rows rows = new FieldParser.Rows();
  private int width;
  private long[] rowLines;

  public DelimitedReader(
      String file, DelimitedLayout layout, List<FieldRule> rules, Output output) {
    this.file = file;
    this.layout = layout;
    this.rules = List.copyOf(rules);
    this.output = output;
    this.separator = layout.separatorBytes();
    this.quote = (byte) layout.quote();
  }

  /**
   * Compiles a rule's pattern to see whether it is sound.
   *
   * @throws IllegalArgumentException saying what is wrong with it
   */
  public static boolean checkPattern(FieldRule rule) {
    new FieldParser(rule, 0, (byte) 0);
    return true;
  }

  /** Records found so far, good or not; the header is none. */
  public long recordCount() {
    return recordCount;
  }

  /**
   * Reads all of {@code in}, which stays open.
   *
   * @throws FileFormatException if the header lacks columns or has unknown ones, or the compressed
   *     data ends early
   */
  public void read(InputStream in) {
    try {
      fill(in);
      skipByteOrderMark();
      if (ended && position == limit) {
        // A file without a byte has no header to miss: it holds no records, and that is all.
        return;
      }
      if (layout.header()) {
        readHeader(in);
      } else {
        prepare(null);
      }
      while (position < limit || !ended) {
        if (!splitAndParse(in)) {
          fill(in);
        }
      }
    } catch (EOFException | ZipException e) {
      throw new FileFormatException(
          "File [%s] is damaged: its compressed data breaks off or is wrong after %,d bytes inflated; get the file again, then run again"
              .formatted(file, bufferOffset + limit),
          e);
    } catch (IOException e) {
      throw new FileFormatException(
          "File [%s] cannot be read at byte %,d: %s"
              .formatted(file, bufferOffset + limit, e.getMessage()),
          e);
    }
  }

  private void skipByteOrderMark() {
    if (limit >= 3
        && buffer[0] == (byte) 0xEF
        && buffer[1] == (byte) 0xBB
        && buffer[2] == (byte) 0xBF) {
      position = 3;
    }
  }

  private void prepare(int[] placeOf) {
    width = placeOf == null ? rules.size() : headerWidth;
    parsers = new FieldParser[rules.size()];
    for (int i = 0; i < parsers.length; i++) {
      parsers[i] = new FieldParser(rules.get(i), placeOf == null ? i : placeOf[i], quote);
    }
    // Very wide files get fewer rows a batch, so that the field ends stay in the cache's size.
    int maxRows = Math.max(16, Math.min(Batch.TARGET_ROWS, (1 << 20) / Math.max(1, width)));
    rows.starts = new int[maxRows + 1];
    rows.ends = new int[maxRows * width];
    rows.width = width;
    rows.separatorLength = separator.length;
    rowLines = new long[maxRows + 1];
  }

  private int headerWidth;

  private void readHeader(InputStream in) throws IOException {
    int end;
    while ((end = indexOf((byte) '\n', position, limit)) < 0
        && !ended
        && limit - position < layout.maxRecordBytes()) {
      fill(in);
    }
    if (end < 0) {
      end = limit;
    }
    String text = new String(buffer, position, end - position, StandardCharsets.UTF_8);
    if (text.endsWith("\r")) {
      text = text.substring(0, text.length() - 1);
    }
    if (text.isBlank()) {
      throw new FileFormatException(
          "File [%s] has no header: its first line is empty, where the feed expects the column names; if the file has none, set header: false"
              .formatted(file));
    }
    List<String> names = splitHeader(text);
    headerWidth = names.size();
    List<String> lower = names.stream().map(n -> n.strip().toLowerCase(Locale.ROOT)).toList();
    int[] placeOf = new int[rules.size()];
    List<String> missing = new ArrayList<>();
    for (int i = 0; i < placeOf.length; i++) {
      placeOf[i] = lower.indexOf(rules.get(i).name().toLowerCase(Locale.ROOT));
      if (placeOf[i] < 0) {
        missing.add(rules.get(i).name());
      }
    }
    List<String> unknown = new ArrayList<>();
    for (int i = 0; i < names.size(); i++) {
      String name = lower.get(i);
      if (lower.indexOf(name) != i) {
        throw new FileFormatException(
            "File [%s] names the column [%s] twice in its header".formatted(file, names.get(i)));
      }
      if (rules.stream().noneMatch(r -> r.name().equalsIgnoreCase(name))) {
        unknown.add(names.get(i).strip());
      }
    }
    if (!missing.isEmpty() || !unknown.isEmpty()) {
      throw new FileFormatException(
          "File [%s] has another header than its feed:%s%s; nothing was taken from it. Change the feed's columns to match, or move the file away"
              .formatted(
                  file,
                  missing.isEmpty() ? "" : " it lacks " + missing,
                  unknown.isEmpty()
                      ? ""
                      : (missing.isEmpty() ? "" : ", and")
                          + " it has "
                          + unknown
                          + " which the feed does not declare"));
    }
    position = Math.min(end + 1, limit);
    line = 2;
    prepare(placeOf);
  }

  private List<String> splitHeader(String text) {
    List<String> out = new ArrayList<>();
    int at = 0;
    while (true) {
      int next = text.indexOf(layout.separator(), at);
      String name = next < 0 ? text.substring(at) : text.substring(at, next);
      name = name.strip();
      if (layout.quote() != 0
          && name.length() >= 2
          && name.charAt(0) == layout.quote()
          && name.charAt(name.length() - 1) == layout.quote()) {
        name = name.substring(1, name.length() - 1);
      }
      out.add(name);
      if (next < 0) {
        return out;
      }
      at = next + layout.separator().length();
    }
  }

  /**
   * Moves what is left to the front and reads more; grows the buffer for a record that does not
   * fit.
   */
  private void fill(InputStream in) throws IOException {
    if (position > 0) {
      System.arraycopy(buffer, position, buffer, 0, limit - position);
      bufferOffset += position;
      limit -= position;
      position = 0;
    } else if (limit == buffer.length - PADDING) {
      buffer = Arrays.copyOf(buffer, (int) Math.min(buffer.length * 2L, Integer.MAX_VALUE - 64));
    }
    while (!ended && limit < buffer.length - PADDING) {
      int n = in.read(buffer, limit, buffer.length - PADDING - limit);
      if (n < 0) {
        ended = true;
        if (limit > 0 && buffer[limit - 1] != '\n') {
          buffer[limit++] = '\n';
        }
      } else {
        limit += n;
      }
    }
    Arrays.fill(buffer, limit, Math.min(buffer.length, limit + PADDING - 1), (byte) 0);
  }

  /**
   * Splits as many whole records as fit a batch and parses them; false when it needs more bytes
   * first.
   */
  private boolean splitAndParse(InputStream in) throws IOException {
    int begin = position;
    int count = split();
    if (count > 0) {
      rows.count = count;
      rows.buffer = buffer;
      parse();
      return true;
    }
    if (position > begin) {
      return true;
    }
    if (position < limit && limit - position >= layout.maxRecordBytes()) {
      skipLongRecord(in);
      return true;
    }
    if (ended && position < limit) {
      // All bytes are here and still no record ends: a quote was opened and never closed.
      rejectUnclosedQuote();
      return true;
    }
    return false;
  }

  private static long match(long word, long pattern) {
    long x = word ^ pattern;
    return ~(((x & ~HIGH) + ~HIGH) | x) & HIGH;
  }

  /**
   * Notes the ends of the fields of whole records from {@link #position} on, and moves it behind
   * the last of them. Records with a wrong number of fields are rejected here.
   */
  private int split() {
    final byte[] b = buffer;
    final int[] ends = rows.ends;
    final int w = width;
    final byte separator0 = separator[0];
    final int separatorLength = separator.length;
    final long separatorPattern = (separator0 & 0xffL) * LOW;
    final long newlinePattern = '\n' * LOW;
    final long quotePattern = (quote & 0xffL) * LOW;
    final boolean quotes = quote != 0;
    final int maxRows = rows.starts.length - 1;
    int count = 0;
    int rowStart = position;
    int fieldStart = rowStart;
    int field = 0;
    int at = rowStart;
    long suspicious = 0;
    long lineAtRow = line;
    long lineNow = line;
    boolean badQuote = false;
    rows.suspicious = false;

    scan:
    while (at < limit) {
      long word = (long) LONG.get(b, at);
      long hits = match(word, separatorPattern) | match(word, newlinePattern);
      if (quotes) {
        hits |= match(word, quotePattern);
      }
      suspicious |= (word & HIGH) | match(word, 0);
      int base = at;
      while (hits != 0) {
        int p = base + (Long.numberOfTrailingZeros(hits) >>> 3);
        hits &= hits - 1;
        if (p >= limit) {
          break scan;
        }
        byte c = b[p];
        if (c == '\n') {
          int end = p > rowStart && b[p - 1] == '\r' ? p - 1 : p;
          if (end == rowStart) {
            // An empty line is no record.
          } else if (badQuote) {
            reject(
                rowStart,
                end,
                lineAtRow,
                new RejectedRecord.Failure(
                    "",
                    Reason.TEXT_AFTER_QUOTE,
                    "text follows a closing quote; a quote inside a quoted field must be doubled"));
          } else if (field == w - 1) {
            ends[count * w + field] = Math.max(end, fieldStart);
            rows.starts[count] = rowStart;
            rowLines[count++] = lineAtRow;
          } else {
            rejectFieldCount(rowStart, end, lineAtRow, field + 1);
          }
          lineNow++;
          rowStart = p + 1;
          fieldStart = rowStart;
          field = 0;
          badQuote = false;
          lineAtRow = lineNow;
          if (count == maxRows) {
            break scan;
          }
        } else if (c == separator0 && (separatorLength == 1 || isSeparator(b, p))) {
          if (field < w) {
            ends[count * w + field] = p;
          }
          field++;
          fieldStart = p + separatorLength;
          if (separatorLength > 1) {
            at = fieldStart;
            continue scan;
          }
        } else if (quotes && c == quote && p == fieldStart) {
          int close = p + 1;
          int newlines = 0;
          while (true) {
            while (close < limit && b[close] != quote) {
              newlines += b[close] == '\n' ? 1 : 0;
              // The words that the scan will not see.
              suspicious |= b[close] <= 0 ? HIGH : 0;
              close++;
            }
            if (close + 1 < limit && b[close + 1] == quote) {
              close += 2;
            } else {
              break;
            }
          }
          if (close >= limit || (close + 1 >= limit && !ended)) {
            break scan;
          }
          lineNow += newlines;
          int after = close + 1;
          badQuote |=
              !(b[after] == '\n'
                  || b[after] == '\r'
                  || (b[after] == separator0 && (separatorLength == 1 || isSeparator(b, after))));
          at = after;
          continue scan;
        }
      }
      at = base + 8;
    }
    rows.suspicious = suspicious != 0;
    position = rowStart;
    line = lineAtRow;
    return count;
  }

  private boolean isSeparator(byte[] b, int at) {
    for (int i = 1; i < separator.length; i++) {
      if (b[at + i] != separator[i]) {
        return false;
      }
    }
    return true;
  }

  private int[] failedRows = new int[16];
  private int[] failedFields = new int[16];
  private Reason[] failedReasons = new Reason[16];
  private int failureCount;

  private void parse() {
    failureCount = 0;
    List<Column> columns = new ArrayList<>(parsers.length);
    for (int c = 0; c < parsers.length; c++) {
      int field = c;
      columns.add(parsers[c].parse(rows, (row, reason) -> fail(row, field, reason)));
    }
    recordCount += rows.count;
    Batch batch = new Batch(columns, rows.count, sequence++);
    if (failureCount == 0) {
      output.batch(batch);
      return;
    }
    boolean[] bad = new boolean[rows.count];
    for (int i = 0; i < failureCount; i++) {
      bad[failedRows[i]] = true;
    }
    int[] good = new int[rows.count];
    int n = 0;
    for (int r = 0; r < rows.count; r++) {
      if (!bad[r]) {
        good[n++] = r;
        continue;
      }
      List<RejectedRecord.Failure> failures = new ArrayList<>();
      for (int i = 0; i < failureCount; i++) {
        if (failedRows[i] == r) {
          failures.add(describe(parsers[failedFields[i]], r, failedReasons[i]));
        }
      }
      int end = rows.ends[r * width + width - 1];
      output.reject(
          new RejectedRecord(
              file,
              rowLines[r],
              bufferOffset + rows.starts[r],
              text(rows.starts[r], end),
              failures));
    }
    if (n > 0) {
      output.batch(batch.gather(good, n));
    }
  }

  private void fail(int row, int field, Reason reason) {
    if (failureCount == failedRows.length) {
      failedRows = Arrays.copyOf(failedRows, failureCount * 2);
      failedFields = Arrays.copyOf(failedFields, failureCount * 2);
      failedReasons = Arrays.copyOf(failedReasons, failureCount * 2);
    }
    failedRows[failureCount] = row;
    failedFields[failureCount] = field;
    failedReasons[failureCount++] = reason;
  }

  private RejectedRecord.Failure describe(FieldParser parser, int row, Reason reason) {
    FieldRule rule = parser.rule();
    int end = rows.ends[row * width + parser.ordinal()];
    int start =
        parser.ordinal() == 0
            ? rows.starts[row]
            : rows.ends[row * width + parser.ordinal() - 1] + separator.length;
    String value = text(start, Math.min(end, start + 200));
    String message =
        switch (reason) {
          case MISSING_VALUE -> "a value is required";
          case OUT_OF_RANGE -> "[%s] does not fit %s".formatted(value, rule.type());
          case BAD_ENCODING -> "the bytes are not UTF-8";
          case NUL_CHARACTER -> "the text holds a NUL character";
          default ->
              "[%s] is no %s".formatted(value, rule.type())
                  + rule.pattern().map(p -> " written " + p).orElse("");
        };
    return new RejectedRecord.Failure(rule.name(), reason, message);
  }

  private void rejectFieldCount(int start, int end, long atLine, int found) {
    Reason reason = found < width ? Reason.TOO_FEW_FIELDS : Reason.TOO_MANY_FIELDS;
    reject(
        start,
        end,
        atLine,
        new RejectedRecord.Failure(
            "",
            reason,
            "%d field%s where %d are declared".formatted(found, found == 1 ? "" : "s", width)));
  }

  private void reject(int start, int end, long atLine, RejectedRecord.Failure failure) {
    recordCount++;
    output.reject(
        new RejectedRecord(
            file,
            atLine,
            bufferOffset + start,
            text(start, Math.min(end, start + layout.maxRecordBytes())),
            List.of(failure)));
  }

  /**
   * Sets aside the line on which a quote opens that never closes, and goes on with the next line.
   */
  private void rejectUnclosedQuote() {
    int end = indexOf((byte) '\n', position, limit);
    end = end < 0 ? limit : end;
    reject(
        position,
        end,
        line,
        new RejectedRecord.Failure(
            "",
            Reason.UNCLOSED_QUOTE,
            "a quote is opened and not closed before the end of the file or of the longest record allowed"));
    position = Math.min(end + 1, limit);
    line++;
  }

  private void skipLongRecord(InputStream in) throws IOException {
    int end = indexOf((byte) '\n', position, limit);
    if (end >= 0) {
      // Lines do end, so it is a quote that runs on.
      rejectUnclosedQuote();
      return;
    }
    String kept = text(position, position + KEPT_OF_LONG_RECORD);
    long start = bufferOffset + position;
    long length = 0;
    while (end < 0 && !(ended && position == limit)) {
      length += limit - position;
      position = limit;
      fill(in);
      end = indexOf((byte) '\n', position, limit);
    }
    length += end < 0 ? 0 : end - position;
    recordCount++;
    output.reject(
        new RejectedRecord(
            file,
            line,
            start,
            kept,
            List.of(
                new RejectedRecord.Failure(
                    "",
                    Reason.RECORD_TOO_LONG,
                    "a record of %,d bytes, where %,d are allowed; its first %,d are kept here"
                        .formatted(length, layout.maxRecordBytes(), KEPT_OF_LONG_RECORD)))));
    position = end < 0 ? limit : end + 1;
    line++;
  }

  private String text(int start, int end) {
    return new String(buffer, start, Math.max(0, end - start), StandardCharsets.UTF_8);
  }

  private int indexOf(byte what, int from, int to) {
    for (int i = from; i < to; i++) {
      if (buffer[i] == what) {
        return i;
      }
    }
    return -1;
  }
}
