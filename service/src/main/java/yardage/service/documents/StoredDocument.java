package yardage.service.documents;

import java.time.Instant;

/** One version of a document. */
public record StoredDocument(
    String name, int version, String text, String savedBy, Instant savedAt) {}
