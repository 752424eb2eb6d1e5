package yardage.core.lake;

import java.util.Optional;

/**
 * One compare-and-swap of a table's pointer.
 *
 * @param expected what the pointer must still be; empty when the table must not exist yet
 */
public record PointerChange(TableName table, Optional<String> expected, String location) {}
