package yardage.core.plan;

/**
 * A step from rows to rows that SQL has no word for, as data: a record. Every kind is an {@code
 * exec.RowStep} too, which says what it does.
 */
public interface RowDescription {}
