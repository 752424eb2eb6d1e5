package yardage.core.format.record;

import java.io.IOException;
import java.io.InputStream;
import yardage.core.storage.Place;

/** A way in which files hold records. Immutable and thread-safe. */
public interface RecordFormat {
  /**
   * Starts to read a file, up to its first record.
   *
   * @param in inflated, UTF-8; stays open
   * @throws yardage.core.format.FileFormatException when it does not start as the format wants
   */
  Chunker open(String file, InputStream in) throws IOException;

  /** Whether the format jumps about in its file, and wants the file rather than a stream. */
  default boolean seeks() {
    return false;
  }

  /** As {@link #open}, for a format that {@link #seeks}. */
  default Chunker openFile(String file, Place location) throws IOException {
    throw new UnsupportedOperationException("This format reads streams");
  }

  /** Whether the format tells the encoding itself, and wants the bytes as they are. */
  default boolean decodes() {
    return false;
  }

  /**
   * Whether the records of one file may be put behind those of another, with its fields in the same
   * places, and parsed as if they were of one.
   */
  default boolean joins() {
    return false;
  }

  /** A parser for files whose fields lie as {@code fields} says; one thread at a time. */
  RecordParser parser(FieldMap fields);

  /** Reads a whole file on the calling thread. */
  default void read(String file, InputStream in, RecordOutput out) throws IOException {
    read(file, in, new Chunk(), out);
  }

  /** As {@link #read(String, InputStream, RecordOutput)}, through a chunk of one's own. */
  default void read(String file, InputStream in, Chunk chunk, RecordOutput out) throws IOException {
    Chunker chunker = open(file, in);
    RecordParser parser = parser(chunker.fields());
    chunk.file = file;
    chunk.fields = chunker.fields();
    while (chunker.next(chunk)) {
      parser.parse(chunk, out);
    }
  }
}
