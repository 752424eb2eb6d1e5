package yardage.service.lake;

import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.UUID;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.context.SmartLifecycle;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import yardage.core.lake.Relocation;
import yardage.core.lake.TableName;
import yardage.service.PrivateFiles;
import yardage.service.TextHash;
import yardage.service.YardageProperties;

/**
 * The home is held by one service at a time, and its tables name their files where it is; both is
 * seen to before anything else begins.
 *
 * <p>The table format wants full paths, so a home that was moved or copied holds tables that name
 * files elsewhere; working on with them would read, write and remove files of another home.
 */
@Component
public class HomePlace implements SmartLifecycle {
  private static final Logger LOG = LoggerFactory.getLogger(HomePlace.class);

  private final TableMapper mapper;
  private final LakeService lake;
  private final YardageProperties properties;
  private final TransactionTemplate transactions;
  private FileChannel lockFile;

  HomePlace(
      TableMapper mapper,
      LakeService lake,
      YardageProperties properties,
      TransactionTemplate transactions) {
    this.mapper = mapper;
    this.lake = lake;
    this.properties = properties;
    this.transactions = transactions;
  }

  /**
   * What tells this home from every other that shares the database: a number of its own, which a
   * copy has too, with the machine and the path, which it has not.
   */
  public String identity() {
    Path home = properties.home();
    try {
      Files.createDirectories(home);
      Path file = home.resolve("home-id");
      if (!Files.exists(file)) {
        PrivateFiles.write(file, UUID.randomUUID() + "\n");
      }
      Path machine = Path.of("/etc/machine-id");
      String host =
          Files.isReadable(machine)
              ? Files.readString(machine)
              : java.net.InetAddress.getLocalHost().getHostName();
      return TextHash.sha256(Files.readString(file) + host + home).substring(0, 16);
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot tell which home [%s] is: %s".formatted(home, e.getMessage()), e);
    }
  }

  private record Misplaced(TableName table, String location, Optional<Long> binned, String root) {}

  @Override
  public void start() {
    lock();
    settle();
  }

  private void lock() {
    try {
      Files.createDirectories(properties.home());
      Path file = properties.home().resolve("service.lock");
      lockFile = FileChannel.open(file, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
      FileLock lock = lockFile.tryLock();
      if (lock == null) {
        throw new HomeException(
            "Another service works in [%s]".formatted(properties.home()),
            "Stop it first, or give this one another home");
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot lock [%s]: %s".formatted(properties.home(), e.getMessage()), e);
    }
  }

  @Override
  public void stop() {
    // The lock is held until all that works here has ended: see close.
  }

  @Override
  public boolean isRunning() {
    return lockFile != null;
  }

  /** Before the web server and everything that is scheduled. */
  @Override
  public int getPhase() {
    return Integer.MIN_VALUE;
  }

  @PreDestroy
  void close() throws IOException {
    if (lockFile != null) {
      lockFile.close();
    }
  }

  /**
   * Looks where the tables' metadata says that they are. A former place that is a link to this one
   * is mended at once; one that is another place only when the settings say that the home was moved
   * on purpose.
   *
   * @throws HomeException when the home was moved and nobody said so
   */
  private void settle() {
    List<Misplaced> misplaced = misplaced();
    if (misplaced.isEmpty()) {
      return;
    }
    Set<String> elsewhere = new TreeSet<>();
    for (Misplaced m : misplaced) {
      if (!isHere(m.root())) {
        elsewhere.add(m.root());
      }
    }
    if (!elsewhere.isEmpty() && !properties.moved()) {
      throw new HomeException(
          "This home is at [%s], and its tables say that their files are below %s"
              .formatted(properties.home(), String.join(", ", elsewhere)),
          "If it was moved or copied here on purpose, start it once with: ./yardage start --moved");
    }
    for (Misplaced m : misplaced) {
      String location = Relocation.move(lake.lake(), m.location(), m.root());
      transactions.executeWithoutResult(
          status -> {
            if (m.binned().isPresent()) {
              mapper.moveBinned(m.binned().get(), location);
            } else {
              mapper.move(m.table().namespace(), m.table().name(), m.location(), location);
            }
          });
    }
    LOG.info("The home is at {}: {} tables were told so", properties.home(), misplaced.size());
  }

  private List<Misplaced> misplaced() {
    List<Misplaced> out = new ArrayList<>();
    for (TableMapper.Pointer p : mapper.pointers()) {
      add(out, new TableName(p.namespace(), p.name()), p.metadataLocation(), Optional.empty());
    }
    for (TableMapper.Binned b : mapper.bin()) {
      add(out, new TableName(b.namespace(), b.name()), b.metadataLocation(), Optional.of(b.id()));
    }
    return out;
  }

  private void add(List<Misplaced> to, TableName table, String location, Optional<Long> binned) {
    String here = lake.lake().root().toString();
    Relocation.rootOf(table, location)
        .filter(root -> !root.equals(here))
        .ifPresent(root -> to.add(new Misplaced(table, location, binned, root)));
  }

  private boolean isHere(String root) {
    try {
      Path former = Path.of(root);
      return Files.exists(former) && Files.isSameFile(former, properties.home().resolve("lake"));
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot look at the home's former place [%s]: %s".formatted(root, e.getMessage()), e);
    }
  }
}
