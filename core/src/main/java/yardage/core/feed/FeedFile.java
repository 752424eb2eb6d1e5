package yardage.core.feed;

import java.time.Instant;
import yardage.core.storage.Address;

/**
 * A file that a plan reads.
 *
 * @param path relative to the inbox, with slashes
 */
public record FeedFile(String path, long sizeBytes, Instant modified, Address address) {}
