package yardage.core.plan;

/**
 * A step that needs all rows before it gives one, as data: a record. Every kind is an {@code
 * exec.WholeStep} or an {@code exec.GroupedStep} too, which says what it does; but for {@link
 * Recursion}, which runs plans and not code of its own.
 */
public interface WholeDescription {}
