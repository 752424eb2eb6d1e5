package yardage.core.feed;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.security.DigestInputStream;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.List;
import java.util.concurrent.atomic.AtomicLong;
import yardage.core.column.*;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.ScanSource;
import yardage.core.exec.StepTally;
import yardage.core.format.Decompression;
import yardage.core.format.text.DelimitedReader;
import yardage.core.format.text.RejectedRecord;

/**
 * Reads some files of a feed under its contract. All declared columns are checked, whichever are
 * asked for. Rows that do not fit go to the set-aside writer and are counted; past the feed's limit
 * the scan fails.
 */
public final class FeedScan implements ScanSource {
  private final FeedDefinition feed;
  private final Path inbox;
  private final List<FileDiscovery.Found> files;
  private final int[] columns;
  private final StepTally tally;
  private final SetAsideWriter setAside;
  private final AtomicLong setAsideCount = new AtomicLong();
  private final List<IntakeFile> taken = new ArrayList<>();

  public FeedScan(
      FeedDefinition feed,
      Path inbox,
      List<FileDiscovery.Found> files,
      int[] columns,
      StepTally tally,
      SetAsideWriter setAside) {
    this.feed = feed;
    this.inbox = inbox;
    this.files = List.copyOf(files);
    this.columns = columns.clone();
    this.tally = tally;
    this.setAside = setAside;
  }

  @Override
  public List<Split> splits() {
    return files.stream().<Split>map(file -> (worker, out) -> read(file, out)).toList();
  }

  /** The files read to their end so far, by path. */
  public List<IntakeFile> taken() {
    synchronized (taken) {
      return taken.stream().sorted(Comparator.comparing(IntakeFile::path)).toList();
    }
  }

  /**
   * @throws FeedException when more than the allowed share was set aside; call it when all splits
   *     are read
   */
  public void checkShare() {
    long records = tally.snapshot().rowsIn();
    long bad = setAsideCount.get();
    if (bad > 0 && bad > feed.maxSetAsideShare() * records) {
      throw new FeedException(
          "Feed [%s] set %,d of %,d records aside (%s), and its limit is a share of %s; nothing was published. Look at the set-aside rows, then mend the files or the feed, or raise the limit"
              .formatted(feed.name(), bad, records, reasons(), feed.maxSetAsideShare()));
    }
  }

  private String reasons() {
    List<String> out = new ArrayList<>();
    setAside.countByReason().forEach((reason, n) -> out.add("%,d %s".formatted(n, reason)));
    return String.join(", ", out);
  }

  private void read(FileDiscovery.Found file, BatchConsumer out) {
    AtomicLong rejected = new AtomicLong();
    MessageDigest digest = sha256();
    try (InputStream raw = Files.newInputStream(inbox.resolve(file.path()))) {
      InputStream counted = new DigestInputStream(raw, digest);
      DelimitedReader[] reader = new DelimitedReader[1];
      reader[0] =
          new DelimitedReader(
              file.path(),
              feed.layout(),
              feed.columns(),
              new DelimitedReader.Output() {
                private long counted;

                @Override
                public void batch(Batch batch) {
                  count();
                  out.accept(project(batch));
                }

                @Override
                public void reject(RejectedRecord record) {
                  count();
                  rejected.incrementAndGet();
                  tally.setAside.increment();
                  setAside.write(feed.name(), tally.step(), record);
                  checkLimit();
                }

                private void count() {
                  tally.rowsIn.add(reader[0].recordCount() - counted);
                  counted = reader[0].recordCount();
                }
              });
      reader[0].read(Decompression.open(counted));
      counted.transferTo(OutputStream.nullOutputStream());
      tally.bytesRead.add(file.sizeBytes());
      tally.filesRead.increment();
      synchronized (taken) {
        taken.add(
            new IntakeFile(
                feed.name(),
                file.path(),
                file.sizeBytes(),
                file.modified(),
                HexFormat.of().formatHex(digest.digest()),
                reader[0].recordCount(),
                rejected.get()));
      }
    } catch (NoSuchFileException e) {
      throw new FeedException(
          "Feed [%s]: file [%s] was there when the run began and is gone now; run again"
              .formatted(feed.name(), file.path()));
    } catch (IOException e) {
      throw new UncheckedIOException(
          "File [%s] cannot be read: %s".formatted(file.path(), e.getMessage()), e);
    }
  }

  private void checkLimit() {
    long now = setAsideCount.incrementAndGet();
    if (feed.maxSetAsideRows().isPresent() && now > feed.maxSetAsideRows().get()) {
      throw new FeedException(
          "Feed [%s] set more than its limit of %,d rows aside (%s); nothing was published. Look at the set-aside rows, then mend the files or the feed, or raise the limit"
              .formatted(feed.name(), feed.maxSetAsideRows().get(), reasons()));
    }
  }

  private Batch project(Batch batch) {
    List<Column> out = new ArrayList<>();
    for (int c : columns) {
      out.add(batch.column(c));
    }
    return batch.withColumns(out);
  }

  /** The hash of a file as it lies on disk, in hexadecimal. */
  public static String sha256(Path file) {
    MessageDigest digest = sha256();
    try (InputStream in = new DigestInputStream(Files.newInputStream(file), digest)) {
      in.transferTo(OutputStream.nullOutputStream());
    } catch (IOException e) {
      throw new UncheckedIOException(
          "File [%s] cannot be read: %s".formatted(file, e.getMessage()), e);
    }
    return HexFormat.of().formatHex(digest.digest());
  }

  private static MessageDigest sha256() {
    try {
      return MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new AssertionError("Every Java platform has SHA-256", e);
    }
  }
}
