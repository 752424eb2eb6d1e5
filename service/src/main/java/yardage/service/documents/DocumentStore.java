package yardage.service.documents;

import java.time.Clock;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.springframework.dao.DuplicateKeyException;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import yardage.service.web.ApiException;

/** Keeps documents of a kind. */
@Service
public class DocumentStore {
  /** What a document describes. */
  public enum Kind {
    FEED,
    PIPELINE,
    STAR,
    PART,
    TEST,
    SAMPLER,
    SHELF,
    VIEW;

    String key() {
      return name().toLowerCase(java.util.Locale.ROOT);
    }
  }

  private final DocumentMapper mapper;
  private final Clock clock;

  DocumentStore(DocumentMapper mapper, Clock clock) {
    this.mapper = mapper;
    this.clock = clock;
  }

  public List<StoredDocument> latest(Kind kind) {
    return mapper.latest(kind.key());
  }

  /** The newest texts of all documents of a kind. */
  public List<String> texts(Kind kind) {
    return latest(kind).stream().map(StoredDocument::text).toList();
  }

  /** The newest versions of all documents of a kind, by name. */
  public List<NamedVersion> newest(Kind kind) {
    return mapper.newest(kind.key());
  }

  /** The names of all documents of a kind. */
  public List<String> names(Kind kind) {
    return newest(kind).stream().map(NamedVersion::name).toList();
  }

  public Optional<StoredDocument> find(Kind kind, String name) {
    return mapper.find(kind.key(), name);
  }

  /**
   * @throws ApiException naming what there is, when there is none of that name
   */
  public StoredDocument require(Kind kind, String name) {
    return find(kind, name)
        .orElseThrow(
            () -> {
              refuseOldName(kind, name);
              return ApiException.notFound(kind.key(), name, names(kind));
            });
  }

  public Optional<StoredDocument> find(Kind kind, String name, int version) {
    return mapper.findVersion(kind.key(), name, version);
  }

  /**
   * @throws ApiException when there is no document of that name, or it has no such version
   */
  public StoredDocument require(Kind kind, String name, int version) {
    require(kind, name);
    return find(kind, name, version)
        .orElseThrow(
            () ->
                ApiException.notFound(
                    "version",
                    String.valueOf(version),
                    versions(kind, name).stream().map(d -> String.valueOf(d.version())).toList()));
  }

  public List<StoredDocument> versions(Kind kind, String name) {
    return mapper.versions(kind.key(), name);
  }

  /**
   * Keeps a text as the next version; one that says the same as the latest makes none.
   *
   * @param basedOn the version that the writer has seen; empty to write over whatever is there
   */
  public StoredDocument save(
      Kind kind, String name, String text, String by, Optional<Integer> basedOn) {
    Optional<StoredDocument> before = find(kind, name);
    if (before.isPresent() && before.get().text().equals(text)) {
      return before.get();
    }
    refuseOldName(kind, name);
    // One that was removed goes on where it stood, and is there again.
    int version = mapper.newestVersion(kind.key(), name);
    if (basedOn.isPresent() && basedOn.get() != version) {
      throw conflict(name, version);
    }
    StoredDocument next = new StoredDocument(name, version + 1, text, by, clock.instant());
    try {
      mapper.insert(kind.key(), next);
      mapper.bringBack(kind.key(), name);
      return next;
    } catch (DuplicateKeyException e) {
      throw conflict(name, version + 1);
    }
  }

  private void refuseOldName(Kind kind, String name) {
    mapper
        .state(kind.key(), name)
        .filter(s -> s.renamedTo() != null)
        .ifPresent(
            s -> {
              throw new ApiException(
                  HttpStatus.CONFLICT,
                  "old-name",
                  "The %s [%s] is called [%s] now".formatted(kind.key(), name, s.renamedTo()),
                  "Use its new name");
            });
  }

