/**
 * Types, schemas, columns and batches: the values that flow through the engine.
 *
 * <p>Read {@link yardage.core.column.Type}, {@link yardage.core.column.Schema}, {@link
 * yardage.core.column.Column} and {@link yardage.core.column.Batch}, in this order. A column is a
 * primitive array with an optional null bitmap (a set bit is a null); text is UTF-8 bytes with
 * offsets, optionally through codes. Columns are immutable once built and may be shared between
 * threads; builders belong to one thread. Nothing here knows about files, expressions or operators.
 */
package yardage.core.column;
