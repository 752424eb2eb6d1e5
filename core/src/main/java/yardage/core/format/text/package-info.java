/**
 * Delimited text: records of fields, one column each, read straight into typed columns.
 *
 * <p>{@link yardage.core.format.text.DelimitedReader} splits a buffer into field ends (quotes as
 * RFC 4180 has them), then {@link yardage.core.format.text.FieldParser} reads one column at a time
 * out of the same bytes. A record that does not fit is given whole to a {@link
 * yardage.core.format.text.RejectSink} and never becomes a row.
 */
package yardage.core.format.text;
