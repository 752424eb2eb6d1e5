package yardage.core.testing;

import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.channels.SeekableByteChannel;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentSkipListMap;
import org.apache.commons.compress.utils.SeekableInMemoryByteChannel;
import yardage.core.storage.Address;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

/**
 * A store as those behind a network are: names and bytes, no folders, no links, and nothing of an
 * object is seen before all of it is there.
 */
public final class MemoryStorage implements Storage {
  private final ConcurrentSkipListMap<Address, byte[]> objects = new ConcurrentSkipListMap<>();
  private final Instant modified = Instant.parse("2026-01-01T00:00:00Z");

  public Place root() {
    return new Place(this, new Address("memory:/mills"));
  }

  private byte[] bytes(Address at) throws IOException {
    byte[] found = objects.get(at);
    if (found == null) {
      throw new NoSuchFileException(at.text());
    }
    return found;
  }

  private Stat stat(Address at, byte[] bytes) {
    return new Stat(at, bytes.length, modified);
  }

  @Override
  public Optional<Stat> stat(Address at) {
    return Optional.ofNullable(objects.get(at)).map(b -> stat(at, b));
  }

  @Override
  public boolean isFolder(Address at) {
    return objects.keySet().stream().anyMatch(a -> a.isBelow(at));
  }

  @Override
  public Listing list(Address folder) {
    TreeSet<Address> folders = new TreeSet<>();
    List<Stat> here = new ArrayList<>();
    for (Stat object : listAll(folder)) {
      String rest = object.address().relativeTo(folder);
      int slash = rest.indexOf('/');
      if (slash < 0) {
        here.add(object);
      } else {
        folders.add(folder.child(rest.substring(0, slash)));
      }
    }
    return new Listing(here, List.copyOf(folders));
  }

  @Override
  public List<Stat> listAll(Address folder) {
    List<Stat> out = new ArrayList<>();
    objects.forEach(
        (at, bytes) -> {
          if (at.isBelow(folder)) {
            out.add(stat(at, bytes));
          }
        });
    return out;
  }

  @Override
  public InputStream read(Address at) throws IOException {
    return new ByteArrayInputStream(bytes(at));
  }

  @Override
  public SeekableByteChannel open(Address at) throws IOException {
    return new SeekableInMemoryByteChannel(bytes(at));
  }

  @Override
  public OutputStream write(Address at, boolean replace) throws IOException {
    if (!replace && objects.containsKey(at)) {
      throw new FileAlreadyExistsException(at.text());
    }
    return new ByteArrayOutputStream() {
      @Override
      public void close() {
        objects.put(at, toByteArray());
      }
    };
  }

  @Override
  public void put(Address at, Content content) throws IOException {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    content.writeTo(out);
    objects.put(at, out.toByteArray());
  }

  @Override
  public boolean take(Path scratchFile, Address at, boolean replace) throws IOException {
    byte[] bytes = Files.readAllBytes(scratchFile);
    boolean taken =
        replace ? objects.put(at, bytes) != bytes : objects.putIfAbsent(at, bytes) == null;
    if (taken) {
      Files.delete(scratchFile);
    }
    return taken;
  }

  @Override
  public boolean delete(Address at) {
    return objects.remove(at) != null;
  }

  @Override
  public void settle(Address at) throws IOException {
    bytes(at);
  }

  @Override
  public Address prepare(Address folder) {
    return folder;
  }

  @Override
  public boolean isByLink(Address at) {
    return false;
  }
}
