package yardage.service.feeds;

import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.core.column.Values;
import yardage.core.feed.ChangePolicy;
import yardage.core.feed.FeedChangedException;
import yardage.core.feed.FeedColumn;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedException;
import yardage.core.feed.FeedPreview;
import yardage.core.feed.FileAtFault;
import yardage.core.feed.FileDiscovery;
import yardage.core.feed.Quarantine;
import yardage.core.feed.propose.FeedChanges;
import yardage.core.feed.propose.Proposals;
import yardage.core.format.FileFormatException;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.lake.WriteMode;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PartDocument;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.storage.Place;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.lake.LakeService;
import yardage.service.web.ApiException;

/** Reads and keeps feeds; the catalog that pipelines are checked against. */
@Service
public class FeedService implements Catalog {
  private final DocumentStore documents;
  private final LakeService lake;
  private final FeedMapper mapper;
  private final QuarantineService quarantine;

  FeedService(
      DocumentStore documents, LakeService lake, FeedMapper mapper, QuarantineService quarantine) {
    this.documents = documents;
    this.lake = lake;
    this.mapper = mapper;
    this.quarantine = quarantine;
  }

  /** The files of a feed that nobody reads for now. */
  public Quarantine quarantine(String feed) {
    return quarantine.of(feed);
  }

  /** Takes a file out of the way of all who read the feed. */
  public void putIntoQuarantine(FileAtFault.Fault fault, String by) {
    quarantine.put(fault.feed(), fault.file(), fault.why(), by);
  }

  private StoredDocument document(String name) {
    return documents.require(DocumentStore.Kind.FEED, name);
  }

  /**
   * A feed by its name.
   *
   * @throws yardage.service.web.ApiException naming those that there are, when there is none
   */
  public FeedDefinition require(String name) {
    return parsed(document(name));
  }

  /** As {@link #require}, by any name that the feed had. */
  public FeedDefinition requireNow(String name) {
    return require(documents.nameNow(DocumentStore.Kind.FEED, name));
  }

  private static FeedDefinition parsed(StoredDocument d) {
    return FeedDefinition.parse(d.text()).feed().orElseThrow();
  }

  List<FeedView.FeedSummary> summaries() {
    Map<String, FeedMapper.Freshness> fresh = new HashMap<>();
    mapper.freshness().forEach(f -> fresh.put(f.feed(), f));
    return documents.latest(DocumentStore.Kind.FEED).stream()
        .map(d -> summary(d, Optional.ofNullable(fresh.get(d.name()))))
        .toList();
  }

  private FeedView.FeedSummary summary(StoredDocument d, Optional<FeedMapper.Freshness> freshness) {
    FeedDefinition f = parsed(d);
    return new FeedView.FeedSummary(
        d.name(),
        f.about(),
        f.format().word(),
        d.version(),
        d.savedAt(),
        d.savedBy(),
        documents.paused(DocumentStore.Kind.FEED, d.name()),
        f.files(),
        f.columns().size(),
        freshness.map(FeedMapper.Freshness::lastAt),
        freshness.map(FeedMapper.Freshness::records).orElse(0L),
        freshness.map(FeedMapper.Freshness::setAside).orElse(0L),
        freshness.isEmpty() ? List.of() : history(d.name()));
  }

  private List<FeedView.FeedIntake> history(String name) {
    List<FeedView.FeedIntake> out = new ArrayList<>();
    for (FeedMapper.Intake i : mapper.intakes(name)) {
      out.add(
          new FeedView.FeedIntake(i.runId(), i.takenAt(), i.files(), i.records(), i.setAside()));
    }
    Collections.reverse(out);
    return out;
  }

  FeedView.FeedDetail detail(String name) {
    StoredDocument d = document(name);
    FeedDefinition f = parsed(d);
    List<FeedView.FeedFile> files = List.of();
    Optional<String> problem = Optional.empty();
    try {
      files = files(f);
    } catch (FeedException e) {
      problem = Optional.of(e.getMessage());
    }
    List<FeedView.FeedVersion> versions =
        documents.versions(DocumentStore.Kind.FEED, d.name()).stream()
            .map(v -> new FeedView.FeedVersion(v.version(), v.savedBy(), v.savedAt()))
            .toList();
    List<FeedView.FeedColumn> columns =
        f.columns().stream()
            .map(
                c ->
                    new FeedView.FeedColumn(
                        c.name(), c.rule().type().toString(), c.rule().required(), source(c)))
            .toList();
    return new FeedView.FeedDetail(
        d.name(),
        f.about(),
        f.format().word(),
        d.version(),
        documents.paused(DocumentStore.Kind.FEED, d.name()),
        d.text(),
        columns,
        files,
        problem,
        history(name),
        versions);
  }

