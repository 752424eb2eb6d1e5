package yardage.service.documents;

import java.time.Instant;

/**
 * What stands about a document beside its text. Times and names are null where nothing of the kind
 * was done.
 *
 * @param renamedTo the name that it has now
 */
record DocumentState(
    String name,
    Instant removedAt,
    String removedBy,
    Instant pausedAt,
    String pausedBy,
    String pausedWhy,
    String renamedTo) {}
