package yardage.core.storage;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.channels.SeekableByteChannel;
import java.nio.file.Path;
import java.time.Instant;
import java.util.List;
import java.util.Optional;

/**
 * Keeps objects by address. Links are no objects: what a link names is not read, and its folder is
 * not entered. Folders need not be made before something is put into them. Thread-safe.
 *
 * <p>Reading what is not there throws {@link java.nio.file.NoSuchFileException}.
 */
public interface Storage {
  /** An object: how large it is and when it last changed, by which a change is noticed. */
  record Stat(Address address, long sizeBytes, Instant modified) {}

  /** What is right below a folder, in no order. */
  record Listing(List<Stat> objects, List<Address> folders) {
    public static final Listing NOTHING = new Listing(List.of(), List.of());
  }

  /** Writes what an object shall hold. */
  interface Content {
    void writeTo(OutputStream out) throws IOException;
  }

  /** An object; empty when there is none. */
  Optional<Stat> stat(Address at) throws IOException;

  /** Whether an address is a folder. A store without folders says whether anything is below it. */
  boolean isFolder(Address at);

  /** What is right below a folder; nothing when it is not there. */
  Listing list(Address folder) throws IOException;

  /** All objects below a folder, at any depth; none when it is not there. */
  List<Stat> listAll(Address folder) throws IOException;

  /** An object from its beginning on. */
  InputStream read(Address at) throws IOException;

  /** An object to be read in ranges. */
  SeekableByteChannel open(Address at) throws IOException;

  /**
   * Writes an object as it comes. Until the stream is closed others may see nothing of it, or its
   * beginning.
   *
   * @param replace whether one that is there goes; otherwise it is an error
   */
  OutputStream write(Address at, boolean replace) throws IOException;

  /** Writes an object whole, in place of one that is there: others see that one, or this. */
  void put(Address at, Content content) throws IOException;

  /**
   * Takes a scratch file in as an object, whole; the file is gone afterwards.
   *
   * @param replace whether one that is there goes
   * @return false when there is one and it stays; so does the file
   */
  boolean take(Path scratchFile, Address at, boolean replace) throws IOException;

  /** Removes an object or an empty folder; false when there is none. */
  boolean delete(Address at) throws IOException;

  /** Returns once an object would be there after a power cut. */
  void settle(Address at) throws IOException;

  /** Makes a folder ready to hold objects, and gives the one form of its address. */
  Address prepare(Address folder) throws IOException;

  /** Whether a link is part of an address, so that it names something elsewhere. */
  boolean isByLink(Address at);
}
