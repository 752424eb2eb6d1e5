package yardage.core.exec;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.concurrent.atomic.AtomicLong;

/**
 * Room on disk for rows that do not fit into memory, with a limit of its own. A pool may have a
 * parent that is charged too. Thread-safe.
 *
 * <p>A file has no name any more from the moment it is made, so the system gives its space back
 * when it is closed, and when the process ends in whatever way: nothing is ever left behind.
 */
public final class Scratch {
  private final String name;
  private final Path folder;
  private final Budget budget;
  private final Scratch parent;

  private Scratch(String name, Path folder, long limitBytes, Scratch parent) {
    this.name = name;
    this.folder = folder;
    this.budget = new Budget(limitBytes);
    this.parent = parent;
  }

  /**
   * @param folder is made when it is first needed
   */
  public static Scratch in(String name, Path folder, long limitBytes) {
    return new Scratch(name, folder, limitBytes, null);
  }

  /** Room in the same folder, with a limit of its own. */
  public Scratch child(String name, long limitBytes) {
    return new Scratch(name, folder, limitBytes, this);
  }

  /** Room in the folder for temporary files; for tests and tools. */
  public static Scratch temporary(long limitBytes) {
    return in("the run", Path.of(System.getProperty("java.io.tmpdir")), limitBytes);
  }

  public long usedBytes() {
    return budget.usedBytes();
  }

  public long limitBytes() {
    return budget.limitBytes();
  }

  private boolean tryTake(long bytes) {
    if (!budget.tryTake(bytes)) {
      return false;
    }
    if (parent != null && !parent.tryTake(bytes)) {
      budget.give(bytes);
      return false;
    }
    return true;
  }

  private void give(long bytes) {
    budget.give(bytes);
    if (parent != null) {
      parent.give(bytes);
    }
  }

  /**
   * A new file.
   *
   * @param tally whose step it is for
   */
  Room file(StepTally tally) {
    try {
      Files.createDirectories(folder);
      Path path =
          Files.createTempFile(
              folder,
              "yardage",
              ".scratch",
              PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      FileChannel channel =
          FileChannel.open(path, StandardOpenOption.READ, StandardOpenOption.WRITE);
      Files.delete(path);
      return new Room(channel, tally);
    } catch (IOException e) {
      throw unusable("cannot make a file", e);
    }
  }

  private UncheckedIOException unusable(String what, IOException e) {
    return new UncheckedIOException(
        "Scratch [%s] %s: %s".formatted(folder, what, e.getMessage()), e);
  }

  /** One file, written at its end and read anywhere. Thread-safe. */
  final class Room implements AutoCloseable {
    private final FileChannel channel;
    private final StepTally tally;
    private final AtomicLong end = new AtomicLong();

    private Room(FileChannel channel, StepTally tally) {
      this.channel = channel;
      this.tally = tally;
    }

    /**
     * Appends bytes.
     *
     * @return where they begin
     * @throws MemoryExceededException when the limit is reached
     */
    long write(byte[] bytes) {
      if (!tryTake(bytes.length)) {
        throw new MemoryExceededException(
            "Step [%s] needs more than the %s that %s may keep on disk in [%s]; let less data reach this step, or have the administrator raise scratch in settings.yml"
                .formatted(tally.step(), Sizes.text(limitBytes()), name, folder));
      }
      long at = end.getAndAdd(bytes.length);
      try {
        ByteBuffer in = ByteBuffer.wrap(bytes);
        while (in.hasRemaining()) {
          channel.write(in, at + in.position());
        }
      } catch (IOException e) {
        throw unusable("takes no more", e);
      }
      tally.bytesSpilled.add(bytes.length);
      return at;
    }

    byte[] read(long at, int length) {
      ByteBuffer out = ByteBuffer.allocate(length);
      try {
        while (out.hasRemaining()) {
          if (channel.read(out, at + out.position()) < 0) {
            throw new IOException("the file is shorter than what was written to it");
          }
        }
      } catch (IOException e) {
        throw unusable("cannot be read", e);
      }
      return out.array();
    }

    @Override
    public void close() {
      if (channel.isOpen()) {
        give(end.get());
        try {
          channel.close();
        } catch (IOException e) {
          throw unusable("cannot be closed", e);
        }
      }
    }
  }
}