  private static String source(FeedColumn c) {
    if (c.source() instanceof FeedColumn.Folder folder) {
      return "folder " + folder.name() + "=";
    } else if (c.source() instanceof FeedColumn.Added added) {
      return "added: " + added.what().word();
    } else if (c.source() instanceof FeedColumn.Characters at) {
      return "characters %d-%d".formatted(at.first(), at.last());
    }
    return c.fileName();
  }

  private List<FeedView.FeedFile> files(FeedDefinition feed) {
    Map<String, List<FeedView.FileIntake>> taken = new HashMap<>();
    for (FeedMapper.Taken t : mapper.taken(feed.name())) {
      taken
          .computeIfAbsent(t.path(), p -> new ArrayList<>())
          .add(new FeedView.FileIntake(t.pipeline(), t.runId(), t.records(), t.setAside()));
    }
    List<QuarantineMapper.Kept> kept = quarantine.kept(feed.name());
    Map<String, QuarantineMapper.Kept> held = new HashMap<>();
    kept.forEach(k -> held.put(k.path(), k));
    Quarantine now = QuarantineService.of(kept);
    Instant still = Instant.now().minus(feed.intake().stillFor());
    return FileDiscovery.find(lake.lake().raw(), feed).stream()
        .map(
            x -> {
              List<FeedView.FileIntake> by = taken.getOrDefault(x.path(), List.of());
              boolean isHeld = now.why(x).isPresent();
              String fate =
                  isHeld
                      ? "quarantine"
                      : !by.isEmpty()
                          ? "taken"
                          : x.modified().isAfter(still) && !feed.intake().stillFor().isZero()
                              ? "waiting"
                              : "new";
              Optional<FeedView.HeldFile> why =
                  isHeld
                      ? Optional.of(held.get(x.path()))
                          .map(k -> new FeedView.HeldFile(k.why(), k.putBy(), k.putAt()))
                      : Optional.empty();
              return new FeedView.FeedFile(x.path(), x.sizeBytes(), x.modified(), fate, by, why);
            })
        .toList();
  }

  FeedView.FeedProposals propose(Optional<String> connection, List<String> patterns) {
    try {
      Proposals.Result result =
          Proposals.of(
              lake.lake().raw(), connection, patterns.isEmpty() ? List.of(".") : patterns, feeds());
      return new FeedView.FeedProposals(
          result.proposals().stream()
              .map(
                  p ->
                      new FeedView.FeedProposal(
                          p.name(),
                          p.files(),
                          p.text(),
                          p.evidence().stream()
                              .map(
                                  e ->
                                      new FeedView.ProposalEvidence(
                                          e.about(), e.choice(), e.because()))
                              .toList()))
              .toList(),
          result.unknown());
    } catch (FeedException e) {
      throw wrongFiles(e.getMessage());
    }
  }

  private static ApiException wrongFiles(String message) {
    return new ApiException(
        HttpStatus.UNPROCESSABLE_ENTITY,
        "no-files",
        message,
        "Put files into the inbox, or name others");
  }

  FeedView.FeedPreviewView preview(FeedView.PreviewRequest request) {
    FeedDefinition.Parsed parsed =
        FeedDefinition.parse(request.text() == null ? "" : request.text());
    if (parsed.feed().isEmpty()) {
      throw ApiException.invalidDocument("preview", parsed.problems());
    }
    FeedDefinition feed = parsed.feed().get();
    try {
      List<FileDiscovery.Found> files = FileDiscovery.find(lake.lake().raw(), feed);
      FileDiscovery.Found file =
          files.stream()
              .filter(f -> request.file().isEmpty() || f.path().equals(request.file().get()))
              .findFirst()
              .orElseThrow(
                  () ->
                      new FeedException(
                          "No file matches the feed's files %s".formatted(feed.files())));
      int rows = Math.max(1, Math.min(request.rows(), 500));
      FeedPreview p =
          FeedPreview.of(feed, FileDiscovery.folder(lake.lake().raw(), feed), file, rows);
      return new FeedView.FeedPreviewView(
          file.path(),
          files.stream().map(FileDiscovery.Found::path).limit(1000).toList(),
          p.schema().fields().stream()
              .map(f -> new FeedView.PreviewColumn(f.name(), f.type().toString()))
              .toList(),
          p.rows().stream()
              .map(r -> r.stream().map(v -> Optional.ofNullable(v).map(Values::text)).toList())
              .toList(),
          p.setAside().stream()
              .map(
                  r ->
                      new FeedView.PreviewSetAside(
                          r.line(),
                          r.original(),
                          r.failures().stream()
                              .map(
                                  x ->
                                      (x.field().isEmpty() ? "" : x.field() + ": ")
                                          + x.reason().code()
                                          + ", "
                                          + x.message())
                              .toList()))
              .toList(),
          p.raw(),
          p.strays().stream()
              .map(x -> new FeedView.PreviewStray(x.field(), x.count(), x.line(), x.example()))
              .toList());
    } catch (FeedException | FileFormatException | FeedChangedException e) {
      throw wrongFiles(e.getMessage());
    }
  }

