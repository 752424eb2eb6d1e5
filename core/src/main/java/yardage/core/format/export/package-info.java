/**
 * Rows for other programs: delimited text, JSON lines and Parquet, written to a stream as they
 * come. What is read is elsewhere; the lake's own files are written by {@code format.parquet}.
 */
package yardage.core.format.export;
