/**
 * Formats whose records are lines of text.
 *
 * <p>{@link yardage.core.format.text.LineChunker} cuts a stream at line ends. Delimited text
 * (quotes as RFC 4180 has them) is {@link yardage.core.format.text.DelimitedFormat}, which splits a
 * chunk into field ends before it reads one column at a time.
 */
package yardage.core.format.text;
