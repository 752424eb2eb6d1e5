package yardage.core.storage;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.channels.FileChannel;
import java.nio.channels.SeekableByteChannel;
import java.nio.file.AtomicMoveNotSupportedException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.FileVisitResult;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.NoSuchFileException;
import java.nio.file.OpenOption;
import java.nio.file.Path;
import java.nio.file.SimpleFileVisitor;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.BasicFileAttributes;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;

/**
 * Files of this machine; addresses are absolute paths. An object that is put whole is written
 * beside its place under a hidden name that ends in {@code .tmp}, and moved.
 */
public final class LocalStorage implements Storage {
  private static final Set<OpenOption> READ =
      Set.of(StandardOpenOption.READ, LinkOption.NOFOLLOW_LINKS);

  private static final LocalStorage THE = new LocalStorage();

  private LocalStorage() {}

  /** A file or folder of this machine. */
  public static Place place(Path path) {
    return new Place(THE, new Address(path.toAbsolutePath().normalize().toString()));
  }

  private static Path path(Address at) {
    return Path.of(at.text());
  }

  @Override
  public Optional<Stat> stat(Address at) throws IOException {
    try {
      BasicFileAttributes found =
          Files.readAttributes(path(at), BasicFileAttributes.class, LinkOption.NOFOLLOW_LINKS);
      return found.isRegularFile() ? Optional.of(stat(at, found)) : Optional.empty();
    } catch (NoSuchFileException e) {
      return Optional.empty();
    }
  }

  private static Stat stat(Address at, BasicFileAttributes found) {
    return new Stat(at, found.size(), found.lastModifiedTime().toInstant());
  }

  @Override
  public boolean isFolder(Address at) {
    return Files.isDirectory(path(at), LinkOption.NOFOLLOW_LINKS);
  }

  @Override
  public Listing list(Address folder) throws IOException {
    return walk(folder, 1);
  }

  @Override
  public List<Stat> listAll(Address folder) throws IOException {
    return walk(folder, Integer.MAX_VALUE).objects();
  }

  /** Walks with what the system tells of each file, so that none is asked for twice. */
  private Listing walk(Address folder, int depth) throws IOException {
    if (!isFolder(folder)) {
      return Listing.NOTHING;
    }
    Listing out = new Listing(new ArrayList<>(), new ArrayList<>());
    Files.walkFileTree(
        path(folder),
        Set.of(),
        depth,
        new SimpleFileVisitor<>() {
          @Override
          public FileVisitResult visitFile(Path file, BasicFileAttributes found) {
            if (found.isDirectory()) {
              out.folders().add(new Address(file.toString()));
            } else if (found.isRegularFile()) {
              out.objects().add(stat(new Address(file.toString()), found));
            }
            return FileVisitResult.CONTINUE;
          }

          @Override
          public FileVisitResult visitFileFailed(Path file, IOException e) throws IOException {
            if (e instanceof NoSuchFileException) {
              // It went while the folder was listed.
              return FileVisitResult.CONTINUE;
            }
            throw e;
          }
        });
    return out;
  }

  @Override
  public InputStream read(Address at) throws IOException {
    return Files.newInputStream(path(at), READ.toArray(OpenOption[]::new));
  }

  @Override
  public SeekableByteChannel open(Address at) throws IOException {
    return FileChannel.open(path(at), READ);
  }

  @Override
  public OutputStream write(Address at, boolean replace) throws IOException {
    OpenOption how = replace ? StandardOpenOption.TRUNCATE_EXISTING : StandardOpenOption.CREATE_NEW;
    return inFolder(
        path(at),
        file ->
            Files.newOutputStream(
                file,
                StandardOpenOption.WRITE,
                StandardOpenOption.CREATE,
                LinkOption.NOFOLLOW_LINKS,
                how));
  }

  @Override
  public void put(Address at, Content content) throws IOException {
    Path file = path(at);
    Path part = file.resolveSibling(".%s.%s.tmp".formatted(shortened(at), UUID.randomUUID()));
    try {
      try (OutputStream out =
          new BufferedOutputStream(
              inFolder(part, p -> Files.newOutputStream(p, StandardOpenOption.CREATE_NEW)))) {
        content.writeTo(out);
      }
      Files.move(part, file, StandardCopyOption.ATOMIC_MOVE);
    } catch (IOException | RuntimeException e) {
      Files.deleteIfExists(part);
      throw e;
    }
  }

  /** File systems take names of 255 bytes. */
  private static String shortened(Address at) {
    String name = at.name();
    return name.substring(0, Math.min(name.length(), 40));
  }

  @Override
  public boolean take(Path scratchFile, Address at, boolean replace) throws IOException {
    if (!replace) {
      try {
        // Reserves the name, so that of two who take it only one gets it.
        inFolder(path(at), Files::createFile);
      } catch (FileAlreadyExistsException e) {
        return false;
      }
    }
    try {
      inFolder(path(at), file -> Files.move(scratchFile, file, StandardCopyOption.ATOMIC_MOVE));
    } catch (AtomicMoveNotSupportedException e) {
      // Scratch is on another disk.
      put(at, out -> Files.copy(scratchFile, out));
      Files.delete(scratchFile);
    }
    return true;
  }

  @Override
  public boolean delete(Address at) throws IOException {
    return Files.deleteIfExists(path(at));
  }

  @Override
  public void settle(Address at) throws IOException {
    try (FileChannel file = FileChannel.open(path(at), StandardOpenOption.WRITE)) {
      file.force(true);
    }
  }

  @Override
  public Address prepare(Address folder) throws IOException {
    Files.createDirectories(path(folder));
    return new Address(path(folder).toRealPath().toString());
  }

  @Override
  public boolean isByLink(Address at) {
    for (Path p = path(at); p != null; p = p.getParent()) {
      if (Files.isSymbolicLink(p)) {
        return true;
      }
    }
    return false;
  }

  private interface Making<T> {
    T make(Path file) throws IOException;
  }

  /** Folders are made when they turn out to be missing, which is once for very many files. */
  private static <T> T inFolder(Path file, Making<T> making) throws IOException {
    try {
      return making.make(file);
    } catch (NoSuchFileException e) {
      Files.createDirectories(file.getParent());
      return making.make(file);
    }
  }
}
