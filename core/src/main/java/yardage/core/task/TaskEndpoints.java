package yardage.core.task;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import yardage.core.exec.Endpoints;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.ScanSource;
import yardage.core.exec.Sink;
import yardage.core.exec.StepTally;
import yardage.core.feed.FeedFiles;
import yardage.core.feed.FeedReport;
import yardage.core.feed.FeedScan;
import yardage.core.feed.FileDiscovery;
import yardage.core.feed.SetAsideWriter;
import yardage.core.lake.Lake;
import yardage.core.lake.Staging;
import yardage.core.lake.TableFiles;
import yardage.core.lake.TableTarget;
import yardage.core.lake.TableWriter;
import yardage.core.plan.RecordCodec;
import yardage.core.plan.RowCondition;
import yardage.core.plan.ScanDescription;
import yardage.core.plan.TargetDescription;
import yardage.core.star.CalendarDays;

/** Opens what stages name in one lake. Thread-safe. */
public final class TaskEndpoints implements Endpoints {
  private final Lake lake;
  private final SetAsideWriter setAside;
  private final Optional<Staging> staging;
  private final List<FeedScan> scans = new ArrayList<>();

  private TaskEndpoints(Lake lake, SetAsideWriter setAside, Optional<Staging> staging) {
    this.lake = lake;
    this.setAside = setAside;
    this.staging = staging;
  }

  /** For work that reads and writes nothing: rows that do not fit are only counted. */
  public static TaskEndpoints reading(Lake lake) {
    return new TaskEndpoints(lake, SetAsideWriter.NONE, Optional.empty());
  }

  /** For work that reads, and keeps rows that do not fit. */
  public static TaskEndpoints reading(Lake lake, SetAsideWriter setAside) {
    return new TaskEndpoints(lake, setAside, Optional.empty());
  }

  /** For work that writes tables. */
  public static TaskEndpoints writing(Lake lake, SetAsideWriter setAside, Staging staging) {
    return new TaskEndpoints(lake, setAside, Optional.of(staging));
  }

  @Override
  public ScanSource source(ScanDescription what, List<RowCondition> counting, StepTally tally) {
    if (what instanceof FeedFiles files) {
      return feed(files, tally);
    } else if (what instanceof TableFiles files) {
      return lake.open(files, counting, tally);
    } else if (what instanceof CalendarDays days) {
      return days.open(tally);
    }
    throw new IllegalArgumentException("Nothing reads " + what.getClass().getName());
  }

  private FeedScan feed(FeedFiles what, StepTally tally) {
    FeedScan scan =
        new FeedScan(what, FileDiscovery.folder(lake.raw(), what.feed()), tally, setAside);
    synchronized (scans) {
      scans.add(scan);
    }
    return scan;
  }

  private List<FeedScan> scans() {
    synchronized (scans) {
      return List.copyOf(scans);
    }
  }

  /** What came of reading feeds. */
  public List<FeedReport> reports() {
    return scans().stream().map(FeedScan::report).toList();
  }

  /** Values that did not fit and became null so far, by step and column with a dot between. */
  Map<String, Long> nulledByColumn() {
    Map<String, Long> out = new TreeMap<>();
    scans().forEach(scan -> scan.nulled().forEach((c, n) -> out.put(scan.step() + "." + c, n)));
    return out;
  }

  /** Closes what scans that were stopped have left open. */
  public void close() {
    scans().forEach(FeedScan::close);
  }

  @Override
  public Sink target(TargetDescription what, StepTally tally, ExecutionContext context) {
    if (what instanceof TableTarget table) {
      Staging files =
          staging.orElseThrow(() -> new IllegalStateException("Nothing is to be written here"));
      return new TableWriter(lake, table, files, tally, context);
    }
    throw new IllegalArgumentException("Nothing writes " + what.getClass().getName());
  }

  @Override
  public RecordCodec codec() {
    return TaskKinds.CODEC;
  }
}