  private FeedChanges changesOf(StoredDocument d) {
    FeedDefinition feed = parsed(d);
    try {
      return FeedChanges.of(
          feed,
          d.text(),
          quarantine(feed.name()).without(FileDiscovery.find(lake.lake().raw(), feed)));
    } catch (FeedException | FileFormatException e) {
      throw wrongFiles(e.getMessage());
    }
  }

  FeedView.FeedChangesView changes(String name) {
    StoredDocument d = document(name);
    FeedChanges changes = changesOf(d);
    return new FeedView.FeedChangesView(
        d.version(),
        !changes.text().equals(d.text()),
        changes.changes().stream()
            .map(
                c ->
                    new FeedView.FieldChangeView(
                        c.kind().name().toLowerCase(Locale.ROOT),
                        c.column(),
                        c.field(),
                        c.proposed().map(Object::toString),
                        c.found()))
            .toList(),
        changes.text());
  }

  FeedView.AcceptAnswer accept(String name, String by) {
    StoredDocument d = document(name);
    FeedChanges changes = changesOf(d);
    if (changes.text().equals(d.text())) {
      String found =
          changes.changes().isEmpty()
              ? "Its newest files are as the contract says"
              : changes.changes().get(0).found() + "; no wider type takes these values";
      throw new ApiException(
          HttpStatus.CONFLICT,
          "nothing-to-accept",
          "There is nothing to accept for feed [%s]: %s".formatted(name, found),
          "Change the feed by hand, or fix the files");
    }
    StoredDocument saved = save(name, changes.text(), by, Optional.of(d.version()));
    return new FeedView.AcceptAnswer(
        saved.version(),
        changes.told(),
        changes.left().stream()
            .map(c -> c.found() + "; no wider type takes these values")
            .toList());
  }

  /** What a feed took over from its files: the version to read with, and what is new in it. */
  public record Followed(int version, String told) {}

  /**
   * For a feed that takes new columns at once: saves the contract that its new files fit.
   *
   * @return the version to read with, and what it has that the other had not
   */
  public Optional<Followed> followed(String name, int version, String by) {
    StoredDocument d = document(name);
    if (d.version() != version || parsed(d).change() != ChangePolicy.ADD) {
      return Optional.empty();
    }
    FeedChanges changes = changesOf(d);
    return changes.text().equals(d.text())
        ? Optional.empty()
        : Optional.of(
            new Followed(
                save(name, changes.text(), by, Optional.of(version)).version(), changes.told()));
  }

