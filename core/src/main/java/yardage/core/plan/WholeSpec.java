package yardage.core.plan;

import yardage.core.column.Schema;

/**
 * All rows to all rows, once they are all there.
 *
 * @param purpose what memory is for, in words that follow "memory for"
 */
public record WholeSpec(
    String step, WholeDescription what, String purpose, Schema input, Schema schema)
    implements Spec {}
