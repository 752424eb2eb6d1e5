package yardage.core.feed;

import java.time.Instant;

/**
 * A file that a run has read to its end: what goes into the intake ledger.
 *
 * @param sha256 of the bytes as they lie on disk, in hexadecimal
 */
public record IntakeFile(
    String feed,
    String path,
    long sizeBytes,
    Instant modified,
    String sha256,
    long records,
    long setAside) {}