  FeedView.AgainAnswer again(String name, FeedView.AgainRequest request) {
    document(name);
    int forgotten = 0;
    long rows = 0;
    for (FeedMapper.Taken t : mapper.taken(name)) {
      if (t.pipeline().equals(request.pipeline()) && request.paths().contains(t.path())) {
        mapper.forgetPast(name, t.pipeline(), t.path());
        forgotten += mapper.forget(name, t.pipeline(), t.path());
        rows += t.records() - t.setAside();
      }
    }
    if (forgotten == 0) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "not-taken",
          "Pipeline [%s] has taken none of these files in from feed [%s]"
              .formatted(request.pipeline(), name),
          "See the feed's files and who took them");
    }
    return new FeedView.AgainAnswer(
        forgotten,
        "The next run of %s takes %,d file%s in again. A write that appends will have their %,d rows twice; one that replaces will not"
            .formatted(request.pipeline(), forgotten, forgotten == 1 ? "" : "s", rows));
  }

  public StoredDocument save(String name, String text, String by, Optional<Integer> basedOn) {
    FeedDefinition.Parsed parsed = FeedDefinition.parse(text);
    if (parsed.feed().isEmpty()) {
      throw ApiException.invalidDocument(name, parsed.problems());
    }
    ApiException.checkOwnName(parsed.feed().get().name(), name);
    parsed
        .feed()
        .get()
        .connection()
        .filter(c -> !connections().containsKey(c))
        .ifPresent(
            c -> {
              throw new ApiException(
                  HttpStatus.UNPROCESSABLE_ENTITY,
                  "no-connection",
                  "Feed [%s] reads from the connection [%s], and there is none; %s"
                      .formatted(
                          name,
                          c,
                          connections().isEmpty()
                              ? "none is set up"
                              : "known: " + String.join(", ", connections().keySet())),
                  "Name the folder in the service's settings.yml: yardage: {connections: {%s: /its/path}}"
                      .formatted(c));
            });
    refuseNarrowing(name, parsed.feed().get());
    return documents.save(DocumentStore.Kind.FEED, name, text, by, basedOn);
  }

  private Map<String, Place> connections() {
    return lake.lake().raw().connections();
  }

  /** The folders beside the inbox that feeds may read. */
  List<FeedView.Connection> connectionList() {
    return connections().entrySet().stream()
        .map(
            e ->
                new FeedView.Connection(
                    e.getKey(), e.getValue().toString(), e.getValue().isFolder()))
        .toList();
  }

  private void refuseNarrowing(String name, FeedDefinition after) {
    Optional<FeedDefinition> before = feed(name);
    if (before.isEmpty()) {
      return;
    }
    List<String> against = List.of();
    try {
      against =
          FeedChanges.againstNarrowing(
              before.get(), after, FileDiscovery.find(lake.lake().raw(), after));
    } catch (FeedException | FileFormatException e) {
      // Without files that can be read nothing stands against it.
    }
    if (!against.isEmpty()) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "narrower",
          "The contract of feed [%s] would become too narrow for files that are there: %s"
              .formatted(name, String.join("; ", against)),
          "Keep the wider type, or let such values become null with if-wrong: \"null\" in the column");
    }
  }

  /** The feed as of a version. */
  public Optional<FeedDefinition> feed(String name, int version) {
    return documents
        .find(DocumentStore.Kind.FEED, documents.nameNow(DocumentStore.Kind.FEED, name), version)
        .flatMap(d -> FeedDefinition.parse(d.text()).feed());
  }

  @Override
  public Optional<PartDocument> part(String name) {
    return documents
        .find(DocumentStore.Kind.PART, name)
        .flatMap(d -> PartDocument.parse(d.text()).part());
  }

  public Optional<PartDocument> part(String name, int version) {
    return documents
        .find(DocumentStore.Kind.PART, name, version)
        .flatMap(d -> PartDocument.parse(d.text()).part());
  }

  @Override
  public List<String> parts() {
    return documents.latest(DocumentStore.Kind.PART).stream().map(StoredDocument::name).toList();
  }

  @Override
  public Optional<FeedDefinition> feed(String name) {
    return documents
        .find(DocumentStore.Kind.FEED, name)
        .flatMap(d -> FeedDefinition.parse(d.text()).feed());
  }

  @Override
  public List<String> feeds() {
    return documents.latest(DocumentStore.Kind.FEED).stream().map(StoredDocument::name).toList();
  }

  @Override
  public Optional<LakeTable> table(TableName name) {
    return lake.lake().table(name);
  }

  @Override
  public List<OtherWrite> writers(TableName table, String besides) {
    List<OtherWrite> out = new ArrayList<>();
    for (StoredDocument d : documents.latest(DocumentStore.Kind.PIPELINE)) {
      // Most documents do not so much as name the table.
      if (!d.name().equals(besides) && d.text().contains(table.name())) {
        PipelineCheck.tablesOf(PipelineDocument.parse(d.text())).stream()
            .filter(u -> u.writes() && u.table().equals(table))
            .forEach(
                u ->
                    out.add(
                        new OtherWrite(
                            d.name(),
                            WriteMode.valueOf(
                                u.mode().toUpperCase(java.util.Locale.ROOT).replace('-', '_')))));
      }
    }
    return out;
  }

  @Override
  public List<TableName> tables() {
    return lake.tables();
  }
}
