package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.time.Instant;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;
import org.apache.iceberg.BaseTable;
import org.apache.iceberg.Snapshot;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.TableMetadataParser;
import org.apache.iceberg.exceptions.NotFoundException;
import yardage.core.exec.ReadCache;
import yardage.core.exec.ScanSource;
import yardage.core.exec.StepTally;
import yardage.core.plan.RowCondition;
import yardage.core.storage.Address;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

/**
 * A folder of raw files and tables: {@code inbox/} for files that arrive, {@code
 * tables/namespace/name/} for tables, {@code staging/} for the logs of runs at work. Thread-safe.
 */
public final class Lake {
  private final Place root;
  private final PointerStore pointers;
  private final RawFolders raw;

  private final OpenedTables opened;

  public Lake(Place root, PointerStore pointers) {
    this(root, pointers, Map.of());
  }

  /**
   * @param connections folders outside of the lake that feeds may read, by name
   */
  public Lake(Place root, PointerStore pointers, Map<String, Place> connections) {
    this(root, pointers, connections, new OpenedTables(ReadCache.none()));
  }

  /**
   * @param opened shared by all that look at this lake
   */
  public Lake(
      Place root, PointerStore pointers, Map<String, Place> connections, OpenedTables opened) {
    this.pointers = pointers;
    this.opened = opened;
    try {
      Storage storage = root.storage();
      // One form of every address, whatever links lead here: what is named and what is found is
      // compared as text.
      this.root = root.at(storage.prepare(root.address()));
      storage.prepare(inbox().address());
      storage.prepare(this.root.child("tables").address());
      this.raw = new RawFolders(inbox(), connections);
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot make the lake's folders in [%s]: %s".formatted(root, e.getMessage()), e);
    }
  }

  /** The lake's folder, in its one form. */
  public Place root() {
    return root;
  }

  public Place inbox() {
    return root.child("inbox");
  }

  /** The store that the lake's files are in, by their addresses. */
  public Storage storage() {
    return root.storage();
  }

  /** The inbox and the connections. */
  public RawFolders raw() {
    return raw;
  }

  private Place stagingFolder() {
    return root.child("staging");
  }

  Place tableFolder(TableName name) {
    return root.child("tables").child(name.namespace()).child(name.name());
  }

  public List<TableName> tables() {
    return pointers.tables();
  }

  /** The table as it is published now. */
  public Optional<LakeTable> table(TableName name) {
    for (int attempt = 1; ; attempt++) {
      Optional<String> location = pointers.metadataLocation(name);
      try {
        return location.map(at -> state(name, at));
      } catch (LakeException e) {
        // Old metadata may go right after it was pointed to: ask again where the new one is.
        if (attempt == 5 || location.equals(pointers.metadataLocation(name))) {
          throw e;
        }
      }
    }
  }

  /**
   * @throws LakeException when there is none
   */
  LakeTable existing(TableName name) {
    return table(name).orElseThrow(() -> missing(name));
  }

  private static LakeException missing(TableName name) {
    return new LakeException("There is no table [%s]".formatted(name));
  }

  LakeTable load(TableName name, String location) {
    try {
      LakeTable table =
          described(name, TableMetadataParser.read(new StagedFiles(storage()), location));
      opened.add(location, table);
      return table;
    } catch (NotFoundException e) {
      throw new LakeException(
          "Table [%s] has lost its metadata file [%s]; restore it from a backup"
              .formatted(name, location),
          e);
    }
  }

  private LakeTable described(TableName name, TableMetadata metadata) {
    return new LakeTable(storage(), name, metadata, opened.cache());
  }

  /**
   * A table's rows as a plan names them.
   *
   * @param counting what rows that count have, beside what the plan says
   */
  public ScanSource open(TableFiles files, List<RowCondition> counting, StepTally tally) {
    LakeTable table = open(files.table(), files.metadata(), files.snapshot());
    Set<String> others = new HashSet<>();
    files
        .without()
        .map(w -> open(files.table(), w.metadata(), w.snapshot()))
        .ifPresent(o -> o.dataFiles().forEach(f -> others.add(f.location())));
    return table.scan(
        files.columns(), files.predicates(), counting, tally, f -> !others.contains(f.location()));
  }

  private LakeTable open(TableName name, String metadata, Optional<Long> snapshot) {
    LakeTable there = state(name, metadata);
    return snapshot.map(there::asOf).orElse(there);
  }

  /** A state by the address of its metadata, which is read only if nobody remembers it. */
  LakeTable state(TableName name, String metadata) {
    return opened.at(metadata).orElseGet(() -> load(name, metadata));
  }

  Optional<String> pointer(TableName name) {
    return pointers.metadataLocation(name);
  }

