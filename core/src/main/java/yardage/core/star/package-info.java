/**
 * What star schemas are made of: dimensions that keep surrogate keys and history, and the calendar.
 * How documents name them is in {@code pipeline}.
 */
package yardage.core.star;
