package yardage.core.storage;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.channels.SeekableByteChannel;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Optional;

/** An address, and the store that has it: what code holds that reads and writes. Not for plans. */
public record Place(Storage storage, Address address) {
  public Place at(Address other) {
    return new Place(storage, other);
  }

  public Place child(String relative) {
    return at(address.child(relative));
  }

  public Place sibling(String name) {
    return at(address.sibling(name));
  }

  public Place parent() {
    return at(address.parent());
  }

  public String name() {
    return address.name();
  }

  /** An object; empty when there is none, or it cannot be looked at. */
  public Optional<Storage.Stat> stat() {
    try {
      return storage.stat(address);
    } catch (IOException e) {
      return Optional.empty();
    }
  }

  /** Whether an object is there. */
  public boolean exists() {
    return stat().isPresent();
  }

  public boolean isFolder() {
    return storage.isFolder(address);
  }

  /** What is right below; nothing when it is no folder. */
  public Storage.Listing list() {
    try {
      return storage.list(address);
    } catch (IOException e) {
      throw cannot("list", e);
    }
  }

  /** The objects right below by name. */
  public List<Storage.Stat> objects() {
    return list().objects().stream().sorted((a, b) -> a.address().compareTo(b.address())).toList();
  }

  /** All objects below. */
  public List<Storage.Stat> listAll() {
    try {
      return storage.listAll(address);
    } catch (IOException e) {
      throw cannot("list", e);
    }
  }

  public InputStream read() throws IOException {
    return storage.read(address);
  }

  /**
   * An object's text.
   *
   * @throws java.nio.charset.CharacterCodingException when it is not all UTF-8
   */
  public String readText() throws IOException {
    try (InputStream in = read()) {
      return StandardCharsets.UTF_8
          .newDecoder()
          .decode(ByteBuffer.wrap(in.readAllBytes()))
          .toString();
    }
  }

  public SeekableByteChannel open() throws IOException {
    return storage.open(address);
  }

  public OutputStream write(boolean replace) throws IOException {
    return storage.write(address, replace);
  }

  public void put(Storage.Content content) throws IOException {
    storage.put(address, content);
  }

  public void put(String text) throws IOException {
    put(out -> out.write(text.getBytes(StandardCharsets.UTF_8)));
  }

  /** Puts a copy elsewhere, whole, in place of what is there. */
  public void copyTo(Place other) throws IOException {
    try (InputStream in = read()) {
      other.put(in::transferTo);
    }
  }

  /**
   * Puts the object elsewhere, then removes it here. Whoever looks in between finds both; done
   * again, it comes to the same.
   */
  public void moveTo(Place other) throws IOException {
    copyTo(other);
    storage.delete(address);
  }

  /** Removes the object; false when there is none. */
  public boolean delete() {
    try {
      return storage.delete(address);
    } catch (IOException e) {
      throw cannot("remove", e);
    }
  }

  private UncheckedIOException cannot(String what, IOException e) {
    return new UncheckedIOException(
        "Cannot %s [%s]: %s".formatted(what, address, e.getMessage()), e);
  }

  @Override
  public String toString() {
    return address.text();
  }
}