  /** Why a document is paused, in words; empty where it is not. */
  public Optional<String> paused(Kind kind, String name) {
    return mapper
        .state(kind.key(), name)
        .filter(s -> s.pausedAt() != null)
        .map(
            s ->
                "paused by %s since %s UTC%s"
                    .formatted(
                        s.pausedBy(),
                        s.pausedAt()
                            .toString()
                            .replace('T', ' ')
                            .replaceAll("(:\\d\\d)(\\.\\d+)?Z$", "$1"),
                        s.pausedWhy() == null || s.pausedWhy().isBlank()
                            ? ""
                            : ": " + s.pausedWhy()));
  }

  public void pause(Kind kind, String name, String by, String why) {
    require(kind, name);
    mapper.pause(kind.key(), name, clock.instant(), by, why);
  }

  public void resume(Kind kind, String name) {
    require(kind, name);
    mapper.pause(kind.key(), name, null, null, null);
  }

  /** Takes a document out of all lists. Its versions stay, and saving one brings it back. */
  public void remove(Kind kind, String name, String by) {
    require(kind, name);
    mapper.remove(kind.key(), name, clock.instant(), by, null);
  }

  /** A document that was removed. */
  public record Removed(String name, Instant at, String by) {}

  public List<Removed> removed(Kind kind) {
    return mapper.removed(kind.key()).stream()
        .map(s -> new Removed(s.name(), s.removedAt(), s.removedBy()))
        .toList();
  }

  /**
   * Brings a removed document back, as it was.
   *
   * @throws ApiException when none of that name was removed
   */
  public StoredDocument restore(Kind kind, String name) {
    List<String> names = removed(kind).stream().map(Removed::name).toList();
    if (!names.contains(name)) {
      throw ApiException.notFound("removed " + kind.key(), name, names);
    }
    mapper.bringBack(kind.key(), name);
    return require(kind, name);
  }

  /**
   * Gives a document and all its versions another name, and keeps the text that says so as the next
   * version. Whoever asks by the old name is led to the new one by {@link #nameNow}.
   *
   * @throws ApiException when the new name is taken or was
   */
  public StoredDocument rename(Kind kind, String name, String next, String text, String by) {
    int version = require(kind, name).version();
    refuseTaken(kind, name, next);
    mapper.forget(kind.key(), next);
    mapper.rename(kind.key(), name, next);
    mapper.renameState(kind.key(), name, next);
    StoredDocument renamed = new StoredDocument(next, version + 1, text, by, clock.instant());
    mapper.insert(kind.key(), renamed);
    mapper.remove(kind.key(), name, clock.instant(), by, next);
    return renamed;
  }

  /**
   * A document may take a name that none has or had, or go back to one of its own.
   *
   * @throws ApiException when the new name is taken or was
   */
  public void refuseTaken(Kind kind, String name, String next) {
    boolean itsOwn = !next.equals(name) && nameNow(kind, next).equals(name);
    if (!itsOwn
        && (mapper.newestVersion(kind.key(), next) > 0
            || mapper.state(kind.key(), next).isPresent())) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "name-taken",
          "The name [%s] is taken by another %s, or was".formatted(next, kind.key()),
          "Choose a name that none has or had");
    }
  }

  /** The name that a document of that name has now. */
  public String nameNow(Kind kind, String name) {
    String now = name;
    for (int i = 0; i < 100; i++) {
      Optional<String> next =
          mapper.state(kind.key(), now).flatMap(s -> Optional.ofNullable(s.renamedTo()));
      if (next.isEmpty()) {
        return now;
      }
      now = next.get();
    }
    return now;
  }

  private static ApiException conflict(String name, int version) {
    return new ApiException(
        HttpStatus.CONFLICT,
        "changed-meanwhile",
        "[%s] was changed by somebody else meanwhile and is at version %d now"
            .formatted(name, version),
        "Load the newest version, bring your change in, then save again");
  }
}
