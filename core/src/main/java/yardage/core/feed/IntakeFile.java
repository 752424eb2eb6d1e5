package yardage.core.feed;

import java.time.Instant;

/**
 * A file that a run has read to its end: what goes into the intake ledger.
 *
 * @param contentHash of the bytes as they lie on disk
 */
public record IntakeFile(
    String feed,
    String path,
    long sizeBytes,
    Instant modified,
    String contentHash,
    long records,
    long setAside) {}
