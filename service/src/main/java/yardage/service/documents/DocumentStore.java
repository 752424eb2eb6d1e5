package yardage.service.documents;

import java.time.Clock;
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
    PART;

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

  /** The names of all documents of a kind. */
  public List<String> names(Kind kind) {
    return latest(kind).stream().map(StoredDocument::name).toList();
  }

  public Optional<StoredDocument> find(Kind kind, String name) {
    return mapper.find(kind.key(), name);
  }

  /**
   * @throws ApiException naming what there is, when there is none of that name
   */
  public StoredDocument require(Kind kind, String name) {
    return find(kind, name).orElseThrow(() -> ApiException.notFound(kind.key(), name, names(kind)));
  }

  public Optional<StoredDocument> find(Kind kind, String name, int version) {
    return mapper.findVersion(kind.key(), name, version);
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
    int version = before.map(StoredDocument::version).orElse(0);
    if (basedOn.isPresent() && basedOn.get() != version) {
      throw conflict(name, version);
    }
    StoredDocument next = new StoredDocument(name, version + 1, text, by, clock.instant());
    try {
      mapper.insert(kind.key(), next);
      return next;
    } catch (DuplicateKeyException e) {
      throw conflict(name, version + 1);
    }
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
