/**
 * What stages name, opened: feeds' files, tables, calendars and targets, and the codec that knows
 * all kinds of descriptions. Here {@code exec}, which knows none of them, meets {@code feed},
 * {@code lake} and {@code star}.
 *
 * <p>Not here: what a pipeline or a query wants with the rows.
 */
package yardage.core.task;