  /**
   * Makes an older state of a table its current one again; the newer ones stay, so that this can be
   * taken back. The columns are those of that state.
   *
   * @param run unlike that of any run, for the files that are made
   * @param swap moves the pointer, or throws {@link Publication.ConflictException}
   * @throws LakeException when the table has no such state, or has it already
   */
  public void rollBack(
      TableName name, long snapshot, String run, Consumer<List<PointerChange>> swap) {
    change(name, run, swap, ops -> setCurrent(name, snapshot, ops));
  }

  /** Publishes new metadata for a table, with no new data files; on failure nothing is left. */
  void change(
      TableName name,
      String run,
      Consumer<List<PointerChange>> swap,
      Consumer<StagedOperations> edit) {
    Staging staging = stage(run);
    boolean done = false;
    try {
      Publication.publish(this, staging, () -> List.of(changed(name, staging, edit)), swap);
      done = true;
    } finally {
      if (!done) {
        staging.abandon();
      }
    }
  }

  private void setCurrent(TableName name, long snapshot, StagedOperations ops) {
    Snapshot wanted = described(name, ops.current()).asOf(snapshot).snapshot();
    if (ops.current().currentSnapshot() != null
        && ops.current().currentSnapshot().snapshotId() == snapshot) {
      throw new LakeException("Snapshot [%d] is what table [%s] has now".formatted(snapshot, name));
    }
    new BaseTable(ops, name.toString()).manageSnapshots().setCurrentSnapshot(snapshot).commit();
    if (wanted.schemaId() != null && wanted.schemaId() != ops.current().currentSchemaId()) {
      ops.commit(
          ops.current(),
          TableMetadata.buildFrom(ops.current()).setCurrentSchema(wanted.schemaId()).build());
    }
  }

  /** New metadata for a table as it is now, and the move of its pointer there. */
  PointerChange changed(TableName name, Staging staging, Consumer<StagedOperations> edit) {
    String before = pointer(name).orElseThrow(() -> missing(name));
    StagedOperations ops =
        new StagedOperations(
            new StagedFiles(storage(), staging),
            load(name, before).metadata(),
            Optional.of(before));
    edit.accept(ops);
    return pointerChange(name, Optional.of(before), ops);
  }

  /** Writes what was committed, and says how the pointer moves there. */
  PointerChange pointerChange(TableName name, Optional<String> before, StagedOperations ops) {
    Retention.apply(name, ops, Instant.now());
    TableMetadata now = ops.current();
    List<String> obsolete =
        before.map(at -> Retention.obsolete(load(name, at).metadata(), now)).orElse(List.of());
    return new PointerChange(name, before, ops.write(), described(name, now).summary(), obsolete);
  }

  /**
   * A pointer has moved: readers that look into the folder are told so, and old metadata files go.
   * What fails here harms nobody, and the next sweep does it.
   */
  void published(PointerChange change) {
    MetadataNames.hint(root.at(new Address(change.location())));
    for (String file : change.obsolete()) {
      try {
        root.at(new Address(file)).delete();
      } catch (UncheckedIOException e) {
        // The next sweep takes it.
      }
    }
  }

  /** Metadata files of tables that had this name and are in the bin. */
  List<String> binned(TableName name) {
    return pointers.binned(name);
  }

  /** The files that runs at work have made and not published. */
  Set<String> stagedFiles() {
    return Staging.noted(stagingFolder());
  }

  /** Removes what is left of a table that is in no pointer and not in the bin any more. */
  public Expiry.Result purge(TableName name) {
    return Expiry.sweep(this, name, Instant.MAX);
  }

  /**
   * Removes the files of a table that no state of it has and that are older than a time.
   *
   * @throws LakeException when the sweep cannot prove that it sees the table whole; nothing is
   *     removed then
   */
  public Expiry.Result sweep(TableName name, Instant olderThan) {
    return Expiry.sweep(this, name, olderThan);
  }

  /** Opens the staging area of a run. */
  public Staging stage(String run) {
    return Staging.open(stagingFolder(), run);
  }

  /** The runs that died with files staged. */
  public List<String> unsettledRuns() {
    return Staging.leftBehind(stagingFolder());
  }

  /**
   * Removes the staging log of work that has added nothing to it since a time; its files stay.
   *
   * @return whether it was removed
   */
  public boolean forgetIfOlder(String run, Instant time) {
    return Staging.forgetIfOlder(stagingFolder(), run, time);
  }

  /** Removes what work had staged that has added nothing to its log since a time. */
  public void settleIfOlder(String run, Instant time) {
    if (Staging.isOlder(stagingFolder(), run, time)) {
      settle(run, false);
    }
  }

  /**
   * Removes what a dead run had staged, unless it was published after all; returns how many files
   * went.
   */
  public int settle(String run, boolean wasPublished) {
    return Staging.settle(stagingFolder(), root.child("tables").address(), run, wasPublished);
  }
}
